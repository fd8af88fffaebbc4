"""A grain laid over a canvas at an exact scale and turn.

Where a canvas px lies in the grain is worked out in whole numbers, as shares of the repeat's two vectors, and reduced
before it becomes a float: moving by any whole-pixel vector of the scaled repeat gives the same bits, however far from
the origin. Where a turned grain closes on a canvas the shares are exact fractions of the canvas; else they are fixed
point numbers of 40 bits.
"""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass
from fractions import Fraction
from math import ceil, cos, radians, sin

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.compiling import kernel, kernel_with
from orvix.errors import BadValue
from orvix.geometry import BLOCK
from orvix.tiles.repeats import Repeat, cloth

Plane = NDArray[np.float32]
Part = tuple[slice, slice]
Mask = NDArray[np.bool_]
_KEPT_PLANES = 160
_WHOLE = (slice(0, BLOCK), slice(0, BLOCK))
_FIXED = 1 << 40

Closing = tuple[tuple[int, int, int, int], tuple[int, int, int, int]]
"""Where a turned grain closes: the canvas basis and the whole matrix K, both row by row (`orvix.grains.fit`)."""


@dataclass(frozen=True)
class Placing:
    """Where a grain lies: scale across and down (canvas px a tile px), times, origin in px, and its turn.

    The origin is in px of the unscaled canvas; `times` multiplies everything, as in painting at k times the size.
    offset: whole tile px that it is moved by, across and down. exact: read px by px instead of smoothly. closing: how
    it closes on its canvas where it is turned and does.
    """

    scale_x: Fraction
    scale_y: Fraction
    times: Fraction = Fraction(1)
    origin: tuple[int, int] = (0, 0)
    turn_deg: float = 0.0
    offset: tuple[int, int] = (0, 0)
    exact: bool = False
    closing: Closing | None = None


class GrainField:
    """A grain as it lies on one canvas, handed out in block-sized planes, the last ones kept."""

    def __init__(self, grain: Plane, repeat: Repeat, placing: Placing) -> None:
        """grain: float32 (rows, columns) or (rows, columns, 4), 0 to 1, `prefiltered` for its scale.

        Raises BadValue for a scale out of range.
        """
        for scale in (placing.scale_x, placing.scale_y):
            if not Fraction(1, 100) <= scale <= 100:
                raise BadValue("grain scale", scale, "must be 0.01 to 100")
        self._repeat = repeat
        self._placing = placing
        self._grain = np.ascontiguousarray(grain, np.float32)
        self._kept: OrderedDict[tuple[int, int], tuple[Plane, NDArray[np.bool_]]] = OrderedDict()

    def block(self, row: int, column: int, part: Part | None = None, need: Mask | None = None) -> Plane:
        """The grain under block (row, column): float32 (BLOCK, BLOCK) or (BLOCK, BLOCK, 4).

        part: the rows and columns that are asked for, if not all; need: those px of the part that are. What was not
        asked for may not be filled in yet.
        """
        key = (row, column)
        found = self._kept.get(key)
        if found is None:
            shape = (BLOCK, BLOCK, *self._grain.shape[2:])
            found = self._kept[key] = np.zeros(shape, np.float32), np.zeros((BLOCK, BLOCK), np.bool_)
            while len(self._kept) > _KEPT_PLANES:
                self._kept.popitem(last=False)
        else:
            self._kept.move_to_end(key)
        plane, filled = found
        rows, columns = part or _WHOLE
        missing = ~filled[rows, columns] if need is None else need & ~filled[rows, columns]
        down, across = np.flatnonzero(missing.any(axis=1)), np.flatnonzero(missing.any(axis=0))
        if len(down):
            wanted = missing[down[0] : down[-1] + 1, across[0] : across[-1] + 1]
            (high, wide), top, left = wanted.shape, rows.start + int(down[0]), columns.start + int(across[0])
            at = slice(top, top + high), slice(left, left + wide)
            fresh = self.window(row * BLOCK + top, column * BLOCK + left, high, wide, wanted)
            np.copyto(plane[at], fresh, where=wanted if fresh.ndim == 2 else wanted[..., None])
            filled[at] |= wanted
        return plane

    def window(self, top: int, left: int, height: int, width: int, need: Mask | None = None) -> Plane:
        """The grain under any window of the canvas, as `block` gives it; px that are not needed hold anything."""
        grain = self._grain if self._grain.ndim == 3 else self._grain[..., None]
        need = np.ones((height, width), np.bool_) if need is None else need
        out = self._window(np.ascontiguousarray(grain), top, left, np.ascontiguousarray(need))
        return out if self._grain.ndim == 3 else out[..., 0]

    def _window(self, grain: Plane, top: int, left: int, need: Mask) -> Plane:
        place = self._placing
        rows, columns, channels = grain.shape
        height, width = need.shape
        moved = self._repeat.stagger_px(columns, rows)
        if place.turn_deg:
            return self._turned(grain, top, left, need)
        x, x_share = _positions(left, width, place.scale_x, place.times, place.origin[0])
        y, y_share = _positions(top, height, place.scale_y, place.times, place.origin[1])
        if place.exact:
            x, y = x + (x_share >= 0.5), y + (y_share >= 0.5)
            x_share, y_share = np.zeros_like(x_share), np.zeros_like(y_share)
        x, y = x - place.offset[0], y - place.offset[1]
        if self._repeat.kind == "brick":
            out = np.empty((width, height, channels), np.float32)
            turned, wanted = np.ascontiguousarray(grain.transpose(1, 0, 2)), np.ascontiguousarray(need.T)
            _fill(out, turned, x, x_share, y, y_share, moved, wanted)
            return np.ascontiguousarray(out.transpose(1, 0, 2))
        out = np.empty((height, width, channels), np.float32)
        _fill(out, grain, y, y_share, x, x_share, moved, need)
        return out

    def _turned(self, grain: Plane, top: int, left: int, need: Mask) -> Plane:
        rows, columns, channels = grain.shape
        moved = self._repeat.stagger_px(columns, rows)
        brick = self._repeat.kind == "brick"
        steps, modulus = self._steps(columns, rows)
        twice_x, twice_y = 2 * left + 1, 2 * top + 1
        origin = [2 * Fraction(at) * self._placing.times for at in self._placing.origin]
        start = [round(steps[k][0] * (twice_x - origin[0]) + steps[k][1] * (twice_y - origin[1])) for k in (0, 1)]
        out = np.empty((*need.shape, channels), np.float32)
        moves = np.array([2 * steps[k][axis] for k in (0, 1) for axis in (0, 1)], np.int64)
        basis = (
            np.array([columns, moved, 0, rows], np.float64)
            if brick
            else np.array([columns, 0, moved, rows], np.float64)
        )
        offset = self._placing.offset
        source = np.ascontiguousarray(grain.transpose(1, 0, 2)) if brick else grain
        _fill_turned(
            out, source, np.array(start, np.int64), moves, modulus, basis, moved, brick, self._placing.exact,
            float(offset[0]), float(offset[1]), need,
        )  # fmt: skip
        return out

    def _steps(self, columns: int, rows: int) -> tuple[list[list[int]], int]:
        """What half a canvas px adds to each of the two shares, across and down, as whole numbers of a modulus."""
        place = self._placing
        if place.closing is not None:
            (a, b, c, d), (k, m, n, p) = place.closing
            det = a * d - b * c
            sign = 1 if det > 0 else -1
            adj = [[d * sign, -b * sign], [-c * sign, a * sign]]
            whole = [[k * adj[0][j] + m * adj[1][j] for j in (0, 1)], [n * adj[0][j] + p * adj[1][j] for j in (0, 1)]]
            return whole, 2 * abs(det)
        (ax, ay), (bx, by) = self._repeat.basis(columns, rows)
        turn = radians(place.turn_deg)
        sx, sy = float(place.scale_x * place.times), float(place.scale_y * place.times)
        area = float(ax * by - ay * bx)
        inverse = np.array([[by, -bx], [-ay, ax]], np.float64) / area
        into = np.diag([1 / sx, 1 / sy]) @ np.array([[cos(turn), sin(turn)], [-sin(turn), cos(turn)]])
        shares = inverse @ into
        return [[round(float(one) * _FIXED / 2) for one in row] for row in shares], _FIXED


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


def prefiltered(grain: Plane, repeat: Repeat, scale_x: float, scale_y: float) -> Plane:
    """Blur a grain that will be shown smaller, across its repeat, so that it does not alias."""
    across, down = 1 / scale_x, 1 / scale_y
    if across <= 1.0 and down <= 1.0:
        return np.ascontiguousarray(grain, dtype=np.float32)
    sigma_x, sigma_y = (max(0.45 * (reduction - 1.0), 1e-3) for reduction in (across, down))
    margin = ceil(4 * max(sigma_x, sigma_y)) + 1
    rows, columns = grain.shape[:2]
    wide = cloth(grain, repeat, -margin, -margin, rows + 2 * margin, columns + 2 * margin)
    size = (2 * ceil(3.5 * sigma_x) + 1, 2 * ceil(3.5 * sigma_y) + 1)
    soft = cv2.GaussianBlur(np.ascontiguousarray(wide, dtype=np.float32), size, sigma_x, sigmaY=sigma_y)
    return np.ascontiguousarray(soft[margin:-margin, margin:-margin])


@kernel_with(inline="always")
def _wrapped(value, size):  # type: ignore[no-untyped-def]
    """A whole number into 0 to size - 1, and how often size was taken off it; quick where that is not often."""
    turns = 0
    while value >= size:
        value, turns = value - size, turns + 1
    while value < 0:
        value, turns = value + size, turns - 1
    return value, turns


@kernel_with(inline="always")
def _mixed(grain, a, b, d, e, x0, x1, k, down, right):  # type: ignore[no-untyped-def]
    """Bilinear reading of four px: rows a and b of one column, d and e of the next."""
    one = np.float32(1.0)
    left = grain[a, x0, k] * (one - down) + grain[b, x0, k] * down
    beside = grain[d, x1, k] * (one - down) + grain[e, x1, k] * down
    return left * (one - right) + beside * right


@kernel
def _fill(out, grain, y, y_share, x, x_share, moved, need):  # type: ignore[no-untyped-def]
    """A window of an unturned half-drop (or straight, moved = 0) grain, (rows, columns, channels); unchecked kernel."""
    rows, columns, channels = grain.shape
    at, beside = x % columns, (x + 1) % columns
    drop, next_drop = x // columns * moved % rows, (x + 1) // columns * moved % rows
    for r in range(y.shape[0]):
        row, down = y[r] % rows, y_share[r]
        if moved == 0 and channels == 1:
            upper, lower, line = grain[row, :, 0], grain[(row + 1) % rows, :, 0], out[r, :, 0]
            one = np.float32(1.0)
            for c in range(x.shape[0]):
                x0, x1, right = at[c], beside[c], x_share[c]
                left = upper[x0] * (one - down) + lower[x0] * down
                line[c] = left * (one - right) + (upper[x1] * (one - down) + lower[x1] * down) * right
            continue
        for c in range(x.shape[0]):
            if not need[r, c]:
                continue
            a, d = row - drop[c], row - next_drop[c]
            a, d = a + rows if a < 0 else a, d + rows if d < 0 else d
            b, e = a + 1 if a + 1 < rows else 0, d + 1 if d + 1 < rows else 0
            for k in range(channels):
                out[r, c, k] = _mixed(grain, a, b, d, e, at[c], beside[c], k, down, x_share[c])


@kernel
def _fill_turned(out, grain, start, moves, modulus, basis, moved, brick, exact, offset_x, offset_y, need):  # type: ignore[no-untyped-def]
    """A window of a turned grain: shares of the repeat's vectors counted on in whole numbers; unchecked kernel."""
    rows, columns, channels = grain.shape
    share = 1.0 / modulus
    step_m, step_n = moves[0] % modulus, moves[2] % modulus
    half = np.float64(0.0) if exact else np.float64(0.5)
    for r in range(out.shape[0]):
        m, n = (start[0] + moves[1] * r) % modulus, (start[1] + moves[3] * r) % modulus
        for c in range(out.shape[1]):
            p, q = m * share, n * share
            m, n = m + step_m, n + step_n
            m, n = m - modulus if m >= modulus else m, n - modulus if n >= modulus else n
            if not need[r, c]:
                continue
            x, y = p * basis[0] + q * basis[1] - half - offset_x, p * basis[2] + q * basis[3] - half - offset_y
            x0, y0 = np.floor(x), np.floor(y)
            right, down = np.float32(x - x0), np.float32(y - y0)
            if exact:
                right = down = np.float32(0.0)
            if brick:
                x0, y0, right, down = y0, x0, down, right
            column, turn = _wrapped(np.int64(x0), columns)
            row, _ = _wrapped(np.int64(y0), rows)
            beside, a, d = column + 1, row, row
            if beside == columns:
                beside = 0
            if moved:
                one_more = turn + 1 if beside == 0 else turn
                a, _ = _wrapped(row - turn * moved, rows)
                d, _ = _wrapped(row - one_more * moved, rows)
            b, e = a + 1 if a + 1 < rows else 0, d + 1 if d + 1 < rows else 0
            for k in range(channels):
                out[r, c, k] = _mixed(grain, a, b, d, e, column, beside, k, down, right)
