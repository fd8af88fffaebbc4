"""The chain tile, grain, brush, canvas, proof through one thing: what it was made from, and what was made of it.

Where a slot holds nothing of that chain it shows the owner's newest, without an arrow: what the next bench takes up.
"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace
from typing import Any

from django.contrib.auth.models import User
from django.urls import reverse

from orvix_web.brushes.models import Brush, BrushVersion
from orvix_web.canvases.history import brushes_used
from orvix_web.canvases.models import Canvas, InUse, Operation
from orvix_web.proofs.models import Proof, ProofVersion
from orvix_web.tiles.models import Grain, GrainVersion, Tile, TileVersion

SLOTS = ("tile", "grain", "brush", "canvas", "proof")
MODELS: dict[str, Any] = {"tile": Tile, "grain": Grain, "brush": Brush, "canvas": Canvas, "proof": Proof}
Shown = TileVersion | GrainVersion | BrushVersion | Canvas | ProofVersion


@dataclass(frozen=True)
class Link:
    """One slot of the strip, ready to be shown."""

    kind: str
    name: str
    version: str
    href: str
    picture: str
    current: bool
    linked: bool
    more: int


def strip(owner: User, focus_kind: str = "", focus_id: int = 0, come_from: int = 0) -> list[Link | None]:
    """The five slots for a focus (one of SLOTS and an id of the owner's), None where there is nothing yet.

    come_from: the canvas from which its bench was opened, to which the strip leads back.
    """
    found = _through(owner, focus_kind, focus_id)
    back = Canvas.objects.filter(owner=owner, pk=come_from, tile=None).first() if come_from else None
    if back is not None and focus_kind in ("tile", "grain", "brush"):
        found["canvas"] = back
    origin = focus_id if focus_kind == "canvas" else back.pk if back is not None else 0
    links: list[Link | None] = []
    for n, kind in enumerate(SLOTS):
        thing = found.get(kind)
        before = found.get(SLOTS[n - 1]) if n else None
        owned = owned_things(owner, kind)
        shown = thing or _newest(owned.first())
        current = kind == focus_kind and thing is not None
        linked = thing is not None and before is not None
        link = _link(kind, shown, current, linked, owned.count() - 1) if shown is not None else None
        if link is not None and origin and kind in ("tile", "grain", "brush"):
            link = replace(link, href=f"{link.href}?from={origin}")
        links.append(link)
    return links


def counts(owner: User) -> dict[str, int]:
    """How many things the owner has in each place."""
    return {kind: owned_things(owner, kind).count() for kind in SLOTS}


def owned_things(owner: User, kind: str) -> Any:
    """What the owner has of a kind; canvases that a tile is drawn on belong to the tile."""
    found = MODELS[kind].objects.of(owner)
    return found.filter(tile=None) if kind == "canvas" else found


def picture_href(kind: str, thing: Any) -> str:
    """The address of a thumbnail; it changes when the picture does, so that it can be kept by the browser."""
    mark = hashlib.blake2s(small_picture(thing), digest_size=6).hexdigest()
    return reverse("thumbnail", args=[kind, thing.pk, mark])


def small_picture(thing: Any) -> bytes:
    """The small picture that a thing is shown by, as PNG."""
    return thing.small_picture if isinstance(thing, BrushVersion) else bytes(thing.thumbnail)


def _through(owner: User, kind: str, pk: int) -> dict[str, Shown]:
    if kind not in MODELS:
        return {}
    focus = MODELS[kind].objects.filter(owner=owner, pk=pk).first()
    if focus is None:
        return {}
    found: dict[str, Any] = {kind: _newest(focus)}
    for target in reversed(SLOTS[: SLOTS.index(kind)]):
        found[target] = _made_from(target, found.get(SLOTS[SLOTS.index(target) + 1]))
        if target == "tile" and found[target] is None and found.get("brush") is not None:
            found[target] = found["brush"].tip_version
    for target in SLOTS[SLOTS.index(kind) + 1 :]:
        found[target] = _made_of(target, found.get(SLOTS[SLOTS.index(target) - 1]))
        if target == "brush" and found[target] is None and found.get("tile") is not None:
            stamped = BrushVersion.objects.filter(uses__tile_version__tile=found["tile"].tile)
            found[target] = stamped.order_by("-pk").first()
    return {slot: thing for slot, thing in found.items() if thing is not None}


def _newest(thing: Any) -> Any:
    return thing if thing is None or isinstance(thing, Canvas) else thing.latest


def _made_from(target: str, thing: Any) -> Any:
    """What a shown thing was made from; of a canvas, the brush that is in use on it."""
    if thing is None:
        return None
    if target == "canvas":
        return thing.proof.canvas
    if target == "brush":
        using = InUse.objects.filter(owner=thing.owner_id, canvas=thing).first()
        brush = Brush.objects.filter(owner=thing.owner_id, pk=using.values["brush"]).first() if using else None
        if brush is not None:
            return brush.latest
        return (
            BrushVersion.objects.select_related("brush")
            .filter(pk__in=[pk for pk, _ in brushes_used(thing)[:1]])
            .first()
        )
    return thing.grain_version if target == "grain" else thing.tile_version


def _made_of(target: str, thing: Any) -> Any:
    """The newest thing made from a shown one."""
    if thing is None:
        return None
    if target == "grain":
        return GrainVersion.objects.filter(tile_version__tile=thing.tile).order_by("-pk").first()
    if target == "brush":
        return BrushVersion.objects.filter(uses__grain_version__grain=thing.grain).order_by("-pk").first()
    if target == "canvas":
        used = Operation.objects.filter(brush_version__brush=thing.brush, state="done", canvas__tile=None)
        last = used.select_related("canvas").order_by("-pk").first()
        return last.canvas if last else None
    return ProofVersion.objects.filter(proof__canvas=thing).order_by("-pk").first()


def _link(kind: str, shown: Any, current: bool, linked: bool, more: int) -> Link:
    thing = shown if kind == "canvas" else getattr(shown, kind)
    number = shown.revision if kind == "canvas" else shown.number
    href = reverse(f"{kind}-page", args=[thing.pk])
    return Link(kind, thing.name, f"{kind} v{number}", href, picture_href(kind, shown), current, linked, more)


def grain_users(grain: Grain) -> list[str]:
    """What uses a grain, in words: brushes by name, with their versions."""
    using = BrushVersion.objects.filter(uses__grain_version__grain=grain).select_related("brush").distinct()
    return [f"{one.brush.name} v{one.number}" for one in using.order_by("brush_id", "number")]
