"""What every vertical line of a picture in CIE L*a*b* shows: how strong a step lies there, measured in many ways.

For line b, with g_b(y) the colour step between columns b - 1 and b:

- grad: mean over y of g_b; resid: mean over y of |g_b - (g_(b-1) + g_(b+1)) / 2|;
- step(k, L): root mean square over y of the box mean over L rows of (mean of k columns after - mean of k before),
  for k in 1, 4, 16 and L in 1, 16, 64 and all rows.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from orvix.compiling import kernel, kernel_with

REACHES = (1, 4, 16)
BOXES = (1, 16, 64)
STATISTICS = ("grad", "resid", *(f"step {k} over {L}" for k in REACHES for L in (*BOXES, "all")))
LONG = np.array([name.endswith(("over 64", "over all")) for name in STATISTICS])
"""Which of them are taken over many rows."""


def line_statistics(strip: NDArray[np.float32]) -> NDArray[np.float64]:
    """All statistics of all lines: float64 (14, columns + 1), line b lying left of column b.

    strip: float32 (rows, 3, columns). Lines with fewer than 16 columns on a side hold zeros.
    """
    rows, _, columns = strip.shape
    out = np.zeros((len(STATISTICS), columns + 1))
    _gradients(strip, out)
    _steps(strip, out[2:])
    out[:2] /= rows
    for n in range(2, len(STATISTICS)):
        out[n] = np.sqrt(out[n])
    return out


@kernel
def _gradients(strip, out):  # type: ignore[no-untyped-def]
    """Sums over rows of g_b and of its departure from its neighbours' mean; unchecked kernel."""
    rows, _, columns = strip.shape
    half = np.float32(0.5)
    g = np.zeros(columns + 1, np.float32)
    sums = np.zeros((2, columns + 1), np.float32)
    for y in range(rows):
        light, green, blue = strip[y, 0], strip[y, 1], strip[y, 2]
        for b in range(1, columns):
            d0, d1, d2 = light[b] - light[b - 1], green[b] - green[b - 1], blue[b] - blue[b - 1]
            g[b] = np.sqrt(d0 * d0 + d1 * d1 + d2 * d2)
        for b in range(16, columns - 15):
            sums[0, b] += g[b]
            sums[1, b] += abs(g[b] - half * (g[b - 1] + g[b + 1]))
        if y % 64 == 63 or y == rows - 1:
            _flush(sums, out)


@kernel_with(error_model="python")
def _flush(sums, out):  # type: ignore[no-untyped-def]
    for n in range(sums.shape[0]):
        for b in range(sums.shape[1]):
            out[n, b] += sums[n, b]
            sums[n, b] = np.float32(0.0)


@kernel
def _steps(strip, out):  # type: ignore[no-untyped-def]
    """Mean squares of step(k, L) for k in 1, 4, 16 and L in 1, 16, 64, all, in out (12, columns + 1); unchecked kernel.

    Sums of k neighbours are doubled up; sums of 16 and 64 rows run on, the rows that leave them being kept.
    """
    rows, channels, columns = strip.shape
    lines = columns + 1
    kept = np.zeros((64, channels, 3, lines), np.float32)
    short = np.zeros((channels, 3, lines), np.float32)
    long = np.zeros((channels, 3, lines), np.float32)
    whole = np.zeros((channels, 3, lines), np.float32)
    room = np.zeros(lines, np.float32)
    step = np.zeros(lines, np.float32)
    sums = np.zeros((9, lines), np.float32)
    flushed = np.zeros((9, lines))
    for y in range(rows):
        for c in range(channels):
            room[:columns] = strip[y, c]
            span = 1
            for n in range(3):
                reach = 4**n
                while span < reach:
                    for x in range(columns - span):
                        room[x] += room[x + span]
                    span *= 2
                share = np.float32(1.0 / reach)
                for b in range(16, columns - 15):
                    step[b] = (room[b] - room[b - reach]) * share
                _grow(step, kept[(y - 16) % 64, c, n], kept[y % 64, c, n], short[c, n], long[c, n], whole[c, n])
                _add_squares(step, sums[3 * n])
                if y >= 15:
                    _add_squares(short[c, n], sums[3 * n + 1])
                if y >= 63:
                    _add_squares(long[c, n], sums[3 * n + 2])
        if y % 64 == 63 or y == rows - 1:
            _flush(sums, flushed)
    for n in range(3):
        out[4 * n] = flushed[3 * n] / rows
        out[4 * n + 1] = flushed[3 * n + 1] / (256.0 * max(rows - 15, 1))
        out[4 * n + 2] = flushed[3 * n + 2] / (4096.0 * max(rows - 63, 1))
        for c in range(channels):
            for b in range(lines):
                mean = whole[c, n, b] / rows
                out[4 * n + 3, b] += mean * mean


@kernel_with(error_model="python")
def _grow(step, sixteenth, oldest, short, long, whole):  # type: ignore[no-untyped-def]
    """Move the running sums of 16, 64 and all rows on by one row, and keep that row where the oldest stood."""
    for b in range(step.shape[0]):
        short[b] += step[b] - sixteenth[b]
        long[b] += step[b] - oldest[b]
        whole[b] += step[b]
        oldest[b] = step[b]


@kernel_with(error_model="python")
def _add_squares(values, sums):  # type: ignore[no-untyped-def]
    for b in range(values.shape[0]):
        sums[b] += values[b] * values[b]
