"""The trial sheet: the trial strokes painted with a brush, as the bench shows them and as `orvix paint` paints them."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.brushes.definition import Brush
from orvix.canvases.blocks import Blocks
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.compositing import colour_to_rgb
from orvix.canvases.strokes import GrainLayer, Stroke, StrokeRun, paint_stroke
from orvix.devices.stylus import CELLS, sheet_size, trial_strokes
from orvix.errors import BadValue
from orvix.formats.strokes_file import load_strokes
from orvix.grains.tone import Tone, grain_plane
from orvix.registry import check_colour
from orvix.strokes.coats import CoatPainter
from orvix.strokes.collisions import collisions
from orvix.strokes.loaded import LoadedBrush, LoadedCoat, LoadedGrain
from orvix.tiles.state import TileState
from orvix_web.tiles.thumbnails import thumbnail

_threads = ThreadPoolExecutor(2, "sheet")
FACTORS = (1, 2, 4, 8, 16)
LIGHT, DARK = "#f7f7f7", "#3c3c3c"
HALVES = "both"
"""Half of each cell on a light ground, half on a dark one."""
INK, SECOND = "#2f6f93", "#d9793f"
SWATCH = (184, 96)
"""The size of a brush's small picture, px."""
_PLAIN = LoadedBrush.plain(Brush.parse({"coats": [{}]}))
_PLACES = ((0.5, 0.5), (0.25, 0.25), (0.75, 0.25), (0.25, 0.75), (0.75, 0.75))
_STRIPE = np.array([0x2F, 0x6F, 0x93, 0xFF], np.uint16) * 257


@dataclass(frozen=True)
class SheetOrder:
    """ground: `#rrggbb`, or both; factor: the sheet is shown at 1 / factor; cell: one of CELLS; the paint colours."""

    ground: str = HALVES
    factor: int = 1
    cell: str = "tall"
    colour: str = INK
    second_colour: str = SECOND

    def check(self) -> SheetOrder:
        """Itself; raises BadValue."""
        if self.ground != HALVES:
            check_colour("ground", self.ground)
        if self.factor not in FACTORS:
            raise BadValue("factor", self.factor, "must be one of " + ", ".join(map(str, FACTORS)))
        if self.cell not in CELLS:
            raise BadValue("cell", self.cell, "must be one of " + ", ".join(CELLS))
        check_colour("colour", self.colour)
        check_colour("second colour", self.second_colour)
        return self


@dataclass(frozen=True)
class Sheet:
    """A painted sheet: opaque 8-bit RGBA (rows, columns, 4), and where stamps collide, (n, 2), in its px."""

    pixels: NDArray[np.uint8]
    collisions: NDArray[np.float64]
    marks: int


def sheet_strokes(factor: int, cell: str = "tall") -> dict[str, Any]:
    """The strokes of a sheet as STROKES.json; painted with --times 1/factor they are what the bench shows."""
    return trial_strokes(factor=factor, cell=CELLS[cell])


@lru_cache(maxsize=16)
def _recorded(factor: int, cell: str) -> tuple[Stroke, ...]:
    """The strokes of a sheet, read once, painted with a plain brush."""
    return tuple(load_strokes(sheet_strokes(factor, cell), _PLAIN))


def paint_sheet(loaded: LoadedBrush, order: SheetOrder, under: NDArray[np.uint8] | None = None) -> Sheet:
    """The sheet of a brush; raises BadValue. under: what it is painted over, opaque RGBA as large as the sheet."""
    order.check()
    width, height = sheet_size(cell=CELLS[order.cell])
    canvas = Canvas(CanvasSpec(width, height, ground=LIGHT if order.ground == HALVES else order.ground))
    if under is not None:
        canvas.blocks[canvas.stack[0].id] = Blocks.from_array(under.astype(np.uint16) * np.uint16(257))
    elif loaded.brush.values["use"] != "paint":
        _undercoat(canvas)
    times = Fraction(1, order.factor)
    grains = GrainLayer(canvas, times)
    own = {"brush": loaded, "mode": loaded.brush.values["use"]}
    own |= {"colour": order.colour, "second_colour": order.second_colour}
    hits, marks = [], 0
    for recorded in _recorded(order.factor, order.cell):
        run = StrokeRun(canvas, replace(recorded, **own), grains, times, _threads)
        run.keep_marks()
        run.feed(recorded.samples, last=True)
        run.finish()
        marks += run.stamp_count
        hits += [_hits(painter) / order.factor for painter in run.painters]
    pixels = canvas.view(canvas.spec.box)
    if order.ground == HALVES and under is None:
        pixels = _halved(canvas, pixels, CELLS[order.cell][0])
    return Sheet(pixels, np.concatenate(hits), marks)


def _undercoat(canvas: Canvas) -> None:
    """Stripes of colour for a brush that smears, softens or erases: it needs something to do it to."""
    canvas.blocks[canvas.stack[0].id] = _stripes(canvas.spec.width, canvas.spec.height).copy()


@lru_cache(maxsize=4)
def _stripes(width: int, height: int) -> Blocks:
    on = (np.arange(width) % 26 < 13)[None, :] ^ (np.arange(height) // 17 % 2 == 0)[:, None]
    return Blocks.from_array(np.where(on[..., None], _STRIPE, np.uint16(0)))


def piece_of(canvas: Canvas, order: SheetOrder, place: int = 0) -> NDArray[np.uint8]:
    """A piece of a canvas as large as the sheet, at its scale, as opaque RGBA: of its cloth where edges are joined.

    place: which piece, counted on from the middle one.
    """
    width, height = sheet_size(cell=CELLS[order.cell])
    level = order.factor.bit_length() - 1
    small = canvas.view(canvas.spec.box, level)
    rows, columns = small.shape[:2]
    across, down = _PLACES[place % len(_PLACES)]
    left, top = round(across * columns - width / 2), round(down * rows - height / 2)
    joined = canvas.spec.joined
    if joined is not None:
        return np.ascontiguousarray(joined.cloth(small, top, left, height, width))
    left, top = (max(min(at, side - size), min(0, (side - size) // 2)) for at, side, size in
                 ((left, columns, width), (top, rows, height)))  # fmt: skip
    out = np.empty((height, width, 4), np.uint8)
    out[:] = (*colour_to_rgb(canvas.spec.ground or "#ffffff"), 255)
    x0, y0 = max(left, 0), max(top, 0)
    x1, y1 = min(left + width, columns), min(top + height, rows)
    out[y0 - top : y1 - top, x0 - left : x1 - left] = small[y0:y1, x0:x1]
    return out


def _hits(painter: CoatPainter) -> NDArray[np.float64]:
    """Where a coat's stamps collide; only marks that are meant to be told apart count."""
    return painter.origin_px + collisions(painter.rules, painter.kept_marks)


def _halved(canvas: Canvas, pixels: NDArray[np.uint8], cell: int) -> NDArray[np.uint8]:
    """The right half of every cell over a dark ground."""
    over, out = canvas.over(DARK), pixels.copy()
    for column in range(canvas.spec.width // cell):
        left, right = column * cell + cell // 2, (column + 1) * cell
        out[:, left:right] = over.view((left, 0, right, canvas.spec.height))
    return out


def best_factor(size: float) -> int:
    """The scale at which marks of a size fit the cells of a sheet."""
    return next((factor for factor in FACTORS if size <= 48 * factor), FACTORS[-1])


def brush_thumbnail(loaded: LoadedBrush, size: tuple[int, int] = SWATCH) -> bytes:
    """A swatch of one stroke from a light ground to a dark one, as PNG. size: width and height in px."""
    factor = best_factor(loaded.brush.size * SWATCH[1] / size[1])
    strokes = trial_strokes(("pressure swell",), factor, cell=size)
    values = loaded.brush.values
    colours = (values["colour"], values["second_colour"]) if values["keeps_colour"] else (INK, SECOND)
    times = Fraction(1, factor)
    canvas = Canvas(CanvasSpec(*size, ground=LIGHT))
    if values["use"] != "paint":
        _undercoat(canvas)
    grains = GrainLayer(canvas, times)
    for stroke in load_strokes(strokes, loaded, *colours):
        paint_stroke(canvas, stroke, grains, times)
    return thumbnail(_halved(canvas, canvas.view(canvas.spec.box), size[0]), *size)


GRAIN_TRIAL = (420, 120)


def paint_grain_stroke(tile: TileState, tone: Tone, scale: Any) -> NDArray[np.uint8]:
    """One stroke of a round brush through a tile read as a grain: opaque 8-bit RGBA (120, 420, 4)."""
    use = {"source": {}, "scale": scale, "strength": 1.0, "hold": "canvas"}
    coat = {"values": {"size": 74, "spacing": 0.05, "flow": 0.7}, "grain": use}
    brush = Brush.parse({"name": "trial", "coats": [coat]})
    grain = LoadedGrain(grain_plane(tile.pixels, tone), tile.repeat)
    loaded = LoadedBrush(brush, (LoadedCoat(brush.coats[0], grain),))
    width, height = GRAIN_TRIAL
    canvas = Canvas(CanvasSpec(width, height, ground="#f7f7f7"))
    n = np.arange(70) / 69
    press = 0.15 + 0.85 * np.sin(np.pi * n)
    samples = np.stack([n * 900, 40 + n * 340, 60 + 14 * np.sin(2 * np.pi * n), press, n * 0, n * 0, n * 0], axis=1)
    paint_stroke(canvas, Stroke(loaded, samples, colour="#1c1e21"), GrainLayer(canvas))
    return canvas.view(canvas.spec.box)
