"""Printers' screens: dots or lines of one size on a turned square lattice, of a ruling, an angle and a coverage.

A screen is a threshold on a spot function over the lattice's cell; the threshold is where the asked share of the cell
lies above it. An asked angle and ruling is taken to the nearest lattice that closes; sizes of the tile at which it is
exact are offered.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import lru_cache
from math import cos, pi, radians, sin
from typing import Any

import numpy as np

from orvix.errors import BadValue
from orvix.geometry import MOST_SIDE
from orvix.pictures.packing import grey_to_pixels
from orvix.registry import Value
from orvix.tiles.lattices import Lattice, Vector, closing_lattice, turn_and_length
from orvix.tiles.repeats import Repeat
from orvix.tiles.sources.registry import SOURCES, Given, Order, Pixels, Plane, Source

TAU = np.float32(2 * pi)
CLOSE = 0.004
"""How far, as a share, lines may miss what was asked at a size that is offered for it."""

VALUES = (
    Value(
        "spot", "Spot", "choice", "round", "Shape of the dots or lines.",
        choices=("round", "square", "elliptical", "rhombic", "line", "cross-line", "wave"),
    ),
    Value(
        "ruling", "Ruling", "number", 32.0, "Number of lines across.", "lines", low=1, high=2048,
    ),
    Value("angle", "Angle", "number", 45.0, "Angle of the screen, anticlockwise.", "°", low=0, high=180),
    Value("coverage", "Coverage", "number", 50.0, "Share of the ground covered with ink.", "%", low=0, high=100),
    Value("softness", "Softness", "number", 0.0, "Softness of the edges.", low=0, high=1),
)  # fmt: skip


def _round(u: Plane, v: Plane) -> Plane:
    return (np.cos(TAU * u) + np.cos(TAU * v)) * np.float32(0.5)


def _elliptical(u: Plane, v: Plane) -> Plane:
    return (np.cos(TAU * u) * np.float32(0.62) + np.cos(TAU * v)) * np.float32(1 / 1.62)


def _near(u: Plane) -> Plane:
    """How near the middle of a line: 1 on it, -1 half way to the next."""
    return np.float32(4) * np.abs(u - np.float32(0.5)) - np.float32(1)


def _wave(u: Plane, v: Plane) -> Plane:
    bent = v + np.float32(0.22) * np.sin(TAU * u)
    return _near(bent - np.floor(bent))


SPOTS: dict[str, Callable[[Plane, Plane], Plane]] = {
    "round": _round,
    "square": lambda u, v: np.minimum(_near(u), _near(v)),
    "elliptical": _elliptical,
    "rhombic": lambda u, v: (_near(u) + _near(v)) * np.float32(0.5),
    "line": lambda u, v: _near(v),
    "cross-line": lambda u, v: np.maximum(_near(u), _near(v)),
    "wave": _wave,
}


def wanted(width: int, ruling: float, angle: float) -> tuple[Vector, Vector]:
    """The vectors asked for: p along the lines, q across them, px."""
    side, turn = width / ruling, radians(angle)
    return (side * cos(turn), -side * sin(turn)), (side * sin(turn), side * cos(turn))


def lattice_of(order: Order) -> Lattice:
    """The nearest lattice that closes."""
    p, q = wanted(order.width, order.values["ruling"], order.values["angle"])
    return closing_lattice(order.width, order.height, order.repeat, p, q)


@lru_cache(256)
def _threshold(spot: str, coverage: float) -> float:
    """Above this value of the spot function lies the asked share of a cell."""
    # Places of the R2 sequence (multiples of the powers of the plastic number): a grid's rows would lie on the lines.
    n = np.arange(1, 65537)
    heights = SPOTS[spot](*(((n * step) % 1.0).astype(np.float32) for step in (0.7548776662466927, 0.5698402909980532)))
    return float(np.quantile(heights, 1 - coverage / 100))


def render(order: Order) -> Pixels:
    """The window asked for: ink is black, the ground white; at least a px of softness keeps edges even."""
    values = order.values
    lattice = lattice_of(order)
    at = lattice.places(order.window)
    height = SPOTS[values["spot"]](at.u, at.v)
    side = min(turn_and_length(vector)[1] for vector in lattice.vectors)
    soft = max(2 * values["softness"], min(3.0 / side, 2.0))
    coverage = float(values["coverage"])
    if coverage in (0.0, 100.0):
        return grey_to_pixels(np.full(height.shape, 1 - coverage / 100, np.float32))
    share = (height - np.float32(_threshold(values["spot"], coverage))) * np.float32(1 / soft) + np.float32(0.5)
    share = np.clip(share, 0, 1)
    return grey_to_pixels(1 - share * share * (3 - 2 * share))


def check(order: Order) -> None:
    """A line and its gap take 2 px together at least."""
    side = order.width / order.values["ruling"]
    if side < 2:
        raise BadValue(
            "ruling", f"{order.values['ruling']:g}", f"finer than a px: at most {order.width // 2} lines here"
        )
    if side > 2 * order.height:
        least = -(-order.width // (2 * order.height))
        raise BadValue("ruling", f"{order.values['ruling']:g}", f"coarser than the tile: at least {least} lines here")


def given(order: Order) -> list[Given]:
    """Ruling and angle as they close, and sizes of the tile at which those asked for do."""
    ruling, angle = order.values["ruling"], order.values["angle"]
    p, q = lattice_of(order).vectors
    across, lines_apart = turn_and_length(p)[0], _lines_apart(p, q)
    lines = order.width / lines_apart
    turn = across % 180
    turn = turn - 180 if turn - angle > 90 else turn + 180 if angle - turn > 90 else turn
    exact = abs(lines / ruling - 1) < 5e-4 and abs(turn - angle) < 0.02
    sizes = () if exact else exact_sizes(order, ruling, angle)
    return [
        Given("Ruling", ruling, round(lines, 3), "lines", sizes),
        Given("Angle", angle, round(turn, 3), "°", sizes),
    ]


def _lines_apart(p: Vector, q: Vector) -> float:
    return abs(p[0] * q[1] - p[1] * q[0]) / turn_and_length(p)[1]


@lru_cache(64)
def _sizes(
    width: int, height: int, repeat: tuple[str, str], ruling: float, angle: float
) -> tuple[tuple[int, int], ...]:
    asked = Repeat.parse(*repeat)
    found = []
    p, q = wanted(width, ruling, angle)
    for w in range(max(width // 2, 16), min(2 * width, MOST_SIDE) + 1, max(width // 256, 1)):
        for h in {w, max(round(w * height / width), 8)}:
            if w * h > 4096 * 4096:
                continue
            got = closing_lattice(w, h, asked, p, q).vectors
            change = np.array(got).T @ np.linalg.inv(np.array([p, q]).T)
            miss = float(np.abs(change - np.eye(2)).max())
            if miss < CLOSE:
                found.append((abs(w - width) + abs(h - height), (w, h)))
    return tuple(size for _, size in sorted(found)[:4])


def exact_sizes(order: Order, ruling: float, angle: float) -> tuple[tuple[int, int], ...]:
    """Up to four sizes of the tile, nearest first, at which what is asked closes within four thousandths."""
    return _sizes(order.width, order.height, (order.repeat.kind, str(order.repeat.stagger)), ruling, angle)


def flat(values: Mapping[str, Any]) -> bool:
    """Almost no ink, or almost no ground, on lines as fine as a few px is hardly seen; soft lines still less."""
    return min(values["coverage"], 100 - values["coverage"]) < 3 + 12 * values["softness"]


SOURCES.add(
    "screen",
    Source(
        "screen", "Screen", "generated", "Halftone dots or lines with a ruling, angle and coverage.", VALUES, render,
        "screens", check, given, flat,
    ),
)  # fmt: skip
