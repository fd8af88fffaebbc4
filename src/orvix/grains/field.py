"""A grain laid over a canvas at an exact scale.

The scale is a fraction and every position is reduced in whole numbers before it becomes a float, so moving by any
whole-pixel vector of the scaled repeat gives the same bits, however far from the origin.
"""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from fractions import Fraction
from math import ceil

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from orvix.errors import BadValue
from orvix.geometry import BLOCK
from orvix.tiles.repeats import Repeat, cloth

Plane = NDArray[np.float32]
_KEPT_PLANES = 160


@dataclass(frozen=True)
class Placing:
    """Where a grain lies: scale across and down (canvas px a tile px), strength 0 to 1, times, origin in px.

    The origin is in px of the unscaled canvas; `times` multiplies everything, as in painting at k times the size.
    """

    scale_x: Fraction
    scale_y: Fraction
    strength: float = 1.0
    times: Fraction = Fraction(1)
    origin: tuple[int, int] = (0, 0)


class GrainField:
    """A grain as it lies on one canvas, handed out in block-sized planes, the last ones kept."""

    def __init__(self, grain: Plane, repeat: Repeat, placing: Placing) -> None:
        """grain: float32 (rows, columns), 0 to 1. Raises BadValue for a scale out of range."""
        for scale in (placing.scale_x, placing.scale_y):
            if not Fraction(1, 100) <= scale <= 100:
                raise BadValue("grain scale", scale, "must be 0.01 to 100")
        self._repeat = repeat
        self._placing = placing
        self._grain = _prefiltered(grain, repeat, placing)
        self._kept: OrderedDict[tuple[int, int], Plane] = OrderedDict()

    def block(self, row: int, column: int) -> Plane:
        """The grain under block (row, column): float32 (BLOCK, BLOCK), 1 - strength + strength * grain."""
        key = (row, column)
        plane = self._kept.get(key)
        if plane is None:
            plane = self.window(row * BLOCK, column * BLOCK, BLOCK, BLOCK)
            self._kept[key] = plane
            while len(self._kept) > _KEPT_PLANES:
                self._kept.popitem(last=False)
        else:
            self._kept.move_to_end(key)
        return plane

    def window(self, top: int, left: int, height: int, width: int) -> Plane:
        """The grain under any window of the canvas, as `block` gives it."""
        place, grain = self._placing, self._grain
        rows, columns = grain.shape
        moved = self._repeat.stagger_px(columns, rows)
        x, x_share = _positions(left, width, place.scale_x, place.times, place.origin[0])
        y, y_share = _positions(top, height, place.scale_y, place.times, place.origin[1])
        strength = np.float32(place.strength)
        if self._repeat.kind == "brick":
            out = np.empty((width, height), np.float32)
            _fill(out, np.ascontiguousarray(grain.T), x, x_share, y, y_share, moved, strength)
            return np.ascontiguousarray(out.T)
        out = np.empty((height, width), np.float32)
        _fill(out, grain, y, y_share, x, x_share, moved, strength)
        return out


def _positions(
    first: int, count: int, scale: Fraction, times: Fraction, origin: int
) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """Whole tile px and share of the next one for the centres of `count` canvas px from `first`."""
    full = scale * times
    above = (2 * np.arange(first, first + count, dtype=np.int64) + 1) * times.denominator
    above = (above - 2 * origin * times.numerator) * full.denominator
    below = 2 * full.numerator * times.denominator
    twice = 2 * above - below
    return twice // (2 * below), ((twice % (2 * below)) / (2 * below)).astype(np.float32)


def _prefiltered(grain: Plane, repeat: Repeat, placing: Placing) -> Plane:
    """Blur a grain that will be shown smaller, across its repeat, so that it does not alias."""
    across = float(1 / (placing.scale_x * placing.times))
    down = float(1 / (placing.scale_y * placing.times))
    if across <= 1.0 and down <= 1.0:
        return np.ascontiguousarray(grain, dtype=np.float32)
    sigma_x, sigma_y = (max(0.45 * (reduction - 1.0), 1e-3) for reduction in (across, down))
    margin = ceil(4 * max(sigma_x, sigma_y)) + 1
    rows, columns = grain.shape
    wide = cloth(grain, repeat, -margin, -margin, rows + 2 * margin, columns + 2 * margin)
    size = (2 * ceil(3.5 * sigma_x) + 1, 2 * ceil(3.5 * sigma_y) + 1)
    soft = cv2.GaussianBlur(np.ascontiguousarray(wide, dtype=np.float32), size, sigma_x, sigmaY=sigma_y)
    return np.ascontiguousarray(soft[margin:-margin, margin:-margin])


@njit(nogil=True, cache=True, error_model="numpy")
def _fill(out, grain, y, y_share, x, x_share, moved, strength):  # type: ignore[no-untyped-def]
    """Bilinear reading of a half-drop (or straight, moved = 0) grain; unchecked kernel."""
    rows, columns = grain.shape
    one = np.float32(1.0)
    for c in range(x.shape[0]):
        turn = x[c] // columns
        x0 = x[c] - turn * columns
        x1, next_turn = x0 + 1, turn
        if x1 == columns:
            x1, next_turn = 0, turn + 1
        wx = x_share[c]
        for r in range(y.shape[0]):
            a = (y[r] - turn * moved) % rows
            b = a + 1 if a + 1 < rows else 0
            d = (y[r] - next_turn * moved) % rows
            e = d + 1 if d + 1 < rows else 0
            wy = y_share[r]
            left = grain[a, x0] * (one - wy) + grain[b, x0] * wy
            right = grain[d, x1] * (one - wy) + grain[e, x1] * wy
            out[r, c] = one - strength + strength * (left * (one - wx) + right * wx)
