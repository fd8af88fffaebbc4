"""The hot loops of painting: dabs into the blocks of a stroke buffer.

Unchecked: `strokes.dabs` prepares and calls them. A plane is one block of the buffer, float32, cover 0 to 1 in one
channel or premultiplied colour in four. A dab is laid row by row: its cover into a row of its own, the grain's bite
into that, and the row into the plane. Rows are walked as slices so that the loops vectorise, and nothing is
reassociated, so one pixel's value depends on the order of the dabs and on nothing else.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from orvix.brushes.grain_use import BITES
from orvix.compiling import kernel

DAB_WIDTH = 29
(
    OX, OY, M00, M01, M10, M11, FLOW, CAP, GRAIN, INNER, LEVEL, CRISP,
    C00, C01, C02, C03, C10, C11, C12, C13, C20, C21, C22, C23, TU, TV, TS, TT, TSWAP,
) = range(DAB_WIDTH)  # fmt: skip
"""A dab: the offset of its middle from its whole px, in 4096ths of a px, so that sums with whole px are exact; the
map from px to the tip (a disc of radius 1, or px of a level); flow, cap and grain strength, 0 to 1; its inner radius;
the level of its picture, or how far a round one reaches in squares of its radius; whether its edge is to be a px
wide, or how much steeper; its colour (C03, C13, C23), or the matrix (3, 4) for its picture's own; and where a grain
that moves with it lies: the grain's px at its middle, (TU, TV), what one px of the canvas is there, turned: (TS, TT),
and whether its axes are changed over."""

ROUND, PICTURE = 0, 1
ONE, HALF, ZERO, TWO, THREE = (np.float32(n) for n in (1, 0.5, 0, 2, 3))
_MULTIPLY, _SUBTRACT, _HEIGHT, _OVERLAY, _DARKEN = range(5)
assert BITES[:5] == ("multiply", "subtract", "height", "overlay", "darken")  # the numbers above say these
_LEAST = np.float32(1e-9)
_LANES = 16


class Tooth(NamedTuple):
    """The grain under a block. plane: float32 (BLOCK, BLOCK), or (1, 1) for none; or, where it moves with the dab, a
    grain of its own, (rows, columns), read at each dab's place: moves. moved: the stagger of its columns, px."""

    plane: NDArray[np.float32]
    bite: int
    moves: bool
    exact: bool
    moved: int


class Pictures(NamedTuple):
    """A tip's pictures, all levels end to end, each with a border of nothing 1 px wide.

    pairs: uint32 (channels, n), each a px in its lower 16 bits and its right neighbour in the upper ones, so that one
    read fetches both; the last channel is the cover, those before it red, green and blue, premultiplied, where a coat
    paints with them. levels: where a level begins, its rows and columns, the border left out: (k, 3).
    """

    pairs: NDArray[np.uint32]
    levels: NDArray[np.int64]


NO_TOOTH = Tooth(np.ones((1, 1), np.float32), 0, False, False, 0)
NO_PICTURES = Pictures(np.zeros((1, 1), np.uint32), np.zeros((0, 3), np.int64))


@kernel
def _round_span(dab, dy, low, high):  # type: ignore[no-untyped-def]
    """Where a row crosses the ellipse |m d|^2 < dab[LEVEL]: (first, last + 1), within [low, high)."""
    a = dab[M00] * dab[M00] + dab[M10] * dab[M10]
    b = (dab[M00] * dab[M01] + dab[M10] * dab[M11]) * dy
    c = (dab[M01] * dab[M01] + dab[M11] * dab[M11]) * dy * dy - dab[LEVEL]
    room = b * b - a * c
    if room <= ZERO:
        return low, low
    half = np.sqrt(room)
    first = np.int64(np.floor((-b - half) / a + dab[OX])) - 1
    last = np.int64(np.floor((half - b) / a + dab[OX])) + 2
    return max(first, low), min(last, high)


@kernel
def _round_row(cover, first, dab, dy, width):  # type: ignore[no-untyped-def]
    """Cover of a round dab along a row whose first px lies `first` from its middle: 3s^2 - 2s^3, s = (1 - |m d|^2) /
    (1 - inner^2)."""
    m00, m10 = dab[M00], dab[M10]
    base0, base1 = dab[M01] * dy, dab[M11] * dy
    inner = dab[INNER]
    fall = ONE / (ONE - inner * inner)
    if dab[CRISP] > ZERO:
        m01, m11 = dab[M01], dab[M11]
        for i in range(width):
            dx = np.float32(np.int32(i)) + first
            p, q = m00 * dx + base0, m10 * dx + base1
            gx, gy = m00 * p + m10 * q, m01 * p + m11 * q
            far = (ONE - p * p - q * q) / (TWO * np.sqrt(gx * gx + gy * gy) + _LEAST)
            cover[i] = min(max(far + HALF, ZERO), ONE)
        return
    for i in range(width):
        dx = np.float32(np.int32(i)) + first
        p, q = m00 * dx + base0, m10 * dx + base1
        s = min(max((ONE - p * p - q * q) * fall, ZERO), ONE)
        cover[i] = s * s * (THREE - TWO * s)


@kernel
def _lay_disc(plane, top, left, tooth, place, dab, far, fallen):  # type: ignore[no-untyped-def]
    """The plainest dab in one go: a disc, thinned by its grain, added up in one channel. As the rows below do it.

    fallen: room for (columns,) float32: how far the cover falls by going sideways is the same in every row. Px are
    found by whole numbers that cannot be negative, so that no row need be cut out.
    """
    rows, columns = plane.shape[0], plane.shape[1]
    column, row = place[0] - left, place[1] - top
    ox, m2, inner = dab[OX], dab[M00] * dab[M00], dab[INNER]
    fall = ONE / (ONE - inner * inner)
    flow, cap, strength = dab[FLOW], dab[CAP], dab[GRAIN]
    keep = ONE - strength
    plain = tooth.shape[0] == 1 and tooth.shape[1] == 1
    step = m2 * fall
    three, two = THREE * flow, TWO * flow
    full = cap >= ONE and strength == ONE
    low, high = max(column - far, 0), min(column + far + 1, columns)
    if low >= high:
        return
    spare = min(high + _LANES - 1, columns)
    for x in range(spare - low):
        dx = np.float32(np.int32(low - column + x)) - ox
        fallen[x] = dx * dx * step
    line, bite = plane.reshape(-1), tooth.reshape(-1)
    for y in range(max(row - far, 0), min(row + far + 1, rows)):
        dy = np.float32(y - row) - dab[OY]
        room = ONE - m2 * dy * dy
        if room <= ZERO:
            continue
        half = np.int64(np.sqrt(room / m2)) + 2
        x0, x1 = max(column - half, low), min(column + half + 1, high)
        if x0 >= x1:
            continue
        most = room * fall
        if x1 - x0 < 4 * _LANES:
            # Whole vectors: beyond the disc is no cover, and of a short row few px are left to go by themselves.
            x1 = min(x0 + (x1 - x0 + _LANES - 1) // _LANES * _LANES, spare)
        width, start, begin = x1 - x0, np.uintp(y * columns + x0), np.uintp(x0 - low)
        if plain:
            for i in range(width):
                at = start + np.uintp(i)
                s = min(max(most - fallen[begin + np.uintp(i)], ZERO), ONE)
                line[at] += max(cap - line[at], ZERO) * (s * s * (three - two * s))
        elif full:
            for i in range(width):
                at = start + np.uintp(i)
                s = min(max(most - fallen[begin + np.uintp(i)], ZERO), ONE)
                line[at] += (ONE - line[at]) * (s * s * (three - two * s) * bite[at])
        else:
            for i in range(width):
                at = start + np.uintp(i)
                s = min(max(most - fallen[begin + np.uintp(i)], ZERO), ONE)
                line[at] += max(cap - line[at], ZERO) * (s * s * (three - two * s) * (keep + strength * bite[at]))


@kernel
def _bounds(slope, base, most, ox, low, high):  # type: ignore[no-untyped-def]
    """Columns [low, high) where 0 < slope * (x - ox) + base < most, so that no px need be clamped."""
    if abs(slope) < np.float32(1e-7):
        return (low, high) if ZERO < base < most else (low, low)
    a, b = -base / slope + ox, (most - base) / slope + ox
    first, last = np.int64(np.ceil(min(a, b))), np.int64(np.floor(max(a, b)))
    first, last = max(first, low), min(last + 1, high)
    while first < last:
        u = slope * (np.float32(first) - ox) + base
        if ZERO < u < most:
            break
        first += 1
    while last > first:
        u = slope * (np.float32(last - 1) - ox) + base
        if ZERO < u < most:
            break
        last -= 1
    return first, last


@kernel
def _find(at, right, below, dab, first, base_u, base_v, start, stride, width):  # type: ignore[no-untyped-def]
    """Where in a level each px of a row is read: the px at its upper left, and the shares of the next ones."""
    step_u, step_v = dab[M00], dab[M10]
    for i in range(width):
        dx = np.float32(np.int32(i)) + first
        u, v = step_u * dx + base_u, step_v * dx + base_v
        ui, vi = np.int32(u), np.int32(v)
        right[i], below[i] = u - np.float32(ui), v - np.float32(vi)
        at[i] = start + vi * stride + ui


@kernel
def _gather(row, pairs, at, right, below, upper, lower, stride, width):  # type: ignore[no-untyped-def]
    """One channel of a row, read bilinearly. Reads first, sums after: so the sums vectorise."""
    down, low = np.uint32(stride), np.uint32(65535)
    for i in range(width):
        k = np.uint32(at[i])
        upper[i], lower[i] = pairs[k], pairs[k + down]
    back = ONE / np.float32(65535)
    for i in range(width):
        a, b = np.float32(np.int32(upper[i] & low)), np.float32(np.int32(upper[i] >> np.uint32(16)))
        c, d = np.float32(np.int32(lower[i] & low)), np.float32(np.int32(lower[i] >> np.uint32(16)))
        top, bottom = a + (b - a) * right[i], c + (d - c) * right[i]
        row[i] = (top + (bottom - top) * below[i]) * back


@kernel
def _sharpen(cover, tint, own, gain, width):  # type: ignore[no-untyped-def]
    """Make a row's edges `gain` times as steep about one half."""
    for i in range(width):
        soft = cover[i]
        crisp = min(max((soft - HALF) * gain + HALF, ZERO), ONE)
        cover[i] = crisp
        if own:
            share = crisp / max(soft, np.float32(1e-4))
            for c in range(3):
                tint[c, i] = min(tint[c, i] * share, crisp)


@kernel
def _moving_row(row, tooth, dab, first, dy, width):  # type: ignore[no-untyped-def]
    """The grain under a row of a dab that it moves with."""
    grain = tooth.plane
    rows, columns = grain.shape
    swapped = dab[TSWAP] > ZERO
    for i in range(width):
        dx = np.float32(np.int32(i)) + first
        across, down = dab[TS] * dx - dab[TT] * dy, dab[TT] * dx + dab[TS] * dy
        u, v = (dab[TU] + down, dab[TV] + across) if swapped else (dab[TU] + across, dab[TV] + down)
        ui, vi = np.int64(np.floor(u)), np.int64(np.floor(v))
        fu, fv = u - np.float32(ui), v - np.float32(vi)
        if tooth.exact:
            fu = fv = ZERO
        turn = ui // columns
        x0 = ui - turn * columns
        x1, next_turn = (x0 + 1, turn) if x0 + 1 < columns else (0, turn + 1)
        a, b = (vi - turn * tooth.moved) % rows, (vi + 1 - turn * tooth.moved) % rows
        d, e = (vi - next_turn * tooth.moved) % rows, (vi + 1 - next_turn * tooth.moved) % rows
        left = grain[a, x0] + (grain[b, x0] - grain[a, x0]) * fv
        right = grain[d, x1] + (grain[e, x1] - grain[d, x1]) * fv
        row[i] = left + (right - left) * fu


@kernel
def _bite(cover, tooth, bite, strength, width):  # type: ignore[no-untyped-def]
    """Let the grain, white 1, cut a row of paint; strength 0 leaves it as it is."""
    keep = ONE - strength
    if bite == _MULTIPLY:
        for i in range(width):
            cover[i] *= keep + strength * tooth[i]
    elif bite == _SUBTRACT:
        for i in range(width):
            cover[i] = max(cover[i] - strength * (ONE - tooth[i]), ZERO)
    elif bite == _HEIGHT:
        for i in range(width):
            deep = cover[i] * (ONE + strength * TWO) - (ONE - tooth[i]) * strength * TWO
            cover[i] = min(max(deep, ZERO), ONE)
    elif bite == _OVERLAY:
        for i in range(width):
            p, t = cover[i], tooth[i]
            hard = TWO * p * t if p <= HALF else ONE - TWO * (ONE - p) * (ONE - t)
            cover[i] = p * keep + hard * strength if p > ZERO else ZERO
    elif bite == _DARKEN:
        for i in range(width):
            cover[i] = min(cover[i], keep + strength * tooth[i])
    else:
        for i in range(width):
            deep = (cover[i] - (ONE - tooth[i])) * np.float32(24) + HALF
            cover[i] = cover[i] * keep + strength * min(max(deep, ZERO), ONE) if cover[i] > ZERO else ZERO


@kernel
def _add_row(line, cover, cap, level, width):  # type: ignore[no-untyped-def]
    """One channel: towards the cap by the row's cover, or, staying level, as much as its most."""
    if level:
        for i in range(width):
            line[i] = max(line[i], cap * cover[i])
    elif cap >= ONE:
        for i in range(width):
            line[i] += (ONE - line[i]) * cover[i]
    else:
        for i in range(width):
            line[i] += max(cap - line[i], ZERO) * cover[i]


@kernel
def _add_bitten(line, cover, tooth, flow, cap, strength, width):  # type: ignore[no-untyped-def]
    """One channel, bitten by multiplying: flow, bite and `_add_row` in one go."""
    keep = flow * (ONE - strength)
    strong = flow * strength
    for i in range(width):
        line[i] += max(cap - line[i], ZERO) * (cover[i] * (keep + strong * tooth[i]))


@kernel
def _add_colours(line, cover, tint, before, dab, own, level, width):  # type: ignore[no-untyped-def]
    """Four channels: the dab's colour over the row, and the alpha as `_add_row` has it.

    line: (4 width,), flat, for so the loop vectorises. before: the cover before flow and grain, which the picture's own
    colours are premultiplied by. Changes `tint`.
    """
    cap, least = dab[CAP], np.float32(1e-30)
    if own:
        a0, a1, a2, a3 = dab[C00], dab[C01], dab[C02], dab[C03]
        b0, b1, b2, b3 = dab[C10], dab[C11], dab[C12], dab[C13]
        c0, c1, c2, c3 = dab[C20], dab[C21], dab[C22], dab[C23]
        for i in range(width):
            full = before[i]
            share = cover[i] / max(full, np.float32(1e-6))
            x, y, z = tint[0, i], tint[1, i], tint[2, i]
            tint[0, i] = min(max(a0 * x + a1 * y + a2 * z + a3 * full, ZERO), full) * share
            tint[1, i] = min(max(b0 * x + b1 * y + b2 * z + b3 * full, ZERO), full) * share
            tint[2, i] = min(max(c0 * x + c1 * y + c2 * z + c3 * full, ZERO), full) * share
    else:
        for c in range(3):
            colour, row = dab[C03 + 4 * c], tint[c]
            for i in range(width):
                row[i] = colour * cover[i]
    for i in range(width):
        p = cover[i]
        alpha, stay = line[4 * i + 3], ONE - p
        aim = max(alpha, cap * p) if level else alpha + max(cap - alpha, ZERO) * p
        scale = aim / max(alpha * stay + p, least)
        red = (line[4 * i] * stay + tint[0, i]) * scale
        green = (line[4 * i + 1] * stay + tint[1, i]) * scale
        blue = (line[4 * i + 2] * stay + tint[2, i]) * scale
        line[4 * i], line[4 * i + 1], line[4 * i + 2], line[4 * i + 3] = red, green, blue, aim


@kernel
def lay_dabs(plane, top, left, kind, pictures, tooth, level, places, dabs, reach, order):  # type: ignore[no-untyped-def]
    """Lay dabs, in `order`, into `plane`, whose upper left pixel is (top, left) on the canvas.

    plane: float32 (rows, columns) or (rows, columns, 4). places: (n, 2) whole column and row of each middle. dabs:
    (n, DAB_WIDTH). reach: (n,) whole px. level: whether what is laid stays level within the stroke.
    """
    rows, columns = plane.shape[0], plane.shape[1]
    plain = tooth.plane.shape[0] == 1 and tooth.plane.shape[1] == 1
    channels = pictures.pairs.shape[0]
    own = channels > 1
    cover, tint = np.empty(columns, np.float32), np.empty((3, columns), np.float32)
    before, under = np.empty(columns, np.float32), np.empty(columns, np.float32)
    right, below = np.empty(columns, np.float32), np.empty(columns, np.float32)
    at = np.empty(columns, np.int32)
    upper, lower = np.empty(columns, np.uint32), np.empty(columns, np.uint32)
    for k in range(order.shape[0]):
        n = order[k]
        dab = dabs[n]
        column, row, far = places[n, 0] - left, places[n, 1] - top, reach[n]
        low, high = max(-far, -column), min(far + 1, columns - column)
        flow, strength = dab[FLOW], dab[GRAIN]
        if plane.ndim == 2:  # noqa: SIM102  (the compiler leaves this out for four channels)
            if kind == ROUND and not level and tooth.bite == _MULTIPLY and not tooth.moves and dab[CRISP] == ZERO:  # noqa: SIM102
                if dab[M01] == ZERO and dab[M10] == ZERO and abs(dab[M00]) == abs(dab[M11]):
                    _lay_disc(plane, top, left, tooth.plane, places[n], dab, far, cover)
                    continue
        start, high_px, wide_px = np.int64(0), np.int64(0), np.int64(0)
        if kind == PICTURE:
            start, high_px, wide_px = pictures.levels[np.int64(dab[LEVEL])]
        middle_u, middle_v = np.float32(wide_px + 1) * HALF, np.float32(high_px + 1) * HALF
        for y in range(max(row - far, 0), min(row + far + 1, rows)):
            dy = np.float32(y - row) - dab[OY]
            base_u, base_v = dab[M01] * dy + middle_u, dab[M11] * dy + middle_v
            if kind == PICTURE:
                first, last = _bounds(dab[M00], base_u, np.float32(wide_px + 1), dab[OX], low, high)
                first, last = _bounds(dab[M10], base_v, np.float32(high_px + 1), dab[OX], first, last)
            else:
                first, last = _round_span(dab, dy, low, high)
            width = last - first
            if width <= 0:
                continue
            begin = np.float32(first) - dab[OX]
            if kind == PICTURE:
                stride = np.int32(wide_px + 2)
                _find(at, right, below, dab, begin, base_u, base_v, np.int32(start), stride, width)
                for c in range(channels - 1):
                    _gather(tint[c], pictures.pairs[c], at, right, below, upper, lower, stride, width)
                _gather(cover, pictures.pairs[channels - 1], at, right, below, upper, lower, stride, width)
                if dab[CRISP] > ZERO:
                    _sharpen(cover, tint, own, dab[CRISP], width)
            else:
                _round_row(cover, begin, dab, dy, width)
            if plane.ndim == 2:  # noqa: SIM102
                if tooth.bite == _MULTIPLY and not level and not tooth.moves and not plain:
                    bite = tooth.plane[y, column + first : column + last]
                    _add_bitten(plane[y, column + first : column + last], cover, bite, flow, dab[CAP], strength, width)
                    continue
            if own:
                for i in range(width):
                    before[i] = cover[i]
            if flow != ONE:
                for i in range(width):
                    cover[i] *= flow
            x0 = column + first
            if not plain:
                if tooth.moves:
                    _moving_row(under, tooth, dab, begin, dy, width)
                    _bite(cover, under, tooth.bite, strength, width)
                else:
                    _bite(cover, tooth.plane[y, x0 : x0 + width], tooth.bite, strength, width)
            if plane.ndim == 3:
                line = plane[y].reshape(-1)[4 * x0 : 4 * (x0 + width)]
                _add_colours(line, cover, tint, before, dab, own, level, width)
            else:
                _add_row(plane[y, x0 : x0 + width], cover, dab[CAP], level, width)
