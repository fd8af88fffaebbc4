"""A grain's tone."""

from __future__ import annotations

import numpy as np
import pytest

from orvix.errors import BadValue, UnknownName
from orvix.grains.tone import Tone, cover, grain_plane


def ramp() -> np.ndarray:
    tile = np.full((4, 256, 4), 65535, np.uint16)
    tile[..., :3] = (np.arange(256) * 257)[None, :, None]
    return tile


def test_white_lets_through_and_the_negative_swaps():
    plain = grain_plane(ramp(), Tone())
    assert plain[0, 0] == pytest.approx(0, abs=1e-6)
    assert plain[0, 255] == pytest.approx(1, abs=1e-6)
    assert np.allclose(grain_plane(ramp(), Tone(negative=True)), 1 - plain, atol=1e-6)


def test_contrast_and_brightness_move_the_tones_as_said():
    assert grain_plane(ramp(), Tone(contrast=0.8)).std() > grain_plane(ramp(), Tone()).std()
    assert grain_plane(ramp(), Tone(contrast=-0.8)).std() < 0.1
    assert cover(grain_plane(ramp(), Tone(brightness=0.5))) > cover(grain_plane(ramp(), Tone())) > 0.49


def test_nothing_blocks():
    assert cover(grain_plane(np.zeros((4, 4, 4), np.uint16), Tone())) == 0


def test_bad_values_are_named():
    with pytest.raises(BadValue, match="contrast=3: must be -1 to 1"):
        Tone.parse({"contrast": 3})
    with pytest.raises(UnknownName, match="gamma"):
        Tone.parse({"gamma": 1})
