"""From samples to a smooth curve: points along it, with what the hand did there, for the coats of a brush to walk
along.

The curve is the uniform quadratic B-spline of the samples: from the middle of two samples to the middle of the next
two, bent towards the sample between them. It is laid sample by sample, so it does not matter how they came in
batches.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from orvix.compiling import kernel
from orvix.strokes.samples import FIELDS, PRESSURE, TWIST, Samples, T, X, Y

SPEED, DISTANCE = len(FIELDS), len(FIELDS) + 1
WIDTH = len(FIELDS) + 2
"""A point: a sample's values, then the speed of the hand in px a ms and how far the stroke has gone, px."""

Points = NDArray[np.float64]

_CALM_MS = 40.0
_FLATNESS = 50.0
_MOST_PIECES = 256
_SEEN, _CONTROL, _FROM, _LAST = 0, 1, 1 + WIDTH, 1 + 2 * WIDTH
_STATE = 1 + 3 * WIDTH


@kernel
def _put(state, out, n, point):  # type: ignore[no-untyped-def]
    """Put a point into out[n] if there is room, its distance counted on from the last one; returns n + 1."""
    dx, dy = point[X] - state[_LAST + X], point[Y] - state[_LAST + Y]
    point[DISTANCE] = state[_LAST + DISTANCE] + np.sqrt(dx * dx + dy * dy)
    for i in range(WIDTH):
        state[_LAST + i] = point[i]
        if n < out.shape[0]:
            out[n, i] = point[i]
    return n + 1


@kernel
def _take(state, sample, now):  # type: ignore[no-untyped-def]
    """A sample as a control point: twist counted on past a full turn, and the speed of the hand, calmed over 40 ms."""
    for i in range(TWIST + 1):
        now[i] = sample[i]
    now[DISTANCE] = 0.0
    if state[_SEEN] == 0.0:
        now[SPEED] = 0.0
        return
    before = state[_CONTROL : _CONTROL + WIDTH]
    now[TWIST] -= 360.0 * np.round((now[TWIST] - before[TWIST]) / 360.0)
    dt = now[T] - before[T]
    now[SPEED] = before[SPEED]
    if dt > 0.0:
        dx, dy = now[X] - before[X], now[Y] - before[Y]
        speed = np.sqrt(dx * dx + dy * dy) / dt
        share = 1.0 if state[_SEEN] == 1.0 else 1.0 - np.exp(-dt / _CALM_MS)
        now[SPEED] += (speed - now[SPEED]) * share
        state[_SEEN] = 2.0


@kernel
def flatten(state, samples, last, out):  # type: ignore[no-untyped-def]
    """Carry the curve on by samples (n, 7); returns how many points that gives, writing those `out` has room for.

    `last` ends it: the curve is drawn on to the last sample. Changes `state`. Unchecked kernel.
    """
    n = 0
    now, end = np.empty(WIDTH), np.empty(WIDTH)
    for k in range(samples.shape[0]):
        _take(state, samples[k], now)
        if state[_SEEN] == 0.0:
            for i in range(WIDTH):
                state[_CONTROL + i] = state[_FROM + i] = state[_LAST + i] = now[i]
            state[_SEEN] = 1.0
            n = _put(state, out, n, now)
            continue
        control, start = state[_CONTROL : _CONTROL + WIDTH], state[_FROM : _FROM + WIDTH]
        bend_x = 0.5 * (start[X] - control[X]) + 0.25 * (now[X] - control[X])
        bend_y = 0.5 * (start[Y] - control[Y]) + 0.25 * (now[Y] - control[Y])
        bend = np.sqrt(bend_x * bend_x + bend_y * bend_y)
        pieces = int(min(max(np.ceil(np.sqrt(_FLATNESS * bend)), 1.0), _MOST_PIECES))
        for j in range(1, pieces + 1):
            u = j / pieces
            a, b, c = (1.0 - u) * (1.0 - u), 2.0 * u * (1.0 - u), u * u
            for i in range(DISTANCE):
                end[i] = a * start[i] + b * control[i] + c * (0.5 * (control[i] + now[i]))
            n = _put(state, out, n, end)
        for i in range(WIDTH):
            start[i] = 0.5 * (control[i] + now[i])
            control[i] = now[i]
    if last and state[_SEEN] > 0.0:
        for i in range(WIDTH):
            end[i] = state[_CONTROL + i]
        n = _put(state, out, n, end)
    return n


class Curve:
    """The curve of one stroke under way. top_pressure: the greatest of its samples so far."""

    def __init__(self) -> None:
        self.top_pressure = 0.0
        self._state = np.zeros(_STATE)

    def carry_on(self, samples: Samples, *, last: bool = False) -> Points:
        """The points, (n, WIDTH), that checked samples (n, 7) add; `last`: the hand has lifted."""
        self.top_pressure = max(self.top_pressure, float(samples[:, PRESSURE].max(initial=0.0)))
        room = 16 + 24 * len(samples)
        while True:
            state, out = self._state.copy(), np.empty((room, WIDTH))
            count = flatten(state, samples, last, out)
            if count <= room:
                self._state = state
                return out[:count]
            room = count
