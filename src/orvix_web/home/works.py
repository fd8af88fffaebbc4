"""The works a painter touched last, and what each waits for."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.contrib.auth.models import User
from django.urls import reverse

from orvix.units import px_to_mm
from orvix_web.canvases.models import Canvas
from orvix_web.canvases.repainting import newer_brushes
from orvix_web.chain.queries import owned_things, picture_href
from orvix_web.drafts.models import Draft
from orvix_web.proofs.models import Order, Proof
from orvix_web.tiles.models import Tile

MOST = 3
KINDS = ("tile", "brush", "canvas", "proof")
_ACTS = {"tile": "Open tile", "brush": "Open brush", "canvas": "Continue painting", "proof": "Open proof"}


@dataclass(frozen=True)
class Work:
    """One work as the home page shows it.

    repeats: whether copies of its picture side by side show its cloth. waits: what needs the painter, in a few words;
    empty where nothing does.
    """

    kind: str
    name: str
    about: str
    touched: datetime
    href: str
    picture: str
    repeats: bool
    waits: str
    act: str


def last_works(owner: User, most: int = MOST) -> list[Work]:
    """The works of a painter that were touched last, the newest first. A drawing counts as its tile."""
    found: list[tuple[datetime, str, Any]] = []
    for kind in KINDS:
        found += [(_touched(kind, thing), kind, thing) for thing in owned_things(owner, kind)[:most]]
    drawn = Canvas.objects.of(owner).exclude(tile=None).select_related("tile")[:most]
    known = {thing.pk for _, kind, thing in found if kind == "tile"}
    tiles = [(row.touched, row.tile) for row in drawn if row.tile is not None and row.tile_id not in known]
    found += [(touched, "tile", tile) for touched, tile in tiles if tile.trashed is None]
    found.sort(key=lambda one: one[0], reverse=True)
    return [_work(kind, thing, touched) for touched, kind, thing in found[:most]]


def _touched(kind: str, thing: Any) -> datetime:
    drawing = getattr(thing, "drawing", None) if kind == "tile" else None
    return max(thing.touched, drawing.touched) if drawing is not None else thing.touched


def _work(kind: str, thing: Any, touched: datetime) -> Work:
    shown = thing if kind == "canvas" else thing.latest
    waits = _WAITS[kind](thing)
    picture = picture_href(kind, shown) if kind == "proof" else _large(kind, thing, shown)
    repeats = kind == "tile" or (kind == "canvas" and _repeats(thing))
    about, href = _ABOUT[kind](thing, shown), _href(kind, thing)
    return Work(kind, thing.name, about, touched, href, picture, repeats, waits, _ACTS[kind])


def _repeats(row: Canvas) -> bool:
    return row.joined and row.repeat == "straight" and row.neighbours == "plain"


def _large(kind: str, thing: Any, shown: Any) -> str:
    """The address of a work's large picture; it changes when the picture does."""
    mark = picture_href(kind, shown).rsplit("/", 1)[-1].removesuffix(".png")
    return reverse("work-picture", args=[kind, thing.pk, mark])


def _href(kind: str, thing: Any) -> str:
    if kind == "tile":
        if getattr(thing, "drawing", None) is not None:
            return reverse("draw-page", args=[thing.pk])
        if thing.latest.recipe["source"]["name"] == "motifs":
            return reverse("layout-page", args=[thing.pk])
    return reverse(f"{kind}-page", args=[thing.pk])


def _of_canvas(row: Canvas, _: Any) -> str:
    wide, high = (px_to_mm(side, row.ppi) for side in (row.width, row.height))
    return f"Canvas, {wide:.0f} × {high:.0f} mm"


def _of_proof(proof: Proof, version: Any) -> str:
    count = len(version.wall["panels"])
    return f"Proof, {count} {'look' if count == 1 else 'looks'}"


_ABOUT: dict[str, Callable[[Any, Any], str]] = {
    "tile": lambda tile, version: f"Tile, {version.recipe['repeat']}",
    "brush": lambda brush, version: f"Brush, v{version.number}",
    "canvas": _of_canvas,
    "proof": _of_proof,
}


def _unsaved(kind: str, thing: Any) -> bool:
    return Draft.objects.filter(kind=kind, number=thing.pk, value__isnull=False).exists()


def _tile_waits(tile: Tile) -> str:
    drawing = getattr(tile, "drawing", None)
    changed = drawing.revision != drawing.published if drawing is not None else _unsaved("tile", tile)
    return f"Changed since v{tile.latest.number}. Publish it when it is ready." if changed else ""


def _brush_waits(brush: Any) -> str:
    return f"Changed since v{brush.latest.number}. Save it when it is right." if _unsaved("brush", brush) else ""


def _canvas_waits(row: Canvas) -> str:
    count = len(newer_brushes(row))
    if not count:
        return ""
    return "1 brush has a newer version." if count == 1 else f"{count} brushes have newer versions."


def _proof_waits(proof: Proof) -> str:
    last = Order.objects.filter(proof=proof).order_by("-pk").first()
    if last is not None and last.state in (Order.State.FAILED, Order.State.REFUSED):
        return (
            "The last order failed." if last.state == Order.State.FAILED else "The print desk refused the last order."
        )
    return "Changed since it was saved." if _unsaved("proof", proof) else ""


_WAITS: dict[str, Callable[[Any], str]] = {
    "tile": _tile_waits,
    "brush": _brush_waits,
    "canvas": _canvas_waits,
    "proof": _proof_waits,
}
