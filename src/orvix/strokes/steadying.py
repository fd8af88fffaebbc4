"""Steadying: a hand's samples made calmer, by an amount and by a trailing distance, before the curve is laid.

It works sample by sample and keeps its state, so it does not matter how they came in batches. It reads unscaled px.
"""

from __future__ import annotations

import numpy as np

from orvix.errors import BadValue
from orvix.strokes.samples import Samples

MOST_TRAIL_PX = 400.0
_LONGEST_MS = 160.0
_HOME_MS, _HOME_STEPS, _HOME_PX = 16.0, 60, 0.25


class Steadying:
    """amount: 0 to 1, how slowly the mark follows the hand. trail_px: how far it is drawn behind, as on a string.

    The place follows as a first-order lag with a time constant of 160 ms x amount^2. Raises BadValue.
    """

    def __init__(self, amount: float = 0.0, trail_px: float = 0.0) -> None:
        for name, value, most in (("steady", amount, 1.0), ("trail", trail_px, MOST_TRAIL_PX)):
            if isinstance(value, bool) or not isinstance(value, int | float) or not 0 <= value <= most:
                raise BadValue(name, value, f"must be 0 to {most:g}{' px' if name == 'trail' else ''}")
        self._lag_ms = _LONGEST_MS * amount * amount if amount >= 0.01 else 0.0
        self._trail = float(trail_px)
        self._at: tuple[float, float] | None = None
        self._pulled = (0.0, 0.0)
        self._last: Samples | None = None

    def apply(self, samples: Samples, *, last: bool = False) -> Samples:
        """Steadied samples (n, 7). `last`: the hand has lifted, and a slow mark comes home to where it would rest."""
        if not self._lag_ms and not self._trail:
            return samples
        out = samples.copy()
        for row in out:
            row[1:3] = self._next(row)
        if len(samples):
            self._last = samples[-1].copy()
        return np.concatenate([out, self._home()]) if last else out

    def _next(self, row: Samples) -> tuple[float, float]:
        if self._at is None or self._last is None:
            self._at = self._pulled = float(row[1]), float(row[2])
            self._last = row.copy()
            return self._at
        x, y = float(row[1]) - self._pulled[0], float(row[2]) - self._pulled[1]
        far = float(np.hypot(x, y))
        if far > self._trail:
            share = 1.0 - self._trail / far
            self._pulled = self._pulled[0] + x * share, self._pulled[1] + y * share
        share = 1.0 if not self._lag_ms else 1.0 - float(np.exp(-(float(row[0]) - self._last[0]) / self._lag_ms))
        (x, y), (to_x, to_y) = self._at, self._pulled
        self._at = x + (to_x - x) * share, y + (to_y - y) * share
        self._last = row.copy()
        return self._at

    def _home(self) -> Samples:
        """The rest of the way of a mark that lags, at the pace of a hand held still."""
        rows = []
        if self._lag_ms and self._at is not None and self._last is not None:
            row = self._last.copy()
            for _ in range(_HOME_STEPS):
                if np.hypot(self._pulled[0] - self._at[0], self._pulled[1] - self._at[1]) <= _HOME_PX:
                    break
                row[0] += _HOME_MS
                row[1:3] = self._last[1:3]
                row[1:3] = self._next(row)
                rows.append(row.copy())
        return np.array(rows, np.float64).reshape(-1, 7)
