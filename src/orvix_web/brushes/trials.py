"""The trial sheet: the trial strokes painted with a brush, as the bench shows them and as `orvix paint` paints them."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.brushes.definition import Brush
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.strokes import GrainLayer, LoadedBrush, LoadedGrain, Stroke, paint_stroke
from orvix.devices.stylus import sheet_size, trial_strokes
from orvix.errors import BadValue
from orvix.formats.strokes_file import load_strokes
from orvix.grains.tone import Tone, grain_plane
from orvix.tiles.state import TileState
from orvix_web.tiles.thumbnails import thumbnail

FACTORS = (1, 2, 4)
INK = {"#f7f7f7": "#1c1e21", "#4a4a4a": "#f2efe6"}
"""The grounds a sheet can have, and the colour painted on each."""


@dataclass(frozen=True)
class SheetOrder:
    """ground: one of INK; factor: the sheet is shown at 1 / factor."""

    ground: str = "#f7f7f7"
    factor: int = 1

    def check(self) -> SheetOrder:
        """Itself; raises BadValue."""
        if self.ground not in INK:
            raise BadValue("ground", self.ground, "must be one of " + ", ".join(INK))
        if self.factor not in FACTORS:
            raise BadValue("factor", self.factor, "must be one of 1, 2, 4")
        return self


def sheet_strokes(factor: int) -> dict[str, Any]:
    """The strokes of a sheet as STROKES.json; painted with --times 1/factor they are what the bench shows."""
    return trial_strokes(factor=factor)


def paint_sheet(loaded: LoadedBrush, order: SheetOrder) -> NDArray[np.uint8]:
    """The sheet over its ground: opaque 8-bit RGBA (rows, columns, 4)."""
    order.check()
    width, height = sheet_size()
    canvas = Canvas(CanvasSpec(width, height, ground=order.ground))
    times = Fraction(1, order.factor)
    grains = GrainLayer(canvas, times)
    for stroke in load_strokes(sheet_strokes(order.factor), loaded, INK[order.ground]):
        paint_stroke(canvas, stroke, grains, times)
    return canvas.view(canvas.spec.box)


def brush_thumbnail(loaded: LoadedBrush) -> bytes:
    """A swatch of one stroke from a light ground to a dark one, 184 x 96 px."""
    factor = next((f for f in FACTORS if loaded.brush.values["size"] <= 70 * f), FACTORS[-1])
    strokes = trial_strokes(("pressure swell",), factor)
    width, height = 304, 160
    times = Fraction(1, factor)
    halves = []
    for ground, ink in (("#f7f7f7", "#1c1e21"), ("#4a4a4a", "#f2efe6")):
        canvas = Canvas(CanvasSpec(width, height, ground=ground))
        for stroke in load_strokes(strokes, loaded, ink):
            paint_stroke(canvas, stroke, times=times)
        halves.append(canvas.view(canvas.spec.box))
    both = np.concatenate([halves[0][:, : width // 2], halves[1][:, width // 2 :]], axis=1)
    return thumbnail(both, 184, 96)


GRAIN_TRIAL = (420, 120)


def paint_grain_stroke(tile: TileState, tone: Tone, scale: Any) -> NDArray[np.uint8]:
    """One stroke of a round brush through a tile read as a grain: opaque 8-bit RGBA (120, 420, 4)."""
    grain = {"source": {}, "scale": scale, "strength": 1.0, "hold": "canvas"}
    coat = {"values": {"size": 74, "spacing": 0.05, "flow": 0.7}, "grain": grain}
    brush = Brush.parse({"name": "trial", "coats": [coat]})
    loaded = LoadedBrush(brush, LoadedGrain(grain_plane(tile.pixels, tone), tile.repeat))
    width, height = GRAIN_TRIAL
    canvas = Canvas(CanvasSpec(width, height, ground="#f7f7f7"))
    n = np.arange(70) / 69
    press = 0.15 + 0.85 * np.sin(np.pi * n)
    samples = np.stack([n * 900, 40 + n * 340, 60 + 14 * np.sin(2 * np.pi * n), press, n * 0, n * 0, n * 0], axis=1)
    paint_stroke(canvas, Stroke(loaded, samples, colour="#1c1e21"), GrainLayer(canvas))
    return canvas.view(canvas.spec.box)
