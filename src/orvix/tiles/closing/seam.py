"""Seam: whether the borders of a picture show when it repeats, judged against its own interior.

Every vertical line of the cloth is measured in the same ways (`lines`), in CIE L*a*b* (D65); the line on the border is
compared with the strongest line inside.

X is the largest (border + 0.4) / (strongest inside + 0.4) over these. A step over 64 and more rows that is less than
2.5 dE above the inside raises it by at most 0.14 a dE, to faint: where grain hides it px by px, so little is seen only
by looking for it. C is whether the border is blurred: its gradient energy over the weakest inside, in 16, 32, 64 and
128 lines, the wider ones only where fine beside coarse contrast is weaker than anywhere inside, so that calm places are
not taken for blurred ones. The full form adds N, whether what meets at the border is like what meets elsewhere
(`structure`), S, whether it would meet better if one side slipped along the border (`slip`), and M, whether the tile is
mirrored there. The value is the largest of X, N / 1.25 where X is at least 0.8, S / 1.25 where S is over 1, and
1 / (1.2 C) where C is under 1; from X = 4 on N and S are left out. Horizontal lines are the vertical ones of the
transpose.

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
from scipy.fft import irfft, rfft

from orvix.errors import BadValue
from orvix.pictures.writing import flat_rgb
from orvix.progress import UNWATCHED, Stopped, Watch
from orvix.tiles.closing.lines import LONG, STATISTICS, line_statistics
from orvix.tiles.closing.structure import LEAST_SIDE, structure
from orvix.tiles.repeats import Repeat, cloth
from orvix.tiles.state import TileState

FLOOR = 0.4
SEAMLESS, FAINT = 1.10, 1.35
MIRRORED = 0.5
EMPTY = 0.01
BANDS = (32, 64, 128)
"""Lines in which a blurred border is looked for besides the 16 at it."""
LEAST_FOR_N, PLAIN = 0.8, 4.0
"""Under the one of X structure does not count; from the other on the border is seen whatever else is read."""
SLIGHT, A_DE = 2.5, 0.14
"""dE under which a long step is slight, and how much of X each dE of it is then."""
SLACK = 1.25
"""How much less like the rest a border may be than the least like line inside: rare pieces lie somewhere."""
CALM = 1.2
"""How much calmer a border may be than the calmest place inside: by chance little lies somewhere."""
SLIP_PX, SLIP_REACH = 64, 4
_MARGIN = 18
_PIECE = 16
_AT_ONCE = 480
_LOOK_UP_S = 0.02


@dataclass(frozen=True)
class Seam:
    """value: the larger of the two borders; verdict: seamless, faint or visible; edges: the value of each border.

    strongest: what decides; along: for each border, how far each 16 px of it stands out (border over strongest line
    inside), from the upper or left end. at: where the border that decides lies, as a move (x, y) in px. parts: X, N, C,
    S and M of the border that decides, those that were taken. mirrored: whether the tile is mirrored at a border.
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
        raise BadValue(
            "picture", f"{columns}x{rows}", "The picture is too small to read a seam. It needs 40 px a side."
        )
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
    above = border - inside
    slight = LONG & (above > 0) & (above < SLIGHT)
    ratio[slight] = np.minimum(ratio[slight], 1 + A_DE * above[slight])
    worst = int(np.argmax(ratio))
    parts = {"X": round(float(ratio[worst]), 4), "C": round(_blurred(measured, first, last), 4)}
    if full:
        if min(lab.shape[:2]) >= LEAST_SIDE and LEAST_FOR_N <= parts["X"] < PLAIN:
            parts["N"] = round(_structure(lab, moved, halt), 4)
        if parts["X"] < PLAIN:
            parts["S"] = round(slip(strip, first, last), 4)
        parts["M"] = round(_mirror(strip, first, last), 4)
    value, strongest = parts["X"], STATISTICS[worst]
    if parts.get("N", 0.0) / SLACK > value:
        value, strongest = parts["N"] / SLACK, "structure"
    if parts.get("S", 0.0) > 1 and parts["S"] / SLACK > value:
        value, strongest = parts["S"] / SLACK, "slipped"
    if parts["C"] < 1 and 1 / (CALM * parts["C"]) > value:
        value, strongest = 1 / (CALM * parts["C"]), "blurred border"
    return _Border(float(value), strongest, _along(strip, float(inside[2])), parts)


def _blurred(measured: NDArray[np.float64], first: int, last: int) -> float:
    """C: the gradient near the border over the weakest inside, the least of it in 16 lines and in BANDS."""
    grad, coarse = measured[STATISTICS.index("grad")], measured[STATISTICS.index("step 16 over 16")]
    inside = np.convolve(grad[first : last + 1], np.full(16, 1 / 16), mode="valid")
    near = (grad[first : first + 8].sum() + grad[last - 7 : last + 1].sum()) / 16
    if near < EMPTY:
        return 1.0  # nothing lies there, as in an empty rim; what is blurred still has its noise
    found = float((near + FLOOR) / (inside[8:-8].min() + FLOOR)) if len(inside) > 32 else 1.0
    for lines in BANDS:
        if lines > (last - first) // 5:
            break
        fine, broad = (_in_bands(one[first:last], lines) for one in (grad, coarse))
        sharp = (fine + FLOOR) / (broad + FLOOR)
        if fine[0] >= EMPTY and sharp[0] < sharp[lines:-lines].min():
            found = min(found, float((fine[0] + FLOOR) / (fine[lines:-lines].min() + FLOOR)))
    return found


def _in_bands(values: NDArray[np.float64], lines: int) -> NDArray[np.float64]:
    """Means over so many lines, round and round: the first of them has the border in its middle."""
    half = lines // 2
    around = np.concatenate([values[-half:], values, values[: lines - half]])
    return np.convolve(around, np.full(lines, 1 / lines), mode="valid")[: len(values)]


def _unless_halted(halt: Event) -> None:
    if halt.is_set():
        raise Stopped("Cancelled.")


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


def slip(strip: NDArray[np.float32], first: int, last: int) -> float:
    """S: how much better the two sides of the border agree when one slips along it, over the most inside.

    strip: Lab (rows, columns, 3), first and last as in `_border`. Both sides are means of 4 columns; what agrees best
    is sought by circular correlation up to 64 rows either way, and counts in dE. Where something is cut and does not
    go on, it goes on a little further up or down.
    """
    # Each column with those after it, so that the side before a line begins SLIP_REACH columns before it.
    means = cv2.boxFilter(strip, -1, (SLIP_REACH, 1), anchor=(0, 0), borderType=cv2.BORDER_REPLICATE)
    spectra = rfft(np.ascontiguousarray(means.transpose(1, 2, 0)), axis=2)
    spectra[:, :, 0] = 0  # the mean of a side is light, not structure
    lines = np.array([first, last, *range(first + 8, last - 7)])
    parts = np.array_split(lines, -(-len(lines) // 128))
    gains = np.concatenate([_slips(spectra[some - SLIP_REACH], spectra[some], strip.shape[0]) for some in parts])
    return float((gains[:2].max() + FLOOR) / (gains[2:].max(initial=0.0) + FLOOR))


def _slips(before: NDArray[np.complex64], after: NDArray[np.complex64], rows: int) -> NDArray[np.float32]:
    """How many dE better both sides of each line agree where one slips along it; spectra (lines, 3, frequencies)."""
    most = min(SLIP_PX, rows // 4)
    agreement = irfft((before.conj() * after).sum(axis=1), rows, axis=1) / rows
    best = np.maximum(agreement[:, : most + 1].max(axis=1), agreement[:, -most:].max(axis=1))
    return np.asarray(np.sqrt(2 * np.maximum(best - agreement[:, 0], 0)), np.float32)


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


def already_closes(state: TileState) -> bool:
    """Whether a tile closes before anything is mended: its source does, or its borders read seamless in full."""
    if state.wraps or state.closes is not None or min(state.width, state.height) < LEAST_SIDE:
        return state.wraps or bool(state.closes)
    rgb = flat_rgb(state.pixels)
    return not _plainly_open(rgb, state.repeat) and seam(rgb, state.repeat, full=True).verdict == "seamless"


def _plainly_open(rgb: NDArray[np.float32], repeat: Repeat) -> bool:
    """Whether the mean colour step across a border alone reads visible: what X would say, without the other lines."""
    lab = cv2.cvtColor(np.ascontiguousarray(rgb), cv2.COLOR_RGB2Lab)
    rows, columns = lab.shape[:2]
    moved = repeat.stagger_px(columns, rows)
    ways = ((0, moved if repeat.kind == "brick" else 0), (1, moved if repeat.kind == "half-drop" else 0))
    for axis, shift in ways:
        inside = np.sqrt(np.square(np.diff(lab, axis=axis)).sum(axis=2)).mean(axis=1 - axis).max()
        first, last = np.take(lab, 0, axis=axis), np.take(lab, -1, axis=axis)
        step = float(np.sqrt(np.square(np.roll(first, shift, axis=0) - last).sum(axis=1)).mean())
        if (step + FLOOR) / (float(inside) + FLOOR) > FAINT:
            return True
    return False
