"""What a painter does to canvases, apart from painting, which is `live`'s."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from orvix.canvases.canvas import CANVAS_VALUES
from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.canvases.fills import Fill
from orvix.canvases.layers import Layer, parse_stack
from orvix.errors import BadValue
from orvix.registry import check_colour, check_values
from orvix.tiles.joining import PLAIN, Joining
from orvix.tiles.recipe import Recipe
from orvix_web.brushes.models import Brush
from orvix_web.canvases.fits import repeats_of
from orvix_web.canvases.journal import Journal, Record
from orvix_web.canvases.models import Canvas
from orvix_web.canvases.rows import spec_of
from orvix_web.canvases.storage import load
from orvix_web.errors import or_404
from orvix_web.notices import changed
from orvix_web.tiles.models import Tile
from orvix_web.tiles.services import check_name
from orvix_web.tiles.thumbnails import thumbnail

MOST_REPEATS = 64


def create_canvas_of_tile(owner: User, name: str, tile_id: int, across: int, down: int) -> Canvas:
    """A canvas of so many repeats of a tile, which fills it and closes on it, with a layer to paint on over it.

    A staggered tile counts as the smallest straight one that shows the same cloth. Raises Http404 and BadValue.
    """
    tile = or_404(Tile.objects.of(owner).filter(pk=tile_id).first())
    _check_counts(across, down)
    width, height, repeat = Recipe.parse(tile.latest.recipe).shape
    wide, high = repeat.unrolled_size(width, height)
    with transaction.atomic():
        row = create_canvas(owner, name, {"width": wide * across, "height": high * down, "joined": True})
        fill = Layer(2, tile.name[:60], kind="fill", fill=Fill(tile=tile.pk))
        stack = (fill, Layer())
        before = parse_stack(row.layers)
        journal = Journal(row.pk, row.owner_id)
        journal.commit(Record(1, "layers", {"layers": [one.as_dict() for one in stack]}, before))
        row.refresh_from_db()
        canvas = load(row).canvas
        journal.thumbnail(thumbnail(canvas.small()))
    return row


def create_canvas_of_brush(owner: User, name: str, brush_id: int, across: int, down: int) -> Canvas:
    """An empty canvas on which the grain of a brush comes so often and closes; the brush is in hand on it.

    Raises Http404, and BadValue for a brush without a grain that lies still.
    """
    brush = or_404(Brush.objects.of(owner).filter(pk=brush_id).first())
    _check_counts(across, down)
    width, height = repeats_of(brush.latest, across, down)
    with transaction.atomic():
        row = create_canvas(owner, name, {"width": width, "height": height, "joined": True, "ground": "#f2efe6"})
        brush.save(update_fields=["touched"])
    return row


def _check_counts(across: int, down: int) -> None:
    for what, count in (("across", across), ("down", down)):
        if not 1 <= count <= MOST_REPEATS:
            raise BadValue(what, count, f"must be 1 to {MOST_REPEATS} repeats")


def create_canvas(owner: User, name: str, told: dict[str, Any]) -> Canvas:
    """Make an empty canvas. raises BadValue.

    told: width, height, ppi, joined, repeat, stagger, neighbours, ground (empty: none).
    """
    sizes = {value.name: told[value.name] for value in CANVAS_VALUES if value.name in told}
    values = check_values(CANVAS_VALUES, sizes, "canvas")
    joining = Joining.parse(told.get("repeat", "straight"), told.get("stagger"), told.get("neighbours", PLAIN))
    ground = told.get("ground", "#ffffff")
    with transaction.atomic():
        row = Canvas(
            owner=owner,
            name=check_name(name),
            joined=bool(told.get("joined", False)),
            repeat=joining.repeat.kind,
            stagger=str(joining.repeat.stagger),
            neighbours=joining.neighbours,
            ground=check_colour("ground", ground) if ground else "",
            **values,
        )
        box = (0, 0, min(row.width, 256), min(row.height, 256))
        row.thumbnail = thumbnail(CoreCanvas(spec_of(row)).view(box))
        row.save()
        changed(row.owner_id)
    return row
