"""Chance from a counter: the same key always gives the same number, in any order and on any thread.

A key is a row of whole numbers, e.g. (stroke seed, coat, stamp number, mark within the stamp, property). Each is
folded in with the finaliser of SplitMix64 (Steele, Lea and Flood, "Fast splittable pseudorandom number
generators", 2014), which passes on every bit of its input; so neighbouring keys give unrelated numbers.
"""

from __future__ import annotations

import numpy as np

from orvix.compiling import kernel_with

ALONG, ACROSS, COUNT, FLIP_ACROSS, FLIP_DOWN, PICTURE, GRAIN_X, GRAIN_Y = 1, 2, 3, 4, 5, 6, 7, 8
LED = 100
"""Properties of a mark that chance decides; part of the key, so that one never shifts another. From LED on: one for
each value and driver of the leads, LED + 16 value + driver."""
OF_STROKE = 2**40
"""The stamp number that stands for the whole stroke."""

_GAMMA = np.uint64(0x9E3779B97F4A7C15)
_MIX_1 = np.uint64(0xBF58476D1CE4E5B9)
_MIX_2 = np.uint64(0x94D049BB133111EB)


@kernel_with(error_model="python")
def fold(state: np.uint64, word: np.uint64) -> np.uint64:
    """Fold one 64-bit word of the key into the state (unchecked kernel)."""
    z = (state ^ word) + _GAMMA
    z = (z ^ (z >> np.uint64(30))) * _MIX_1
    z = (z ^ (z >> np.uint64(27))) * _MIX_2
    return z ^ (z >> np.uint64(31))


@kernel_with(error_model="python")
def unit(state: np.uint64) -> float:
    """A folded state as a number from 0 up to but not 1, of 53 bits."""
    return np.float64(state >> np.uint64(11)) * (1.0 / 9007199254740992.0)


@kernel_with(error_model="python")
def chance(seed: int, coat: int, stamp: int, mark: int, prop: int) -> float:
    """The number in [0, 1) that belongs to one property of one mark of one stamp."""
    state = fold(np.uint64(0), np.uint64(seed))
    state = fold(state, np.uint64(coat))
    state = fold(state, np.uint64(stamp))
    state = fold(state, np.uint64(mark))
    return unit(fold(state, np.uint64(prop)))
