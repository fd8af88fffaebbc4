"""Pointer samples: what the hand did, checked before anything believes it.

A sample is (t_ms, x, y, pressure, tilt_x_deg, tilt_y_deg, twist_deg); values from pressure on may be left out.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.errors import BadValue

FIELDS = ("t_ms", "x", "y", "pressure", "tilt_x_deg", "tilt_y_deg", "twist_deg")
T, X, Y, PRESSURE, TILT_X, TILT_Y, TWIST = range(len(FIELDS))
"""The columns of an array of samples."""
PLACE = slice(X, Y + 1)
"""The columns of a place."""
_DEFAULTS = (0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0)
_LOW = np.array([0.0, -65536.0, -65536.0, 0.0, -90.0, -90.0, 0.0])
_HIGH = np.array([86_400_000.0, 131072.0, 131072.0, 1.0, 90.0, 90.0, 360.0])
MOST_SAMPLES = 200_000

Samples = NDArray[np.float64]


def check_samples(given: Sequence[Any] | Samples, *, after_ms: float = 0.0) -> Samples:
    """Return samples as a float64 array (n, 7).

    after_ms: the time of the sample before these; time never runs backwards. Raises BadValue naming the first
    sample that breaks a rule.
    """
    if len(given) > MOST_SAMPLES:
        raise BadValue("samples", len(given), f"a stroke has at most {MOST_SAMPLES} samples")
    array = given if isinstance(given, np.ndarray) else _from_lists(given)
    if array.ndim != 2 or array.shape[1] != len(FIELDS):
        raise BadValue("samples", array.shape, f"must be rows of {len(FIELDS)} numbers")
    array = np.ascontiguousarray(array, dtype=np.float64)
    inside = (array >= _LOW) & (array <= _HIGH)
    if not inside.all():
        row, field = (int(at) for at in np.argwhere(~inside)[0])
        rule = f"sample {row} must be {_LOW[field]:g} to {_HIGH[field]:g}"
        raise BadValue(FIELDS[field], float(array[row, field]), rule)
    if array.shape[0] and (np.diff(array[:, T], prepend=after_ms) < 0).any():
        row = int(np.argmax(np.diff(array[:, T], prepend=after_ms) < 0))
        raise BadValue("t_ms", float(array[row, T]), f"sample {row} must not be earlier than the one before it")
    return array


def _from_lists(given: Sequence[Any]) -> Samples:
    rows = np.empty((len(given), len(FIELDS)))
    for n, sample in enumerate(given):
        if not isinstance(sample, list | tuple) or not 3 <= len(sample) <= len(FIELDS):
            raise BadValue("samples", sample, f"sample {n} must be 3 to {len(FIELDS)} numbers: {', '.join(FIELDS)}")
        if any(isinstance(number, bool) or not isinstance(number, int | float) for number in sample):
            raise BadValue("samples", sample, f"sample {n} must hold numbers only")
        rows[n] = (*sample, *_DEFAULTS[len(sample) :])
    return rows
