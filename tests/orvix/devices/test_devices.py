"""The stand-ins for a pen and for the pressure of a mouse."""

from __future__ import annotations

import numpy as np
import pytest

from orvix.devices.mouse import LEAST, MousePressure
from orvix.devices.stylus import SHOWN, TRIALS, record, sheet_size, trial_strokes
from orvix.errors import BadValue, UnknownName
from orvix.strokes.samples import check_samples


@pytest.mark.parametrize("name", [name for name in TRIALS if name != "taps"])
def test_a_recording_has_an_uneven_hand(name):
    samples = check_samples(record(TRIALS[name], 3))
    steps = np.diff(samples[:, 0])
    moving = steps[steps != 16.0]
    assert ((moving >= 4) & (moving <= 17)).sum() >= len(moving) - 3
    assert moving.std() > 2
    stops = (np.diff(samples[:, 1:3], axis=0) == 0).all(axis=1).sum()
    assert stops >= 3 if TRIALS[name].stop_at else stops == 0
    assert np.array_equal(samples, record(TRIALS[name], 3))
    assert not np.array_equal(samples[:, 3], record(TRIALS[name], 4)[: len(samples), 3])


def test_one_sample_is_lost_on_the_way():
    from dataclasses import replace

    hand = TRIALS["level"]
    whole = record(replace(hand, lose_at=None), 3)
    assert 0 < len(whole) - len(record(hand, 3)) <= 2


def test_the_trial_sheet_holds_its_strokes_inside_and_scales_with_the_hand():
    width, height = sheet_size()
    once, twice = trial_strokes(), trial_strokes(factor=2)
    assert len(once["strokes"]) == len(SHOWN) - 1 + 4
    for stroke, larger in zip(once["strokes"], twice["strokes"], strict=True):
        samples = check_samples(stroke["samples"])
        assert (samples[:, 1] >= 0).all()
        assert (samples[:, 1] <= width).all()
        assert (samples[:, 2] <= height).all()
        assert np.allclose(np.array(larger["samples"])[:, 1], 2 * samples[:, 1], atol=0.01)
    with pytest.raises(UnknownName, match="trial stroke"):
        trial_strokes(("loop",))


def line(step_px: float) -> np.ndarray:
    return np.array([[8.0 * n, step_px * n, 0, 0.5, 0, 0, 0] for n in range(60)])


def test_a_slow_mouse_presses_hard_and_a_fast_one_lightly_however_it_is_batched():
    slow, fast = MousePressure().apply(line(0.4))[-1, 3], MousePressure().apply(line(40))[-1, 3]
    assert slow > 0.95
    assert fast == pytest.approx(LEAST, abs=0.01)
    whole, split = MousePressure(), MousePressure()
    parts = np.concatenate([split.apply(part) for part in np.split(line(9), [1, 7, 30])])
    assert np.array_equal(whole.apply(line(9)), parts)


def test_it_can_be_fixed_and_bad_values_are_named():
    assert (MousePressure("fixed", 0.3).apply(line(5))[:, 3] == 0.3).all()
    with pytest.raises(BadValue, match="mouse pressure='mood'"):
        MousePressure("mood")
    with pytest.raises(BadValue, match="fixed pressure=2"):
        MousePressure("fixed", 2)


@pytest.mark.parametrize("kind", ["distance", "key"])
def test_pressure_from_the_way_or_a_key_does_not_mind_batches(kind):
    samples = line(5)
    samples[:, 3] = np.where(np.arange(len(samples)) < len(samples) // 2, 0.3, 1.0)
    whole, split = MousePressure(kind), MousePressure(kind)
    parts = [split.apply(samples[:3]), split.apply(samples[3:])]
    pressed = whole.apply(samples)[:, 3]
    assert np.array_equal(np.concatenate(parts)[:, 3], pressed)
    assert (np.diff(pressed) >= 0).all()
    assert pressed[0] < 0.5 * pressed[-1]
