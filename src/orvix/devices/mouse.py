"""Pressure for a hand without a pen: from the speed of the mouse, from how far it has gone, from a key, or fixed.

Slow presses hard, fast presses lightly; a stroke grows over its first px; a key held presses hard, which the page
says in the samples. It works sample by sample, so it does not matter how they came in batches.
"""

from __future__ import annotations

import numpy as np

from orvix.errors import BadValue
from orvix.strokes.samples import Samples

KINDS = ("speed", "distance", "key", "fixed")
SLOW, FAST = 0.1, 3.0
"""Speeds in px a ms at which pressure is full, and least."""
LEAST = 0.25
GROWS_PX = 160.0
"""Over how much of the way pressure grows from the least to full, where it comes from the distance."""
_WAY = 0.25


class MousePressure:
    """Gives samples a pressure. kind: one of KINDS; fixed: that pressure, 0 to 1. Raises BadValue."""

    def __init__(self, kind: str = "speed", fixed: float = 0.6) -> None:
        if kind not in KINDS:
            raise BadValue("mouse pressure", kind, "must be one of " + ", ".join(KINDS))
        if isinstance(fixed, bool) or not isinstance(fixed, int | float) or not 0 <= fixed <= 1:
            raise BadValue("fixed pressure", fixed, "must be 0 to 1")
        self._kind = kind
        self._press = float(fixed)
        self._gone = 0.0
        self._last: tuple[float, float, float] | None = None

    def apply(self, samples: Samples) -> Samples:
        """A copy of checked samples (n, 7) with the pressures of a mouse."""
        out = samples.copy()
        for row in out:
            row[3] = self._next(float(row[0]), float(row[1]), float(row[2]), float(row[3]))
        return out

    def _next(self, t: float, x: float, y: float, key: float) -> float:
        if self._kind == "distance":
            if self._last is not None:
                self._gone += float(np.hypot(x - self._last[1], y - self._last[2]))
            self._press = LEAST + (1.0 - LEAST) * min(self._gone / GROWS_PX, 1.0)
        elif self._kind == "key":
            self._press += (key - self._press) * (_WAY if self._last is not None else 1.0)
        if self._kind == "speed" and self._last is not None and t > self._last[0]:
            speed = float(np.hypot(x - self._last[1], y - self._last[2])) / (t - self._last[0])
            share = min(max((speed - SLOW) / (FAST - SLOW), 0.0), 1.0)
            self._press += ((1.0 - (1.0 - LEAST) * share) - self._press) * _WAY
        self._last = (t, x, y)
        return self._press
