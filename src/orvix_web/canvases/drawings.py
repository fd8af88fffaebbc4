"""Tiles drawn by hand: a canvas with joined edges each, whose picture is published as the tile's next version.

The drawing is the draft: it is kept as it is painted. Publishing takes its pixels as they are, for good.
"""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from django.http import Http404

from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.errors import BadValue
from orvix.geometry import MOST_SIDE
from orvix.tiles.joining import Joining
from orvix.tiles.recipe import MOST_PIXELS
from orvix.tiles.state import TileState
from orvix_web.canvases.fits import proven_to_close
from orvix_web.canvases.guides import check_settings
from orvix_web.canvases.history import history
from orvix_web.canvases.journal import Journal
from orvix_web.canvases.models import Canvas, KeptState
from orvix_web.canvases.rows import spec_of
from orvix_web.canvases.services import create_canvas
from orvix_web.chain.following import follow
from orvix_web.tiles.models import Tile, TileVersion
from orvix_web.tiles.rendering import snapshot_source
from orvix_web.tiles.services import check_name, create_tile, keep_tile
from orvix_web.tiles.thumbnails import thumbnail


def owned_drawing(owner: User, tile_id: int) -> Canvas:
    """The canvas that a tile of the owner's is drawn on; raises Http404."""
    row = Canvas.objects.select_related("tile").filter(owner=owner, tile_id=tile_id).first()
    if row is None:
        raise Http404
    return row


def drawn_state(row: Canvas, canvas: CoreCanvas) -> TileState:
    """The drawing as a tile: what lies in its frame, its whole, unfolded, under its repeat."""
    joining, settings = joining_of(row), check_settings(row.settings)
    whole = TileState(joining.unfold(canvas.pixels()), joining.repeat, proven_to_close(row))
    x, y = whole.canonical(-settings["frame_x"], -settings["frame_y"])
    return TileState(whole.moved(x, y).pixels, whole.repeat, whole.proven)


def joining_of(row: Canvas) -> Joining:
    """How a drawing's edges are joined."""
    joined = spec_of(row).joined
    return joined if joined is not None else Joining()


def create_drawing(owner: User, name: str, told: dict[str, Any]) -> Tile:
    """A tile to be drawn by hand, blank. told: as `create_canvas` takes it; its edges are always joined."""
    with transaction.atomic():
        row = create_canvas(owner, check_name(name), told | {"joined": True})
        width, height = joining_of(row).whole_size(row.width, row.height)
        if width * height > MOST_PIXELS or max(width, height) > MOST_SIDE:
            raise BadValue("size", f"{width}x{height}", f"a whole tile has at most {MOST_PIXELS} px")
        canvas = CoreCanvas(spec_of(row))
        tile = create_tile(owner, name, _recipe(row, canvas, None))
        row.tile = tile
        row.save(update_fields=["tile"])
        _remember_published(row, canvas, tile.latest, row.revision)
    return tile


def drawn_tile(row: Canvas) -> Tile:
    """The tile that a canvas draws; raises BadValue for a canvas that is no drawing."""
    if row.tile is None:
        raise BadValue("canvas", row.name, "draws no tile")
    return row.tile


def _recipe(row: Canvas, canvas: CoreCanvas, before: TileVersion | None) -> dict[str, Any]:
    """A recipe whose source is the drawing as it is now, then the steps of the version before."""
    state = drawn_state(row, canvas)
    told: dict[str, Any] = {"size": [state.width, state.height], "repeat": row.repeat, "stagger": row.stagger}
    repeat = state.repeat
    told["source"] = snapshot_source(row.owner_id, state.pixels, repeat.kind, str(repeat.stagger), state.proven)
    return told | {"steps": before.recipe["steps"] if before else []}


def publish_drawing(row: Canvas, canvas: CoreCanvas, revision: int, keys: list[str] | None = None) -> TileVersion:
    """Publish a drawing as its tile's next version, with the followers that `keys` names; None: all.

    canvas: the drawing as it was at `revision`. However large it is it is made at once: its pixels are at hand.
    """
    tile = drawn_tile(row)
    with transaction.atomic():
        version = keep_tile(row.owner, tile.pk, _recipe(row, canvas, tile.latest))
        follow(row.owner, version, keys)
        _remember_published(row, canvas, version, revision)
    return version


def _remember_published(row: Canvas, canvas: CoreCanvas, version: TileVersion, revision: int) -> None:
    """Keep the state that was published, so that the drawing can be dropped back to it, or taken up again."""
    small = thumbnail(canvas.small())
    now = Canvas.objects.select_for_update().get(pk=row.pk)
    made_of = history(row).done if now.revision == revision else None
    state = Journal(row.pk, row.owner_id).keep(canvas, small, made_of)
    KeptState.objects.filter(pk=state.pk).update(tile_version=version)
    Canvas.objects.filter(pk=row.pk).update(published=revision)


def split_off_drawing(row: Canvas, canvas: CoreCanvas, name: str) -> Tile:
    """A tile of its own, drawn as this drawing is now, layers and all."""
    told = {key: getattr(row, key) for key in ("width", "height", "ppi", "repeat", "stagger", "neighbours", "ground")}
    with transaction.atomic():
        other = create_canvas(row.owner, check_name(name), told | {"joined": True})
        other.settings = row.settings
        tile = create_tile(row.owner, name, _recipe(row, canvas, drawn_tile(row).latest))
        other.tile = tile
        other.save(update_fields=["tile", "settings"])
        Journal(other.pk, other.owner_id).take_over(canvas)
        _remember_published(other, canvas, tile.latest, other.revision)
    return tile


def keep_settings(owner: User, tile_id: int, told: Any) -> dict[str, Any]:
    """Keep guides and switches of a drawing; raises BadValue."""
    checked = check_settings(told)
    Canvas.objects.filter(pk=owned_drawing(owner, tile_id).pk).update(settings=checked)
    return checked
