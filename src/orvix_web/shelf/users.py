"""What would lose something if a thing were deleted for good: everything that shows it, is made from it, or names it.

More than the shelf shows as its uses: what is in the trash counts too, and what only a draft, a saved state or the
history of a canvas still needs. Rows that hold a thing by a foreign key are found too, so that a refusal names them.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import Any

from django.db.models import Q, TextField
from django.db.models.functions import Cast

from orvix.proofs.looks import OWN
from orvix_web.brushes.models import Brush, BrushVersion
from orvix_web.canvases.models import Canvas, KeptState, Operation
from orvix_web.drafts.models import Draft
from orvix_web.proofs.models import Order, OwnSurface, Proof, ProofVersion
from orvix_web.tiles.models import Grain, GrainVersion, Tile, TileVersion, Upload

Pair = tuple[str, Any]
_OVER = (Order.State.READY, Order.State.REFUSED, Order.State.FAILED)
_DRAFTED: dict[str, Any] = {"tile": Tile, "grain": Grain, "brush": Brush, "proof": Proof}


def users_of(kind: str, thing: Any) -> list[str]:
    """Who uses a thing, each once and by name and kind, in the order of the chain; empty where it may be deleted."""
    found: dict[tuple[str, int], str] = {}
    for one, user in _USERS.get(kind, _nobody)(thing):
        if (one, user.pk) != (kind, thing.pk):
            trashed = ", in the trash" if getattr(user, "trashed", None) else ""
            found[one, user.pk] = f"{user.name} ({one}{trashed})"
    return list(found.values())


def _nobody(thing: Any) -> Iterator[Pair]:
    """Palettes and path sets are copied where they are used; the copies stay as they are."""
    yield from ()


def _named(name: str, numbers: Iterable[int]) -> str:
    """A pattern for JSON in which a name has one of some numbers, or an own text with one in it."""
    return rf'"{name}": ({"|".join(map(str, numbers))})[,}}\]]'


def _text(rows: Any, column: str, pattern: str) -> Any:
    return rows.annotate(told=Cast(column, TextField())).filter(told__regex=pattern)


def _drafts(owner_id: int, pattern: str) -> Iterator[Pair]:
    """Things whose draft names something, or the steps back from it."""
    drafts = Draft.objects.filter(owner_id=owner_id)
    named = set(_text(drafts, "value", pattern).values_list("kind", "number"))
    named |= set(_text(drafts, "steps__value", pattern).values_list("kind", "number"))
    for kind, model in _DRAFTED.items():
        numbers = [number for one, number in named if one == kind]
        yield from ((kind, one) for one in model.objects.filter(owner_id=owner_id, pk__in=numbers))


def _recipes(owner_id: int, names: Iterable[str]) -> Iterator[Pair]:
    """Tiles whose recipes name a picture or another tile, in any version."""
    pattern = f'"({"|".join(re.escape(one) for one in names)})"'
    kept = _text(TileVersion.objects.filter(tile__owner_id=owner_id), "recipe", pattern).values("tile_id")
    yield from (("tile", one) for one in Tile.objects.filter(pk__in=kept))
    yield from _drafts(owner_id, pattern)


def _canvases(owner_id: int, rows: Q) -> Iterator[Pair]:
    """Canvases by a condition; a drawing is its tile's."""
    for canvas in Canvas.objects.filter(rows, owner_id=owner_id).select_related("tile"):
        yield ("tile", canvas.tile) if canvas.tile else ("canvas", canvas)


def _painted(owner_id: int, pattern: str) -> Iterator[Pair]:
    """Canvases whose layers, saved states or history name something."""
    layers = _text(Canvas.objects.filter(owner_id=owner_id), "layers", pattern).values("pk")
    states = _text(KeptState.objects.filter(canvas__owner_id=owner_id), "layers", pattern).values("canvas_id")
    steps = Operation.objects.filter(canvas__owner_id=owner_id).exclude(kind="stroke")
    history = _text(steps, "data", pattern).values("canvas_id")
    return _canvases(owner_id, Q(pk__in=layers) | Q(pk__in=states) | Q(pk__in=history))


def _tile(tile: Tile) -> Iterator[Pair]:
    versions = list(tile.versions.values_list("pk", flat=True))
    yield from (("grain", one) for one in Grain.objects.filter(versions__tile_version__tile=tile))
    yield from (("brush", one) for one in Brush.objects.filter(versions__uses__tile_version__tile=tile))
    yield from _recipes(tile.owner_id, [f"tile:{one}" for one in versions])
    yield from _drafts(tile.owner_id, _named("tile_version", versions))
    yield from _painted(tile.owner_id, _named("tile", [tile.pk]))
    yield from (("proof", one) for one in Proof.objects.filter(tile=tile))


def _grain(grain: Grain) -> Iterator[Pair]:
    versions = GrainVersion.objects.filter(grain=grain).values_list("pk", flat=True)
    yield from (("brush", one) for one in Brush.objects.filter(versions__uses__grain_version__grain=grain))
    yield from _drafts(grain.owner_id, _named("grain_version", versions))


def _brush(brush: Brush) -> Iterator[Pair]:
    versions = list(BrushVersion.objects.filter(brush=brush).values_list("pk", flat=True))
    painted = Operation.objects.filter(brush_version__in=versions).values("canvas_id")
    again = KeptState.objects.filter(
        Q(repainted__before__in=versions) | Q(repainted__after__in=versions)
    ).values("canvas_id")  # fmt: skip
    yield from _canvases(brush.owner_id, Q(pk__in=painted) | Q(pk__in=again))
    yield from _painted(brush.owner_id, _named("brush", versions))


def _canvas(canvas: Canvas) -> Iterator[Pair]:
    yield from (("proof", one) for one in Proof.objects.filter(canvas=canvas))


def _proof(proof: Proof) -> Iterator[Pair]:
    """Orders that are over are part of their proof; one that is under way would be lost at the print desk."""
    yield from (("order", one) for one in proof.orders.exclude(state__in=_OVER).defer("file", "sheet", "pdf"))


def _motif(upload: Upload) -> Iterator[Pair]:
    return _recipes(upload.owner_id, [f"upload:{upload.pk}"])


def _surface(surface: OwnSurface) -> Iterator[Pair]:
    looks = [{"surface": f"{OWN}{surface.pk}"}]
    walls = ProofVersion.objects.filter(proof__owner=surface.owner, wall__panels__contains=looks)
    yield from (("proof", one) for one in Proof.objects.filter(pk__in=walls.values("proof_id")))
    yield from _drafts(surface.owner_id, f'"{OWN}{surface.pk}"')


_USERS: dict[str, Any] = {
    "tile": _tile,
    "grain": _grain,
    "brush": _brush,
    "canvas": _canvas,
    "proof": _proof,
    "motif": _motif,
    "surface": _surface,
}
