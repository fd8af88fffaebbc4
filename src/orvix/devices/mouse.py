"""Pressure for a hand without a pen: from the speed of the mouse, or fixed.

Slow presses hard, fast presses lightly. It works sample by sample, so it does not matter how they came in batches.
"""

from __future__ import annotations

import numpy as np

from orvix.errors import BadValue
from orvix.strokes.samples import Samples

KINDS = ("speed", "fixed")
SLOW, FAST = 0.1, 3.0
"""Speeds in px a ms at which pressure is full, and least."""
LEAST = 0.25
_WAY = 0.25


class MousePressure:
    """Gives samples a pressure. kind: "speed" or "fixed"; fixed: that pressure, 0 to 1. Raises BadValue."""

    def __init__(self, kind: str = "speed", fixed: float = 0.6) -> None:
        if kind not in KINDS:
            raise BadValue("mouse pressure", kind, "must be one of " + ", ".join(KINDS))
        if isinstance(fixed, bool) or not isinstance(fixed, int | float) or not 0 <= fixed <= 1:
            raise BadValue("fixed pressure", fixed, "must be 0 to 1")
        self._kind = kind
        self._press = float(fixed)
        self._last: tuple[float, float, float] | None = None

    def apply(self, samples: Samples) -> Samples:
        """A copy of checked samples (n, 7) with the pressures of a mouse."""
        out = samples.copy()
        for row in out:
            row[3] = self._next(float(row[0]), float(row[1]), float(row[2]))
        return out

    def _next(self, t: float, x: float, y: float) -> float:
        if self._kind == "speed" and self._last is not None and t > self._last[0]:
            speed = float(np.hypot(x - self._last[1], y - self._last[2])) / (t - self._last[0])
            share = min(max((speed - SLOW) / (FAST - SLOW), 0.0), 1.0)
            self._press += ((1.0 - (1.0 - LEAST) * share) - self._press) * _WAY
        self._last = (t, x, y)
        return self._press
