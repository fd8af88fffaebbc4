"""One painter's own pen: how hard this hand presses, and the response that makes its usual touch the middle.

The response is put on the samples before they are kept, so a stroke painted again needs no pen and no painter.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import Any

import numpy as np

from orvix.brushes.leads import TABLE, curve_through
from orvix.errors import BadValue
from orvix.registry import Value, check_values
from orvix.strokes.samples import PRESSURE, Samples

AS_IT_COMES = ((0.0, 0.0), (1.0, 1.0))
RESPONSE = Value(
    "response", "Response", "points", [list(point) for point in AS_IT_COMES],
    "2 to 8 points. Each pairs a pen pressure with the pressure Orvix uses.", low=0, high=1, least=2, most=8, each=2,
)  # fmt: skip
LIGHT, USUAL, HARD = 0.05, 0.5, 1.0
"""What a light, a usual and a hard touch stand for."""
LEAST_APART = 0.03
LEAST_SAMPLES = 8


class PenPressure:
    """Puts a response on pressures. It works sample by sample, so it does not matter how they came in batches."""

    def __init__(self, response: Any = AS_IT_COMES) -> None:
        """response: 2 to 8 points (pressure, what it stands for), 0 to 1, going up; raises BadValue."""
        points = check_values((RESPONSE,), {"response": response}, "pen")["response"]
        if any(b[0] <= a[0] or b[1] < a[1] for a, b in pairwise(points)):
            raise BadValue("response", points, "the points must go up with the pressure")
        self.response = tuple((float(x), float(y)) for x, y in points)
        self.curve = curve_through(self.response)

    @property
    def plain(self) -> bool:
        """Whether it changes nothing."""
        return self.response == AS_IT_COMES

    def apply(self, samples: Samples) -> Samples:
        """A copy of checked samples (n, 7) with the pressures that this hand's stand for."""
        out = samples.copy()
        if not self.plain:
            out[:, PRESSURE] = np.interp(samples[:, PRESSURE], np.linspace(0, 1, TABLE), self.curve)
        return out


def touches(light: Sequence[float], usual: Sequence[float], hard: Sequence[float]) -> tuple[float, float, float]:
    """The pressure of each kind of touch, from the samples of strokes made so; raises BadValue.

    The median of each: the ends of a stroke, where the pen comes and goes, are fewer than half of it.
    """
    found = []
    for name, given in (("light", light), ("usual", usual), ("hard", hard)):
        pressures = _pressures(name, given)
        if len(pressures) < LEAST_SAMPLES:
            raise BadValue(f"{name} touch", len(pressures), f"needs at least {LEAST_SAMPLES} samples: a longer stroke")
        found.append(round(float(np.median(pressures)), 3))
    return found[0], found[1], found[2]


def calibrated(light: float, usual: float, hard: float) -> tuple[tuple[float, float], ...]:
    """The response by which three touches of a hand stand for LIGHT, USUAL and HARD; raises BadValue.

    Each: 0 to 1, at least LEAST_APART over the one before.
    """
    for name, one in (("light", light), ("usual", usual), ("hard", hard)):
        if isinstance(one, bool) or not isinstance(one, int | float) or not 0 <= one <= 1:
            raise BadValue(f"{name} touch", one, "must be 0 to 1")
    for (name, one), (other, next_one) in pairwise([("light", light), ("usual", usual), ("hard", hard)]):
        if next_one - one < LEAST_APART:
            rule = (
                f"must be at least {LEAST_APART} over the {name} touch, {one:g}: was it a pen that can tell them apart?"
            )
            raise BadValue(f"{other} touch", next_one, rule)
    points = [(light, LIGHT), (usual, USUAL), (hard, HARD)]
    return tuple(([(0.0, 0.0)] if light > 0 else []) + points)


def _pressures(name: str, given: Any) -> list[float]:
    if not isinstance(given, list | tuple) or len(given) > 100_000:
        raise BadValue(f"{name} touch", type(given).__name__, "must be a list of pressures")
    for one in given:
        if isinstance(one, bool) or not isinstance(one, int | float) or not 0 <= one <= 1:
            raise BadValue(f"{name} touch", str(one)[:40], "must hold pressures from 0 to 1")
    return [float(one) for one in given if one > 0]
