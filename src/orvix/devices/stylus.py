"""The stylus stand-in: recorded strokes, as a pen on an uneven hand would send them.

Steps between samples are 4 to 17 ms, pressure is noisy, the pen stops once, and one sample is lost on the way. All
chance comes from the seed, so a recording is the same every time.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from math import cos, pi, sin
from typing import Any

import numpy as np

from orvix.chance import chance
from orvix.errors import UnknownName
from orvix.strokes.samples import Samples, X, Y

Point = tuple[float, float]
Path = Callable[[float], Point]
Press = Callable[[float], float]


@dataclass(frozen=True)
class Hand:
    """How a recording is made: its path and pressure over a share 0 to 1, how long it takes, and its flaws."""

    path: Path
    pressure: Press
    lasts_ms: float = 900.0
    noise: float = 0.03
    stop_at: float | None = 0.55
    lose_at: float | None = 0.3


def record(hand: Hand, seed: int) -> Samples:
    """Samples (n, 7) of one stroke: time from 0, tilt and twist of a hand that turns a little on the way."""

    def draw(number: int, prop: int) -> float:
        return float(chance(np.uint64(seed), np.uint64(900), np.uint64(number), np.uint64(0), np.uint64(prop)))

    rows: list[list[float]] = []
    clock = share = 0.0
    number = 0
    stopped = hand.stop_at is None
    while True:
        x, y = hand.path(min(share, 1.0))
        press = hand.pressure(min(share, 1.0)) + hand.noise * (2 * draw(number, 1) - 1)
        lost = hand.lose_at is not None and abs(share - hand.lose_at) < 9.0 / hand.lasts_ms / 2
        if not lost or not rows:
            tilt = (30 + 12 * share, -14 + 20 * share, (20 * share) % 360)
            rows.append([clock, x, y, min(max(press, 0.0), 1.0), *tilt])
        if share >= 1.0:
            return np.array(rows)
        step = 4.0 + 13.0 * draw(number, 2)
        number += 1
        clock += step
        if not stopped and hand.stop_at is not None and share >= hand.stop_at:
            stopped = True
            for _ in range(4):
                rows.append([clock, *rows[-1][1:]])
                clock += 16.0
        share += step / hand.lasts_ms


def _even(_: float) -> float:
    return 0.75


def _swell(share: float) -> float:
    return 0.05 + 0.95 * sin(pi * share) ** 2


def _line(a: Point, b: Point) -> Path:
    return lambda share: (a[0] + (b[0] - a[0]) * share, a[1] + (b[1] - a[1]) * share)


def _through(*points: Point) -> Path:
    def path(share: float) -> Point:
        at = share * (len(points) - 1)
        n = min(int(at), len(points) - 2)
        return _line(points[n], points[n + 1])(at - n)

    return path


def _bend(share: float) -> Point:
    return 0.12 + 0.76 * share, 0.78 - 0.56 * sin(pi * share)


def _spiral(share: float) -> Point:
    turn, reach = 4.6 * pi * share, 0.06 + 0.34 * share
    return 0.5 + reach * cos(turn), 0.52 + reach * sin(turn)


def _wave(share: float) -> Point:
    return 0.08 + 0.84 * share, 0.52 + 0.2 * sin(2 * pi * share)


def _slowing(share: float) -> Point:
    """A wave that begins fast and ends at a tenth of the speed."""
    along = 1 - (1 - share) ** 2.4
    return 0.08 + 0.84 * along, 0.55 - 0.22 * sin(2 * pi * along)


_THERE_AND_BACK = _through((0.1, 0.36), (0.9, 0.36), (0.9, 0.7), (0.1, 0.7))
_CORNER = _through((0.1, 0.82), (0.34, 0.2), (0.6, 0.82), (0.9, 0.25))

TRIALS: dict[str, Hand] = {
    "level": Hand(_line((0.1, 0.5), (0.9, 0.5)), _even, 500),
    "plumb": Hand(_line((0.5, 0.12), (0.5, 0.9)), _even, 500),
    "slant": Hand(_line((0.12, 0.84), (0.88, 0.2)), _even, 600),
    "bend": Hand(_bend, _even),
    "tight corner": Hand(_CORNER, _even),
    "spiral": Hand(_spiral, _even, 1600),
    "there and back": Hand(_THERE_AND_BACK, _even, 1100),
    "pressure swell": Hand(_wave, _swell),
    "taps": Hand(_line((0, 0), (0, 0)), _even),
    "fast to slow": Hand(_slowing, _even, 900, stop_at=None),
}
SHOWN = tuple(TRIALS)
_TAPS = ((0.2, 0.35, 0.25), (0.4, 0.65, 0.5), (0.62, 0.35, 0.75), (0.82, 0.62, 1.0))
CELLS = {"tall": (156, 170), "low": (156, 85)}
"""The room of each stroke on a sheet: tall, or low where two sheets are shown together."""
COLUMNS = 5


def trial_strokes(
    names: tuple[str, ...] = SHOWN, factor: int = 1, colour: str | None = None, cell: tuple[int, int] = CELLS["tall"]
) -> dict[str, Any]:
    """The trial strokes laid out on one sheet, five to a row, as STROKES.json holds them.

    factor: how many times larger the hand moves, for a sheet that is shown at 1 / factor. cell: the room of each
    stroke, px. Raises UnknownName.
    """
    strokes: list[dict[str, Any]] = []
    for n, name in enumerate(names):
        if name not in TRIALS:
            raise UnknownName("trial stroke", name, list(TRIALS))
        left, top = n % COLUMNS * cell[0], n // COLUMNS * cell[1]
        short = min(cell)
        shape = (short, short) if name == "spiral" else cell
        inset = ((cell[0] - shape[0]) / 2, (cell[1] - shape[1]) / 2)
        for samples in _recordings(name, n):
            samples[:, X] = np.round((left + inset[0] + samples[:, X] * shape[0]) * factor, 3)
            samples[:, Y] = np.round((top + inset[1] + samples[:, Y] * shape[1]) * factor, 3)
            stroke: dict[str, Any] = {"seed": len(strokes) + 1, "samples": np.round(samples, 4).tolist()}
            strokes.append(stroke | ({"colour": colour} if colour else {}))
    return {"strokes": strokes}


def sheet_size(names: tuple[str, ...] = SHOWN, cell: tuple[int, int] = CELLS["tall"]) -> tuple[int, int]:
    """Width and height of the sheet of these strokes, in px at scale 1."""
    return COLUMNS * cell[0], -(-len(names) // COLUMNS) * cell[1]


def _recordings(name: str, seed: int) -> list[Samples]:
    if name != "taps":
        return [record(TRIALS[name], seed)]
    taps = []
    for x, y, press in _TAPS:
        taps.append(np.array([[0, x, y, press / 2, 30, 0, 0], [16, x, y, press, 30, 0, 0], [32, x, y, 0, 30, 0, 0]]))
    return taps
