"""A painter's own pen: what its touches stand for, and that nothing but the pressure changes."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from orvix.devices.pen import HARD, LIGHT, USUAL, PenPressure, calibrated, touches
from orvix.errors import BadValue


def samples(pressures) -> np.ndarray:
    press = np.asarray(pressures, float)
    n = np.arange(len(press))
    return np.stack([n * 8.0, 3.0 * n, 2.0 * n, press, n * 0 + 20, n * 0 - 9, n * 0 + 30], axis=1)


@given(st.lists(st.integers(0, 25), min_size=3, max_size=3, unique=True))
def test_each_touch_stands_for_its_own_and_harder_is_never_lighter(given_touches):
    light, usual, hard = (one / 25 for one in sorted(given_touches))
    pen = PenPressure(calibrated(light, usual, hard))
    out = pen.apply(samples([light, usual, hard]))[:, 3]
    assert np.allclose(out, [LIGHT, USUAL, HARD], atol=0.02)
    rising = pen.apply(samples(np.linspace(0, 1, 400)))[:, 3]
    assert (np.diff(rising) >= -1e-12).all()
    assert rising.min() >= 0
    assert rising.max() <= 1


def test_only_the_pressure_changes_and_batches_do_not_matter():
    pen = PenPressure(calibrated(0.1, 0.3, 0.7))
    all_of_it = samples(np.random.default_rng(1).random(40))
    whole = pen.apply(all_of_it)
    assert np.array_equal(whole[:, [0, 1, 2, 4, 5, 6]], all_of_it[:, [0, 1, 2, 4, 5, 6]])
    assert np.array_equal(np.concatenate([pen.apply(all_of_it[k : k + 7]) for k in range(0, 40, 7)]), whole)
    assert not np.array_equal(whole, all_of_it)
    assert np.array_equal(PenPressure().apply(all_of_it), all_of_it)


def test_touches_are_the_middle_of_their_strokes_without_the_ends():
    stroke = [0.0, 0.02, 0.3, *[0.4] * 20, 0.2, 0.01]
    assert touches([one / 4 for one in stroke], stroke, [2 * one for one in stroke]) == (0.1, 0.4, 0.8)


@pytest.mark.parametrize(
    ("told", "message"),
    [((0.3, 0.3, 0.8), "usual touch=0.3: must be at least 0.03 over the light touch"), ((0.1, 0.5, 0.5), "hard touch"),
     ((-1, 0.5, 0.9), "light touch=-1"), ((0.1, "much", 0.9), "usual touch"), ((0.1, 0.5, 1.2), "hard touch=1.2")],
)  # fmt: skip
def test_touches_that_cannot_be_told_apart_are_refused(told, message):
    with pytest.raises(BadValue, match=message):
        calibrated(*told)


def test_bad_responses_and_bad_strokes_are_refused():
    for response in ([[0, 0]], [[0, 0.5], [1, 0.2]], [[0.5, 0], [0.5, 1]], [[0, 0], [1, 2]], "light", [[0, 0, 0]]):
        with pytest.raises(BadValue):
            PenPressure(response)
    for wrong in ([0.5] * 3, [], "hard", [0.5] * 9 + [7], [True] * 12):
        with pytest.raises(BadValue, match="light touch"):
            touches(wrong, [0.5] * 20, [0.9] * 20)
