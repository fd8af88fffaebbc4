"""Sets of stripes: colours with their numbers of threads. Not a source itself."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.pictures.colours import hex_to_rgb
from orvix.registry import Value


def stripes_value(default: list[list[Any]]) -> Value:
    """The value that holds a set of stripes."""
    return Value(
        "stripes", "Stripes", "colours", default, "Number of threads of each colour, left to right, repeated.",
        "threads", low=1, high=96, least=1, most=16,
    )  # fmt: skip


def stripe_threads(stripes: list[list[Any]]) -> int:
    """How many threads one set has."""
    return sum(int(count) for count, _ in stripes)


def stripe_colours(stripes: list[list[Any]]) -> NDArray[np.float32]:
    """The colour of each thread of one set: float32 (threads, 3) in 0 to 1."""
    return np.array([hex_to_rgb(colour) for count, colour in stripes for _ in range(int(count))], np.float32)


def flat_stripes(stripes: list[list[Any]], *more: str) -> bool:
    """Whether all threads are of about one colour, or dark."""
    colours = np.array([hex_to_rgb(colour) for colour in [*(colour for _, colour in stripes), *more]])
    return bool(np.ptp(colours, axis=0).max() < 0.2 or colours.max() < 0.2)
