"""The photo tray: the same photos every time, and none of them clean."""

from __future__ import annotations

import numpy as np
import pytest

from orvix.devices.photo_tray import PHOTOS, develop
from orvix.errors import UnknownName
from orvix.tiles.lowpass import coarse


@pytest.fixture(scope="module")
def photos() -> dict[str, np.ndarray]:
    return {photo.name: develop(photo.name, 384, 288) for photo in PHOTOS}


def test_a_photo_is_the_same_every_time_and_of_the_size_asked_for(photos):
    for name in ("quay-wall", "kelp-bed"):
        assert np.array_equal(develop(name, 384, 288), photos[name])
    assert {one.shape for one in photos.values()} == {(288, 384, 3)}
    assert {one.dtype for one in photos.values()} == {np.dtype(np.uint8)}
    assert len({one.tobytes() for one in photos.values()}) == len(photos) >= 10


@pytest.mark.parametrize("name", PHOTOS.names())
def test_a_photo_has_uneven_light_noise_and_colour(name, photos):
    rgb = photos[name].astype(np.float32) / 255
    light = coarse(rgb, 60, None).mean(axis=2)
    assert float(np.ptp(light)) > 0.04  # light falls off
    blocks = rgb[:288, :384].reshape(72, 4, 96, 4, 3)
    fine = blocks.std(axis=(1, 3)).mean(axis=2)
    assert np.quantile(fine, 0.02) > 0.003  # nowhere without the noise of a sensor
    assert float(np.abs(rgb[..., 0] - rgb[..., 2]).mean()) > 0.01
    assert (rgb == 1).mean() < 0.02
    assert (rgb == 0).mean() < 0.05


def test_two_photos_are_made_so_that_they_cannot_be_closed_well():
    assert sorted(photo.fault for photo in PHOTOS if photo.fault) == ["angle", "blur"]


def test_an_unknown_photo_is_named_with_those_there_are():
    with pytest.raises(UnknownName, match="quay-wall"):
        develop("holiday")
