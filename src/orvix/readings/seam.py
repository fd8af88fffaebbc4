"""Seam: whether the borders of a picture show when it repeats, judged against its own interior.

Every vertical line of the cloth is measured in the same ways, in CIE L*a*b* (D65); the line on the border is compared
with the strongest line inside. For line b, with g_b(y) the colour step between columns b - 1 and b:

- grad: mean over y of g_b; resid: mean over y of |g_b - (g_(b-1) + g_(b+1)) / 2|;
- step(k, L): root mean square over y of the box mean over L rows of (mean of k columns after - mean of k before),
  for k in 1, 4, 16 and L in 1, 16, 64 and all rows.

The reading is the largest (border + 0.4) / (strongest inside + 0.4) over these, for both borders. Horizontal lines are
the vertical ones of the transpose. A move hides a fault: measure where the original border lies.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Any

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from orvix.errors import BadValue
from orvix.tiles.repeats import Repeat

REACHES = (1, 4, 16)
BOXES = (1, 16, 64)
FLOOR = 0.4
SEAMLESS, FAINT = 1.10, 1.35
_MARGIN = 18
_PIECE = 16
_AT_ONCE = 480

STATISTICS = ("grad", "resid", *(f"step {k} over {L}" for k in REACHES for L in (*BOXES, "all")))


@dataclass(frozen=True)
class Seam:
    """value: X, the larger of the two borders; verdict: seamless, faint or visible; edges: X of each border.

    strongest: the statistic that decides; along: for each border, how far each 16 px of it stands out (border over
    strongest line inside), from the upper or left end.
    """

    value: float
    verdict: str
    by_construction: bool
    edges: dict[str, float]
    strongest: str
    along: dict[str, list[float]] = field(default_factory=dict)

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it."""
        told: dict[str, Any] = {"value": self.value, "verdict": self.verdict, "by_construction": self.by_construction}
        return told | {"edges": self.edges, "strongest": self.strongest, "along": self.along}


def seam(rgb: NDArray[np.float32], repeat: Repeat, *, by_construction: bool = False) -> Seam:
    """Read the seam of a picture, float32 (rows, columns, 3) in 0 to 1, sRGB-encoded.

    by_construction: whether closing is proven; the verdict is then "seamless" and the number stands beside it. Raises
    BadValue for a picture under 40 px on a side.
    """
    rows, columns = rgb.shape[:2]
    if min(rows, columns) < 40:
        raise BadValue("picture", f"{columns}x{rows}", "a seam is read from 40 px a side")
    lab = cv2.cvtColor(np.ascontiguousarray(rgb, dtype=np.float32), cv2.COLOR_RGB2Lab)
    moved = repeat.stagger_px(columns, rows)
    down = moved if repeat.kind == "half-drop" else 0
    aside = moved if repeat.kind == "brick" else 0
    with ThreadPoolExecutor(2) as both:
        left_border = both.submit(_border, lab, down)
        top_border = both.submit(_border, lab.transpose(1, 0, 2), aside)
        left, top = left_border.result(), top_border.result()
    value, strongest, _ = max(left, top, key=lambda border: border[0])
    verdict = "seamless" if by_construction or value <= SEAMLESS else "faint" if value <= FAINT else "visible"
    edges = {"left_right": left[0], "top_bottom": top[0]}
    along = {"left_right": left[2], "top_bottom": top[2]}
    return Seam(value, verdict, by_construction, edges, strongest, along)


def _border(lab: NDArray[np.float32], moved: int) -> tuple[float, str, list[float]]:
    """X of the left and right border of a Lab picture, the statistic that decides, and where it stands out."""
    after = np.roll(lab[:, :_MARGIN], moved, axis=0)
    before = np.roll(lab[:, -_MARGIN:], -moved, axis=0)
    strip = np.concatenate([before, lab, after], axis=1)
    lines = strip.shape[1] + 1
    measured = np.zeros((len(STATISTICS), lines))
    for start in range(16, lines - 16, _AT_ONCE):
        stop = min(start + _AT_ONCE, lines - 16)
        part = np.ascontiguousarray(strip[:, start - 16 : stop + 15].transpose(0, 2, 1))
        measured[:, start:stop] = line_statistics(part)[:, 16 : 16 + stop - start]
    first, last = _MARGIN, _MARGIN + lab.shape[1]
    border = np.maximum(measured[:, first], measured[:, last])
    inside = measured[:, first + 1 : last].max(axis=1)
    ratio = (border + FLOOR) / (inside + FLOOR)
    worst = int(np.argmax(ratio))
    return float(ratio[worst]), STATISTICS[worst], _along(strip, float(inside[2]))


def _along(strip: NDArray[np.float32], inside: float) -> list[float]:
    step = strip[:, _MARGIN] - strip[:, _MARGIN - 1]
    energy = (step * step).sum(axis=1)
    pieces = [energy[start : start + _PIECE] for start in range(0, len(energy), _PIECE)]
    return [round((float(np.sqrt(piece.mean())) + FLOOR) / (inside + FLOOR), 3) for piece in pieces]


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


@njit(nogil=True, cache=True, error_model="numpy")
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


@njit(nogil=True, cache=True)
def _flush(sums, out):  # type: ignore[no-untyped-def]
    for n in range(sums.shape[0]):
        for b in range(sums.shape[1]):
            out[n, b] += sums[n, b]
            sums[n, b] = np.float32(0.0)


@njit(nogil=True, cache=True, error_model="numpy")
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


@njit(nogil=True, cache=True)
def _grow(step, sixteenth, oldest, short, long, whole):  # type: ignore[no-untyped-def]
    """Move the running sums of 16, 64 and all rows on by one row, and keep that row where the oldest stood."""
    for b in range(step.shape[0]):
        short[b] += step[b] - sixteenth[b]
        long[b] += step[b] - oldest[b]
        whole[b] += step[b]
        oldest[b] = step[b]


@njit(nogil=True, cache=True)
def _add_squares(values, sums):  # type: ignore[no-untyped-def]
    for b in range(values.shape[0]):
        sums[b] += values[b] * values[b]
