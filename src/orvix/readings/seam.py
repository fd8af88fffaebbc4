"""Seam: whether the borders of a picture show when it repeats, judged against its own interior.

Every vertical line of the cloth is measured in the same ways, in CIE L*a*b* (D65); the line on the border is compared
with the strongest line inside. For line b, with g_b(y) the colour step between columns b - 1 and b:

- grad: mean over y of g_b; resid: mean over y of |g_b - (g_(b-1) + g_(b+1)) / 2|;
- step(k, L): root mean square over y of the box mean over L rows of (mean of k columns after - mean of k before),
  for k in 1, 4, 16 and L in 1, 16, 64 and all rows.

X is the largest (border + 0.4) / (strongest inside + 0.4) over these. The full form adds N, whether what meets at the
border is like what meets elsewhere (`structure`), and M, whether the tile is mirrored there; C is whether the border
is blurred: its gradient energy over the weakest inside. The value is the largest of X, N / 1.25 where X is at least
0.8, and 1 / (1.2 C) where C is under 1. Horizontal lines are the vertical ones of the transpose.

A move hides a fault: so the reading is also taken where the original borders lie now, and the larger counts.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor, wait
from dataclasses import dataclass, field
from threading import Event
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.compiling import kernel, kernel_with
from orvix.errors import BadValue
from orvix.progress import UNWATCHED, Stopped, Watch
from orvix.readings.registry import READINGS, Reading, Subject
from orvix.readings.structure import LEAST_SIDE, structure
from orvix.tiles.repeats import Repeat, cloth

REACHES = (1, 4, 16)
BOXES = (1, 16, 64)
FLOOR = 0.4
SEAMLESS, FAINT = 1.10, 1.35
MIRRORED = 0.5
EMPTY = 0.01
SLACK = 1.25
"""How much less like the rest a border may be than the least like line inside: rare pieces lie somewhere."""
CALM = 1.2
"""How much calmer a border may be than the calmest place inside: by chance little lies somewhere."""
_MARGIN = 18
_PIECE = 16
_AT_ONCE = 480
_LOOK_UP_S = 0.02

STATISTICS = ("grad", "resid", *(f"step {k} over {L}" for k in REACHES for L in (*BOXES, "all")))


@dataclass(frozen=True)
class Seam:
    """value: the larger of the two borders; verdict: seamless, faint or visible; edges: the value of each border.

    strongest: what decides; along: for each border, how far each 16 px of it stands out (border over strongest line
    inside), from the upper or left end. at: where the border that decides lies, as a move (x, y) in px. parts: X, N, C
    and M of the border that decides, those that were taken. mirrored: whether the tile is mirrored at a border.
    """

    value: float
    verdict: str
    by_construction: bool
    edges: dict[str, float]
    strongest: str
    along: dict[str, list[float]] = field(default_factory=dict)
    at: tuple[int, int] = (0, 0)
    parts: dict[str, float] = field(default_factory=dict)
    mirrored: bool = False

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it."""
        told: dict[str, Any] = {"value": self.value, "verdict": self.verdict, "by_construction": self.by_construction}
        told |= {"edges": self.edges, "strongest": self.strongest, "along": self.along}
        return told | {"at": list(self.at), "parts": self.parts, "mirrored": self.mirrored, "applies": True}


@dataclass(frozen=True)
class _Border:
    """One border: its value, what decides, how far each piece of it stands out, and its parts."""

    value: float
    strongest: str
    along: list[float]
    parts: dict[str, float]


def seam(
    rgb: NDArray[np.float32], repeat: Repeat, *, by_construction: bool = False, full: bool = False,
    borders: tuple[tuple[int, int], ...] = ((0, 0),), watch: Watch = UNWATCHED,
) -> Seam:  # fmt: skip
    """Read the seam of a picture, float32 (rows, columns, 3) in 0 to 1, sRGB-encoded.

    by_construction: whether closing is proven; the verdict is then "seamless" and the number stands beside it. full: N
    and M too. borders: where the original borders lie now, as moves (x, y) in px. Raises BadValue for a picture under
    40 px a side, and Stopped where `watch` asks for it.
    """
    rows, columns = rgb.shape[:2]
    if min(rows, columns) < 40:
        raise BadValue("picture", f"{columns}x{rows}", "a seam is read from 40 px a side")
    lab = cv2.cvtColor(np.ascontiguousarray(rgb, dtype=np.float32), cv2.COLOR_RGB2Lab)
    readings = []
    for x, y in dict.fromkeys([(0, 0), *borders]):
        moved = cloth(lab, repeat, y, x, rows, columns) if (x, y) != (0, 0) else lab
        readings.append(_read_at(moved, repeat, full, by_construction, (x, y), watch))
    return max(readings, key=lambda one: one.value)


def _read_at(
    lab: NDArray[np.float32], repeat: Repeat, full: bool, proven: bool, at: tuple[int, int], watch: Watch
) -> Seam:
    rows, columns = lab.shape[:2]
    moved = repeat.stagger_px(columns, rows)
    down = moved if repeat.kind == "half-drop" else 0
    aside = moved if repeat.kind == "brick" else 0
    with ThreadPoolExecutor(2) as both:
        halt = Event()
        left_border = both.submit(_border, lab, down, full, halt)
        top_border = both.submit(_border, lab.transpose(1, 0, 2), aside, full, halt)
        while wait((left_border, top_border), _LOOK_UP_S).not_done:
            if watch.asked_to_stop():
                halt.set()
        left, top = left_border.result(), top_border.result()
    worst = left if left.value >= top.value else top
    verdict = "seamless" if proven or worst.value <= SEAMLESS else "faint" if worst.value <= FAINT else "visible"
    edges = {"left_right": left.value, "top_bottom": top.value}
    along = {"left_right": left.along, "top_bottom": top.along}
    mirrored = any(one.parts.get("M", 1.0) < MIRRORED for one in (left, top))
    return Seam(worst.value, verdict, proven, edges, worst.strongest, along, at, worst.parts, mirrored)


def _border(lab: NDArray[np.float32], moved: int, full: bool, halt: Event) -> _Border:
    """The left and right border of a Lab picture; given up, by Stopped, once `halt` is set."""
    after = np.roll(lab[:, :_MARGIN], moved, axis=0)
    before = np.roll(lab[:, -_MARGIN:], -moved, axis=0)
    strip = np.concatenate([before, lab, after], axis=1)
    lines = strip.shape[1] + 1
    measured = np.zeros((len(STATISTICS), lines))
    for start in range(16, lines - 16, _AT_ONCE):
        _unless_halted(halt)
        stop = min(start + _AT_ONCE, lines - 16)
        part = np.ascontiguousarray(strip[:, start - 16 : stop + 15].transpose(0, 2, 1))
        measured[:, start:stop] = line_statistics(part)[:, 16 : 16 + stop - start]
    first, last = _MARGIN, _MARGIN + lab.shape[1]
    border = np.maximum(measured[:, first], measured[:, last])
    inside = measured[:, first + 1 : last].max(axis=1)
    ratio = (border + FLOOR) / (inside + FLOOR)
    worst = int(np.argmax(ratio))
    parts = {"X": round(float(ratio[worst]), 4), "C": round(_blurred(measured[0], first, last), 4)}
    if full:
        if min(lab.shape[:2]) >= LEAST_SIDE:
            parts["N"] = round(_structure(lab, moved, halt), 4)
        parts["M"] = round(_mirror(strip, first, last), 4)
    value, strongest = parts["X"], STATISTICS[worst]
    if parts["X"] >= 0.8 and parts.get("N", 0.0) / SLACK > value:
        value, strongest = parts["N"] / SLACK, "structure"
    if parts["C"] < 1 and 1 / (CALM * parts["C"]) > value:
        value, strongest = 1 / (CALM * parts["C"]), "blurred border"
    return _Border(float(value), strongest, _along(strip, float(inside[2])), parts)


def _blurred(grad: NDArray[np.float64], first: int, last: int) -> float:
    """C: the gradient near the border over the weakest inside, both as means over 16 lines."""
    inside = np.convolve(grad[first : last + 1], np.full(16, 1 / 16), mode="valid")
    near = (grad[first : first + 8].sum() + grad[last - 7 : last + 1].sum()) / 16
    if near < EMPTY:
        return 1.0  # nothing lies there, as in an empty rim; what is blurred still has its noise
    return float((near + FLOOR) / (inside[8:-8].min() + FLOOR)) if len(inside) > 32 else 1.0


def _unless_halted(halt: Event) -> None:
    if halt.is_set():
        raise Stopped("stopped: as asked")


def _structure(lab: NDArray[np.float32], moved: int, halt: Event) -> float:
    """N of the border, brought to the middle of a strip of the cloth; large pictures are reduced to 1024 rows."""
    half = lab.shape[1] // 2
    strip = np.concatenate([np.roll(lab[:, half:], -moved, axis=0), lab[:, :half]], axis=1)
    line = lab.shape[1] - half
    scale = min(1024 / max(strip.shape[:2]), 1.0)
    if scale < 1:
        size = max(round(strip.shape[1] * scale), 40), max(round(strip.shape[0] * scale), 40)
        strip, line = cv2.resize(strip, size, interpolation=cv2.INTER_AREA), round(line * scale)
    return structure(strip, line, between=lambda: _unless_halted(halt))


def _mirror(strip: NDArray[np.float32], first: int, last: int) -> float:
    """M: how far the two sides of the border are from mirror pictures, over the nearest to one inside."""

    def asymmetry(line: int) -> float:
        return float(np.abs(strip[:, line : line + 8] - strip[:, line - 8 : line][:, ::-1]).mean()) + 0.05

    inside = range(first + 9, last - 9, max((last - first) // 64, 1))
    return min(asymmetry(first), asymmetry(last)) / min((asymmetry(line) for line in inside), default=1.0)


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


def take(subject: Subject, quick: bool = False) -> dict[str, Any]:
    """The seam of a subject, as JSON types; where it is too small to be read it says so."""
    if min(subject.width, subject.height) < 40:
        unread = Seam(1.0, "too small to read", subject.proven, {"left_right": 1.0, "top_bottom": 1.0}, "")
        return unread.as_dict() | {"applies": False}
    taken = seam(
        subject.rgb, subject.repeat, by_construction=subject.proven, full=not quick, borders=subject.borders,
        watch=subject.watch,
    )  # fmt: skip
    return taken.as_dict()


READINGS.add("seam", Reading("seam", "Seam", "Whether the borders show when the tile repeats.", take))
