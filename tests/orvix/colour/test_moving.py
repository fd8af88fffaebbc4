"""Colours moved: the matrices of the specification, and pictures that follow the paint colour."""

from __future__ import annotations

import numpy as np
import pytest

from orvix.brushes.tips.alike import alike_colours
from orvix.colour.moving import luma, mean_colour, move_matrices, moved_by

ONE = np.ones(1)


def matrix(hue=0.0, saturation=0.0, brightness=0.0) -> np.ndarray:
    return move_matrices(hue * ONE, saturation * ONE, brightness * ONE)[0]


def test_no_move_is_no_change_and_a_full_turn_neither():
    for move in (matrix(), matrix(hue=360)):
        assert np.abs(move - np.eye(3, 4)).max() < 1e-6


def test_hue_keeps_the_light_and_moves_add_up():
    colour = np.array([0.5, 0.3, 0.4, 1], np.float32)
    turned = matrix(hue=50) @ colour
    assert luma(turned) == pytest.approx(float(luma(colour[:3])), abs=5e-4)
    twice = matrix(hue=25) @ np.append(matrix(hue=25) @ colour, 1)
    assert np.abs(turned - twice).max() < 2e-3  # the specification's numbers have three digits


def test_saturation_and_brightness_reach_grey_black_and_white():
    colour = np.array([0.7, 0.2, 0.1, 1], np.float32)
    assert np.ptp(matrix(saturation=-1) @ colour) < 1e-6
    assert (matrix(brightness=1) @ colour).tolist() == [1, 1, 1]
    assert (matrix(brightness=-1) @ colour).tolist() == [0, 0, 0]
    assert np.ptp(matrix(saturation=1) @ colour) == pytest.approx(1.2, abs=1e-5)


def banded() -> np.ndarray:
    picture = np.zeros((30, 30, 4), np.float32)
    picture[:10], picture[10:20], picture[20:] = (0.8, 0.2, 0.1, 1), (0.4, 0.1, 0.05, 1), (0.9, 0.6, 0.5, 1)
    return picture


@pytest.mark.parametrize("paint", [(0.1, 0.2, 0.9), (0.0, 0.0, 0.0), (1.0, 1.0, 1.0), (0.5, 0.5, 0.5)])
def test_a_picture_follows_the_paint_in_light_and_dark(paint):
    paint = np.array(paint, np.float32)
    moved = moved_by(banded(), paint, "light and dark")
    light = [float(luma(moved[row, 0, :3])) for row in (15, 5, 25)]
    assert light == sorted(light)
    assert (moved[..., 3] == 1).all()
    flat = np.broadcast_to(np.append(mean_colour(banded()), 1), (4, 4, 4)).astype(np.float32)
    assert np.abs(moved_by(flat, paint, "light and dark")[0, 0, :3] - paint).max() < 1e-4


def test_a_picture_turns_its_hues_by_the_paint_and_greys_with_a_grey_one():
    moved = moved_by(banded(), np.array([0, 0, 1], np.float32), "hue")
    assert moved[5, 0].argmax() == 2 or moved[5, 0, 2] > moved[5, 0, 0]
    for grey in (0.0, 0.5, 1.0):
        plain = moved_by(banded(), np.full(3, grey, np.float32), "hue")
        assert np.ptp(plain[..., :3], axis=2).max() < 1e-5
    assert moved_by(banded(), np.zeros(3, np.float32), "nothing") is not None


def test_neighbouring_colours_too_alike_are_named_and_others_are_not():
    assert alike_colours(banded()) == []
    close = banded()
    close[10:20, :, :3] = (0.81, 0.21, 0.1)
    assert alike_colours(close) == [("#cc331a", "#cf361a")]
    photo = np.random.default_rng(1).random((40, 40, 4), np.float32)
    photo[..., 3] = 1
    assert alike_colours(photo) == []
