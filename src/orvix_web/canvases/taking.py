"""Pictures taken from a canvas: to be put on it or another again, or to be a tile, a grain, a tip or a motif."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from django.urls import reverse

from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.canvases.layers import Layer
from orvix.canvases.operations.chosen import chosen_layers
from orvix.canvases.selection import anything_selected
from orvix.canvases.taking import Taken, taken
from orvix.errors import BadValue, UnknownName
from orvix.pictures.reading import read_with_notes
from orvix.tiles.joining import PLAIN
from orvix.tiles.state import TileState
from orvix_web.brushes.services import create_tip_brush
from orvix_web.canvases.fits import proven_to_close
from orvix_web.canvases.models import Canvas, Clip, Operation
from orvix_web.canvases.rows import spec_of
from orvix_web.tiles.layouts import create_layout
from orvix_web.tiles.models import Tile
from orvix_web.tiles.rendering import pack_pixels, snapshot_source
from orvix_web.tiles.services import check_name, create_grain, create_tile

KINDS = ("tile", "grain", "tip", "motif")
KEPT_CLIPS = 12
"""So many of a painter's clips are kept that nothing was made of."""
LEAST_SIDE = 8


def layers_in_hand(canvas: CoreCanvas, told: Any) -> list[Layer]:
    """The layers of these numbers, or for none all that is seen; raises BadValue."""
    return chosen_layers(canvas, told) if told else [one for one in canvas.stack if not one.parent]


def copy_from(row: Canvas, canvas: CoreCanvas, layers: Any) -> Clip:
    """Keep what layers show of what is selected, to be put somewhere else; raises BadValue."""
    found = taken(canvas, layers_in_hand(canvas, layers))
    return _keep(row.owner, f"From {row.name}"[:120], found)


def take_clip(owner: User, name: str, data: bytes) -> tuple[Clip, tuple[str, ...]]:
    """Keep a picture from outside, to be put on a canvas, and what was converted of it, in words.

    Raises UnreadablePicture.
    """
    read = read_with_notes(data, name)
    return _keep(owner, (name or "Picture").rsplit(".", 1)[0][:120], Taken(read.pixels, 0, 0)), read.notes


def _keep(owner: User, name: str, found: Taken) -> Clip:
    height, width = found.pixels.shape[:2]
    with transaction.atomic():
        clip = Clip.objects.create(
            owner=owner, name=name or "Picture", x=found.x, y=found.y, width=width, height=height,
            pixels=pack_pixels(found.pixels),
        )  # fmt: skip
        put = Operation.objects.filter(canvas__owner=owner, kind="paste").values_list("data__picture", flat=True)
        unused = Clip.objects.filter(owner=owner).exclude(pk__in=[one for one in put if one]).order_by("-pk")
        Clip.objects.filter(pk__in=list(unused.values_list("pk", flat=True)[KEPT_CLIPS:])).delete()
    return clip


def take_as(row: Canvas, canvas: CoreCanvas, kind: str, layers: Any, name: str = "") -> str:
    """Make a tile, a grain, a tip or a motif of what is selected, or of the whole canvas; returns where it is found.

    A whole canvas with joined edges keeps its repeat. A grain is taken over the ground, everything else without it.
    """
    if kind not in KINDS:
        raise UnknownName("kind of thing", kind, list(KINDS))
    chosen = layers_in_hand(canvas, layers)
    with transaction.atomic():
        tile = _tile(row, canvas, chosen, check_name(name or f"{row.name} motif"[:120]), ground=kind == "grain")
        version = tile.latest
        if kind == "grain":
            return reverse("grain-page", args=[create_grain(row.owner, version.pk, tile.name).pk])
        if kind == "tip":
            return reverse("brush-page", args=[create_tip_brush(row.owner, version.pk).pk])
        if kind == "motif":
            motif = {"id": f"t{version.pk}", "kind": "tile", "what": f"tile:{version.pk}", "name": tile.name}
            layout = create_layout(row.owner, f"Layout of {tile.name}"[:120], {"size": [1024, 1024]}, motif)
            return reverse("layout-page", args=[layout.pk])
        return reverse("tile-page", args=[tile.pk])


def _tile(row: Canvas, canvas: CoreCanvas, chosen: list[Layer], name: str, *, ground: bool) -> Tile:
    found = taken(canvas, chosen, ground=ground)
    height, width = found.pixels.shape[:2]
    if min(width, height) < LEAST_SIDE:
        raise BadValue("selection", f"{width} x {height} px", f"must be at least {LEAST_SIDE} px on each side")
    told: dict[str, Any] = {"size": [width, height]}
    joined = spec_of(row).joined
    pixels, closes = found.pixels, False
    if joined is not None and not anything_selected(canvas):
        state = TileState(joined.unfold(pixels), joined.repeat)
        pixels, closes = state.pixels, row.neighbours == PLAIN and proven_to_close(row)
        told = {"size": [state.width, state.height], "repeat": row.repeat, "stagger": row.stagger}
    source = snapshot_source(row.owner_id, pixels, told.get("repeat", "straight"), told.get("stagger", "1/2"), closes)
    return create_tile(row.owner, name, told | {"source": source})
