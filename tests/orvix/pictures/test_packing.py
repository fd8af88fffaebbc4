"""Packing pixels: rounding, clipping and alpha, px by px, and back again."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from orvix.pictures.packing import (
    flat_rgba8,
    grey_to_pixels,
    pixels_to_straight,
    premultiplied_to_pixels,
    straight_to_pixels,
)
from orvix.pictures.writing import DARK, WHITE, contrasting_ground, flat_rgb

share = st.floats(-0.5, 1.5, width=32)


@given(st.lists(st.tuples(share, share, share, share), min_size=1, max_size=12))
def test_straight_colour_is_rounded_cut_off_and_never_above_its_alpha(rows):
    given_ = np.array(rows, np.float32)[None]
    pixels = straight_to_pixels(given_[..., :3], given_[..., 3])
    want_alpha = np.floor(np.clip(given_[..., 3], 0, 1) * np.float32(65535) + np.float32(0.5))
    assert np.array_equal(pixels[..., 3], want_alpha)
    want = np.clip(given_[..., :3].astype(float), 0, 1) * want_alpha[..., None]
    assert np.abs(pixels[..., :3] - want).max() <= 0.51
    assert (pixels[..., :3] <= pixels[..., 3:]).all()


@given(st.lists(st.tuples(share, share, share, share), min_size=1, max_size=12))
def test_premultiplied_colour_is_rounded_and_never_above_its_alpha(rows):
    given_ = np.array(rows, np.float32)[None]
    pixels = premultiplied_to_pixels(given_)
    want = np.floor(np.clip(given_, 0, 1) * np.float32(65535) + np.float32(0.5))
    want[..., :3] = np.minimum(want[..., :3], want[..., 3:])
    assert np.array_equal(pixels, want)


def test_greys_are_opaque():
    pixels = grey_to_pixels(np.array([[-1, 0, 0.25, 1, 7]], np.float32))
    assert pixels[0, :, 0].tolist() == [0, 0, 16384, 65535, 65535]
    assert (pixels[..., 1:3] == pixels[..., :1]).all()
    assert (pixels[..., 3] == 65535).all()


def test_without_alpha_colour_is_opaque_for_one_px_too():
    for size in (1, 2, 5):
        assert (straight_to_pixels(np.full((size, size, 3), 0.5, np.float32))[..., 3] == 65535).all()
    alpha = np.full((1, 1), 0.25, np.float32)
    assert straight_to_pixels(np.full((1, 1, 3), 0.5, np.float32), alpha)[0, 0].tolist() == [8192, 8192, 8192, 16384]


@pytest.mark.parametrize("least", [1, 200, 65535])
def test_there_and_back_is_the_same_pixels(least):
    chance = np.random.default_rng(least)
    pixels = np.empty((40, 30, 4), np.uint16)
    pixels[..., 3] = chance.integers(least, 65536, (40, 30))
    pixels[..., :3] = (pixels[..., 3:] * chance.random((40, 30, 3))).astype(np.uint16)
    rgb, alpha = pixels_to_straight(pixels)
    assert rgb.max() <= 1
    back = straight_to_pixels(rgb, alpha)
    assert np.array_equal(back[..., 3], pixels[..., 3])
    assert np.abs(back.astype(int) - pixels).max() <= 1


def test_what_is_empty_has_no_colour():
    rgb, alpha = pixels_to_straight(np.zeros((3, 3, 4), np.uint16))
    assert rgb.max() == alpha.max() == 0


def test_a_part_packs_to_the_same_bits_as_the_whole():
    values = np.random.default_rng(2).random((64, 48, 4)).astype(np.float32) * 1.2 - 0.1
    whole = premultiplied_to_pixels(values)
    assert np.array_equal(premultiplied_to_pixels(values[10:20, 5:31]), whole[10:20, 5:31])
    straight = straight_to_pixels(values[..., :3], values[..., 3])
    assert np.array_equal(straight_to_pixels(values[7:9, :, :3], values[7:9, :, 3]), straight[7:9])


@pytest.mark.parametrize("ground", [(1.0, 1.0, 1.0), (0.0, 0.0, 0.0), DARK])
def test_over_a_ground_it_is_the_picture_in_8_bits(ground):
    chance = np.random.default_rng(7)
    pixels = np.empty((50, 40, 4), np.uint16)
    pixels[..., 3] = chance.integers(0, 65536, (50, 40))
    pixels[:10, :, 3] = 65535
    pixels[..., :3] = (pixels[..., 3:] * chance.random((50, 40, 3))).astype(np.uint16)
    got = flat_rgba8(pixels, ground)
    assert np.array_equal(got[..., :3], np.floor(flat_rgb(pixels, ground) * np.float32(255) + np.float32(0.5)))
    assert (got[..., 3] == 255).all()


def test_light_on_nothing_is_seen_on_dark_and_dark_marks_on_white():
    mark = np.zeros((8, 8, 4), np.uint16)
    mark[2:5, 2:5] = (60000, 60000, 50000, 65535)
    assert contrasting_ground(mark) == DARK
    mark[2:5, 2:5, :3] = 9000
    assert contrasting_ground(mark) == WHITE
    assert contrasting_ground(np.full((4, 4, 4), 65535, np.uint16)) == WHITE
