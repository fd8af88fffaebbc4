"""Chance: the same key, the same number; other keys, unrelated numbers."""

from __future__ import annotations

import numpy as np

from orvix.chance import chance
from tests.orvix.strokes import reference


def keyed(*key: int) -> float:
    return chance(*(np.uint64(word) for word in key))


def test_it_is_splitmix_folding_as_the_plain_reference_does_it():
    for key in [(0, 0, 0, 0, 0), (7, 1, 2, 3, 4), (2**32 - 1, 0, 10**6, 9, 1)]:
        assert keyed(*key) == reference.chance(*key)


def test_every_part_of_the_key_counts():
    first = keyed(7, 0, 5, 0, 1)
    assert len({first, keyed(8, 0, 5, 0, 1), keyed(7, 1, 5, 0, 1), keyed(7, 0, 6, 0, 1), keyed(7, 0, 5, 1, 1)}) == 5


def test_neighbouring_stamps_are_even_and_unrelated():
    drawn = np.array([keyed(3, 0, n, 0, 1) for n in range(20_000)])
    assert abs(drawn.mean() - 0.5) < 0.01
    assert abs(drawn.std() - 12**-0.5) < 0.01
    assert abs(np.corrcoef(drawn[:-1], drawn[1:])[0, 1]) < 0.03
