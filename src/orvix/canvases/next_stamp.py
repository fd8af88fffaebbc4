"""What the next stroke will lay first, before the pen is pressed: its size, its turn, and the grain under it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from math import ceil, cos, sin
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.strokes import GrainLayer, Stroke, StrokeRun
from orvix.geometry import Box, join
from orvix.strokes import rhythm
from orvix.strokes.coats import CoatPainter
from orvix.strokes.dabs import Marks
from orvix.strokes.loaded import LoadedBrush
from orvix.strokes.ribbon import RibbonPainter
from orvix.strokes.rules import LEAD_IN_PX

MOST_SIDE = 1100
"""A stamp that is larger than this at the level shown is not shown."""
_MS_A_PX = 2.0
_SEEN = 0.85


@dataclass(frozen=True)
class Hover:
    """A hand over the canvas: where, px of the canvas; heading, radians; pressure, tilt x, tilt y, twist as samples."""

    x: float
    y: float
    heading: float = 0.0
    hand: tuple[float, float, float, float] = (0.5, 0.0, 0.0, 0.0)

    def samples(self, way: float) -> NDArray[np.float64]:
        """A short straight stroke the way the hand goes."""
        end = self.x + way * cos(self.heading), self.y + way * sin(self.heading)
        return np.array([[0.0, self.x, self.y, *self.hand], [way * _MS_A_PX, *end, *self.hand]])


@dataclass(frozen=True)
class NextStamp:
    """box: of the cloth, in px of the level. pixels: uint8 RGBA (rows, columns, 4), straight."""

    box: Box
    pixels: NDArray[np.uint8]


class StampGhosts:
    """Shows next stamps on one canvas, at any level of it."""

    def __init__(self, spec: CanvasSpec) -> None:
        self._spec = spec
        self._levels: dict[int, tuple[Canvas, GrainLayer]] = {}

    def next_stamp(self, stroke: Stroke, hover: Hover, level: int = 0) -> NextStamp | None:
        """The first stamp of a stroke begun here, at full flow; None where there is nothing to show, or too much.

        stroke: its samples are not looked at. level: at 1 / 2^level of the canvas's size.
        """
        canvas, grains, times = *self._at(level), Fraction(1, 1 << level)
        stroke = replace(stroke, brush=_plainly(stroke.brush), mode="paint", steady=0.0, trail_px=0.0)
        run = StrokeRun(canvas, stroke, grains, times)
        way = LEAD_IN_PX + 1.0 + (5.0 * stroke.row.pitch_px if stroke.row else 0.0)
        bands = [one for one in run.painters if isinstance(one, RibbonPainter)]
        way = max([way, *(0.7 * one.loaded.coat.values["size"] for one in bands)])
        stamped = [one for one in run.painters if one not in bands]
        for painter in stamped:
            painter.keep_marks(only=True)
        run.feed(hover.samples(way), last=True)
        box = _band_box(hover, way, bands, times) if bands else None
        firsts = [_first(painter) for painter in stamped]
        for painter, marks in zip(stamped, firsts, strict=True):
            box = join(box, _reach(painter, marks))
        if box is None or max(box[2] - box[0], box[3] - box[1]) > MOST_SIDE:
            return None
        for painter, marks in zip(stamped, firsts, strict=True):
            if len(marks):
                painter.paint(marks)
        return NextStamp(box, _as_shown(run.picture(box)))

    def _at(self, level: int) -> tuple[Canvas, GrainLayer]:
        found = self._levels.get(level)
        if found is None:
            sides = {side: ceil(getattr(self._spec, side) / (1 << level)) for side in ("width", "height")}
            canvas = Canvas(replace(self._spec, **sides))
            found = self._levels[level] = canvas, GrainLayer(canvas, Fraction(1, 1 << level))
        return found


def _plainly(loaded: LoadedBrush) -> LoadedBrush:
    """The brush at full flow, not thinned towards an end that is not known yet."""
    shown = {"flow": 1.0, "opacity": 1.0, "thin_end": 0.0}
    coats = tuple(replace(one, values={**one.values, **shown}) for one in loaded.brush.coats)
    return loaded.with_brush(replace(loaded.brush, coats=coats))


def _first(painter: CoatPainter) -> Marks:
    """The marks of a coat's first stamp."""
    marks = painter.kept_marks
    return marks[marks[:, rhythm.S_NUMBER] == marks[:1, rhythm.S_NUMBER]] if len(marks) else marks


def _reach(painter: CoatPainter, marks: Marks) -> Box | None:
    """The box of the cloth that marks reach."""
    if not len(marks):
        return None
    places, _, reach = painter.dabs(marks)
    low, high = (places - reach[:, None]).min(axis=0), (places + reach[:, None] + 1).max(axis=0)
    return int(low[0]), int(low[1]), int(high[0]), int(high[1])


def _band_box(hover: Hover, way: float, bands: list[RibbonPainter], times: Fraction) -> Box:
    reach = (way + max(one.loaded.coat.values["size"] for one in bands)) * float(times)
    x, y = hover.x * float(times), hover.y * float(times)
    return int(x - reach), int(y - reach), int(x + reach) + 1, int(y + reach) + 1


def _as_shown(picture: NDArray[np.float32]) -> NDArray[Any]:
    """A premultiplied picture as straight 8-bit RGBA; a faint one strong enough to be seen."""
    alpha = picture[..., 3:]
    peak = float(alpha.max(initial=0.0))
    straight = np.divide(picture[..., :3], alpha, out=np.zeros_like(picture[..., :3]), where=alpha > 1e-6)
    strength = max(_SEEN / peak, 1.0) if peak > 0 else 0.0
    out = np.concatenate([straight, np.minimum(alpha * np.float32(strength), 1)], axis=2)
    return np.round(np.clip(out, 0, 1) * 255).astype(np.uint8)
