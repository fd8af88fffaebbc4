"""Colourways: which colours a picture has, and what it is in others."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from orvix.colour.colourways import Colourway, colours_of, parse_colourways, recoloured
from orvix.errors import BadValue
from orvix.pictures.colours import hex_to_rgb
from orvix.pictures.packing import pixels_to_straight, straight_to_pixels

DEEP, ROPE, SAIL = "#1b3f4b", "#d29b42", "#f2efe6"
SWAPS = ((DEEP, "#7a2233"), (ROPE, "#88ccee"), (SAIL, "#14202a"))


def flat(*colours, side=40):
    """Bars of colours, side by side."""
    rgb = np.concatenate([np.full((side, side, 3), hex_to_rgb(one), np.float32) for one in colours], axis=1)
    return straight_to_pixels(rgb)


def eight(pixels):
    return np.rint(pixels_to_straight(pixels)[0] * 255).astype(int)


def rgb_of(colour):
    return np.rint(np.array(hex_to_rgb(colour)) * 255).astype(int)


def test_flat_colours_are_told_as_they_are_with_their_shares():
    rgb = np.empty((400, 400, 3), np.float32)
    rgb[:] = hex_to_rgb(DEEP)
    cv2.circle(rgb, (120, 120), 80, hex_to_rgb(ROPE), -1, cv2.LINE_AA)
    cv2.circle(rgb, (290, 290), 60, hex_to_rgb(SAIL), -1, cv2.LINE_AA)
    found = colours_of(straight_to_pixels(rgb))
    assert [colour for colour, _ in found] == [DEEP, ROPE, SAIL], "soft borders are none of its colours"
    assert found[1][1] == pytest.approx(np.pi * 80**2 / 400**2, rel=0.05)
    assert found == colours_of(straight_to_pixels(rgb)), "the same every time"


def test_near_colours_are_one_and_what_is_clear_has_none():
    assert len(colours_of(flat("#1b3f4b", "#1c404c", "#1a3e4a"))) == 1
    assert colours_of(np.zeros((20, 20, 4), np.uint16)) == []
    assert len(colours_of(flat(DEEP, ROPE, SAIL, "#5f7a3f", "#c2553b"), most=3)) == 3
    assert colours_of(flat(DEEP, side=3)) == [(DEEP, 1.0)]


def test_each_colour_becomes_exactly_what_stands_for_it():
    out = eight(recoloured(flat(*(one for one, _ in SWAPS)), SWAPS))
    for n, (_, to) in enumerate(SWAPS):
        assert (out[:, 40 * n : 40 * n + 40] == rgb_of(to)).all()


@pytest.mark.parametrize("share", [0.1, 0.5, 0.8])
def test_a_mix_of_two_becomes_as_much_of_a_mix(share):
    (a, to_a), (b, to_b), _ = SWAPS
    mixed = (1 - share) * np.array(hex_to_rgb(a)) + share * np.array(hex_to_rgb(b))
    out = recoloured(straight_to_pixels(np.full((4, 4, 3), mixed, np.float32)), SWAPS)
    want = (1 - share) * np.array(hex_to_rgb(to_a)) + share * np.array(hex_to_rgb(to_b))
    assert abs(pixels_to_straight(out)[0] - want).max() <= 1e-3


def test_a_shade_becomes_a_shade_and_what_is_left_over_stays():
    swaps = (("#d02020", "#2040c0"), ("#40a060", "#40a060"))
    half = np.full((4, 4, 3), np.array(hex_to_rgb("#d02020")) / 2, np.float32)
    out = pixels_to_straight(recoloured(straight_to_pixels(half), swaps))[0][0, 0]
    assert abs(out - np.array(hex_to_rgb("#2040c0")) / 2).max() < 0.01, "half as light, in the hue of the other"
    noise = np.random.default_rng(5).normal(0, 0.01, (64, 64, 3))
    grainy = straight_to_pixels((np.array(hex_to_rgb("#40a060")) + noise).astype(np.float32))
    moved = pixels_to_straight(recoloured(grainy, swaps))[0] - pixels_to_straight(grainy)[0]
    assert abs(moved).mean() < 0.003, "a colour that stays keeps its grain, but for what lies towards one that does not"


def test_a_grey_that_is_a_colour_is_no_mix_of_black_and_white():
    swaps = (("#000000", "#102030"), ("#ffffff", "#ffe0c0"), ("#808080", "#c2553b"))
    out = eight(recoloured(flat("#000000", "#808080", "#ffffff"), swaps))
    assert (out[0, 60] == rgb_of("#c2553b")).all()
    assert (out[0, 0] == rgb_of("#102030")).all()


def test_alpha_stays_and_nothing_is_brighter_than_it():
    rgb = np.random.default_rng(1).random((300, 300, 3), np.float32)
    alpha = np.random.default_rng(2).random((300, 300), np.float32)
    alpha[:20] = 0
    pixels = straight_to_pixels(rgb, alpha)
    out = recoloured(pixels, SWAPS)
    assert np.array_equal(out[..., 3], pixels[..., 3])
    assert (out[..., :3] <= out[..., 3:]).all()
    assert not out[:20].any()
    assert np.array_equal(recoloured(pixels[:7], SWAPS), out[:7]), "a part as in the whole"


@pytest.mark.parametrize(
    ("told", "rule"),
    [
        ({"name": "Dusk", "swaps": []}, "must be 1 to 12"),
        ({"name": "", "swaps": [[DEEP, ROPE]]}, "1 to 40 characters"),
        ({"name": "Dusk", "swaps": [[DEEP]]}, "two colours"),
        ({"name": "Dusk", "swaps": [[DEEP, "red"]]}, "#rrggbb"),
        ({"name": "Dusk", "swaps": [[DEEP, ROPE], [DEEP, SAIL]]}, "one colour twice"),
        ({"name": "Dusk"}, "a list of swaps"),
        ("Dusk", "must be an object"),
    ],
)
def test_what_is_no_colourway(told, rule):
    with pytest.raises(BadValue, match=rule):
        Colourway.parse(told)


def test_colourways_are_read_and_told_alike():
    told = [{"name": "Dusk", "swaps": [list(pair) for pair in SWAPS]}, {"name": "Own", "swaps": [[DEEP, DEEP]]}]
    assert [one.as_dict() for one in parse_colourways(told)] == told
    with pytest.raises(BadValue, match="a name of its own"):
        parse_colourways([told[0], told[0]])
    with pytest.raises(BadValue, match="at most 12"):
        parse_colourways([told[1]] * 13)
