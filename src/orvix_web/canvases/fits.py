"""Whether the grains and fills on a canvas close on it, and whether the canvas is thereby proven to close."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from typing import Any

from django.db.models import Q

from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.canvases.canvas import CanvasSpec
from orvix.canvases.fills import fill_question
from orvix.canvases.layers import Stack, parse_stack
from orvix.canvases.strokes import fit_question
from orvix.errors import BadValue
from orvix.grains.fit import closes, fit, nearest_canvases
from orvix.strokes.area import Area
from orvix.strokes.grains import moves
from orvix.strokes.loaded import LoadedCoat
from orvix.tiles.joining import PLAIN, Joining
from orvix_web.brushes.loading import load_version
from orvix_web.brushes.models import BrushVersion
from orvix_web.canvases.filling import OwnedTiles, tiles_filled_with
from orvix_web.canvases.history import brushes_used
from orvix_web.canvases.models import Canvas
from orvix_web.canvases.rows import spec_of
from orvix_web.tiles.models import GrainVersion, Tile

_MAY_END_AT_A_BORDER = ("crop", "gradient", "paste", "select", "transform")


def _lying_still(version: BrushVersion) -> Iterator[tuple[int, LoadedCoat, GrainVersion]]:
    """The coats whose grain lies still while marks are laid, with that grain."""
    loaded = load_version(version.brush.owner_id, version.pk)
    grains = {use.coat: use.grain_version for use in version.uses.all() if use.grain_version is not None}
    for n, coat in enumerate(loaded.coats):
        grain = grains.get(n)
        if coat.coat.grain is not None and grain is not None and not moves(coat.coat):
            yield n, coat, grain


def repeats_of(version: BrushVersion, across: int, down: int) -> tuple[int, int]:
    """The size in px of a canvas on which the grain of a brush comes so often and closes, or nearly so often.

    Raises BadValue where no grain of it lies still, or none of the sizes near closes.
    """
    found = next(_lying_still(version), None)
    if found is None:
        raise BadValue("brush", version.brush.name, "has no grain that is fixed to the canvas, so every size fits.")
    question = fit_question(found[1], CoreCanvas(CanvasSpec(256, 256, joined=Joining())), Fraction(1))
    wide, high = question.repeat.unrolled_size(*question.tile)
    side, other = (max(round(one * question.full_scale), 1) for one in (wide * across, high * down))
    asked = (side, other)
    question = replace(question, canvas=asked)
    sizes = [asked] if closes(question) else nearest_canvases(question)
    if not sizes:
        raise BadValue("brush", version.brush.name, f"has a grain that fits no size near {asked[0]} × {asked[1]} px")
    return sizes[0]


def grain_fits(row: Canvas, version: BrushVersion, times: Fraction = Fraction(1)) -> Iterator[dict[str, Any]]:
    """The fit of each grain of a brush that lies still while marks are laid; one that moves with them comes round with
    them too. times: so many times larger it paints; the brush itself has no scale then that could be taken."""
    spec = spec_of(row)
    canvas = CoreCanvas(replace(spec, joined=spec.joined or Joining()))
    for n, coat, grain in _lying_still(version):
        use = coat.coat.grain
        assert use is not None
        question = fit_question(coat, canvas, times)
        told = fit(question) | {"grain": grain.grain.name, "version": grain.number, "brush": version.brush.name}
        told |= {"brush_version": version.pk if times == 1 else 0, "coat": n}
        period = [float(side * question.full_scale) for side in question.tile]
        yield told | {"scale": str(use.scale * times), "period_px": period, "size": [row.width, row.height]}


def fill_fits(row: Canvas, stack: Stack) -> Iterator[dict[str, Any]]:
    """The fit of each tile that a fill shows, told like that of a grain; `layer` is the fill's."""
    spec, tile_of = spec_of(row), OwnedTiles(row.owner_id)
    area = Area(spec.width, spec.height, spec.joined or Joining())
    shown = [one for one in stack if one.fill is not None and one.fill.tile and one.visible]
    tiles = {one.pk: one for one in Tile.objects.of(row.owner).filter(pk__in=tiles_filled_with(stack))}
    for layer in shown:
        fill = layer.fill
        tile = tile_of(fill.tile) if fill is not None and fill.tile in tiles else None
        if fill is None or tile is None:
            continue
        question, version = fill_question(fill, tile, area), tiles[fill.tile].latest
        told = fit(question) | {"grain": tiles[fill.tile].name, "version": version.number if version else 0}
        told |= {"brush": "", "brush_version": 0, "coat": 0, "layer": layer.id}
        period = [float(side * question.full_scale) for side in question.tile]
        yield told | {"scale": str(fill.scale), "period_px": period, "size": [row.width, row.height]}


def canvas_fits(row: Canvas, in_hand: int = 0, stack: Stack | None = None) -> list[dict[str, Any]]:
    """The fit of each grain and scale on a canvas: that of the brush in hand first, then the last used; then fills.

    stack: the layers, where they are known better than they are stored.
    """
    related = (
        BrushVersion.objects.select_related("brush")
        .prefetch_related("uses__grain_version__grain")
        .filter(brush__owner_id=row.owner_id)
    )
    wanted = [(in_hand, Fraction(1)), *brushes_used(row)]
    versions = related.in_bulk([version for version, _ in wanted])
    told: dict[tuple[Any, ...], dict[str, Any]] = {}
    for version_id, times in (one for one in wanted if one[0] in versions):
        for found in grain_fits(row, versions[version_id], times):
            told.setdefault((found["grain"], found["version"], found["scale"]), found)
    return [*told.values(), *fill_fits(row, parse_stack(row.layers) if stack is None else stack)]


def proven_to_close(row: Canvas) -> bool:
    """Whether every mark wraps and every grain closes: then the picture closes, whatever was painted.

    Nothing is proven once something was done that can end at a border: a gradient, a cut, a picture put there.

    Where neighbours are turned over, a grain that lies on the canvas is turned with them, and nothing is proven of it.
    """
    ends = Q(kind__in=_MAY_END_AT_A_BORDER) | Q(kind="pour", data__has_key="fill")
    if row.operations.filter(ends, state="done").exists():
        return False
    fits = canvas_fits(row)
    return row.joined and all(one["closes"] for one in fits) and not (fits and row.neighbours != PLAIN)
