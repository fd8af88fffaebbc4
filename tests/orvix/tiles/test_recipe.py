"""Recipes: what is refused, and how pictures come in."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest

from orvix.errors import OrvixError, UnreadablePicture
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import Repeat, cloth, parse_fraction

NOISE = {"name": "noise", "values": {}}
BAD = [
    ([], "recipe='list': must be a JSON object"),
    ({"source": NOISE, "tint": 1}, "tint"),
    ({"source": {"name": "wool"}}, "source='wool': known are basket, cells"),
    ({"source": {"name": "noise", "values": {"octaves": 9}}}, "octaves=9: must be a whole number from 1 to 8"),
    ({"source": {"name": "noise", "values": {"wind": 9}}}, "wind"),
    ({"source": NOISE, "size": [4, 64]}, "size=4"),
    ({"source": NOISE, "size": [16384, 16384]}, "a tile has at most"),
    ({"source": NOISE, "size": "64"}, r"must be \[width, height\]"),
    ({"source": NOISE, "repeat": "diagonal"}, "known are straight, brick, half-drop"),
    ({"source": NOISE, "stagger": 2}, "stagger=2: must be a decimal or a fraction"),
    ({"source": NOISE, "stagger": "1/0"}, "stagger"),
    ({"source": NOISE, "seed": True}, "seed=True"),
    ({"source": NOISE, "steps": [{"name": "iron"}]}, "step='iron': known are alpha, blur"),
    ({"source": NOISE, "steps": [{"name": "blur", "values": {"reach": 11}}]}, "reach=11: must be 0 to 10"),
    ({"source": NOISE, "steps": [{"name": "blur", "on": 1}]}, "on=1: must be true or false"),
    ({"source": NOISE, "steps": "blur"}, "must be a list of at most 64 steps"),
    ({"source": NOISE, "version": [2, 0]}, "this program reads recipes of version 1"),
    ({"source": NOISE, "version": [1, 1], "tint": 1}, "tint"),
    (
        {
            "source": {"name": "flat"},
            "steps": [{"name": "resize", "values": {"across": 400, "down": 400}}],
            "size": [4096, 1024],
        },
        "a tile has at most",
    ),
]


@pytest.mark.parametrize(("given", "message"), BAD, ids=[message[:24] for _, message in BAD])
def test_bad_recipes_are_refused_by_name_and_rule(given, message):
    with pytest.raises(OrvixError, match=message):
        Recipe.parse(given)


def test_a_picture_is_taken_as_it_is_at_its_own_size_and_resampled_at_others():
    picture = np.random.default_rng(1).integers(0, 65535, (40, 60, 4)).astype(np.uint16)
    picture[..., 3] = 65535
    recipe = Recipe.parse({"size": [60, 40], "source": {"name": "picture", "values": {"file": "p"}}})
    assert np.array_equal(recipe.render(lambda _: picture), picture)
    small = recipe.at_size(30, 20).render(lambda _: picture)
    assert abs(int(small[..., 0].mean()) - int(picture[..., 0].mean())) < 300
    assert not recipe.closes_by_construction


def test_without_a_reader_a_picture_is_refused():
    recipe = Recipe.parse({"source": {"name": "picture", "values": {"file": "a.png"}}})
    with pytest.raises(UnreadablePicture, match=r"a\.png"):
        recipe.render()


def test_the_stagger_is_rounded_to_whole_px_halves_up():
    assert Repeat("half-drop", Fraction(1, 3)).stagger_px(100, 100) == 33
    assert Repeat("half-drop", Fraction(1, 2)).stagger_px(100, 5) == 3
    assert Repeat("brick", Fraction(1)).stagger_px(100, 50) == 0
    assert Repeat("straight", Fraction(1, 2)).stagger_px(100, 50) == 0


@pytest.mark.parametrize("kind", ["straight", "brick", "half-drop"])
def test_the_cloth_repeats_by_the_basis_and_unrolls_to_a_straight_tile(kind):
    tile = np.arange(6 * 8).reshape(6, 8)
    repeat = Repeat(kind, Fraction(1, 3))
    whole = cloth(tile, repeat, -12, -16, 60, 80)
    for x, y in repeat.basis(8, 6):
        assert np.array_equal(whole[:40, :60], whole[y : y + 40, x : x + 60])
    width, height = repeat.unrolled_size(8, 6)
    unrolled = cloth(tile, repeat, 0, 0, height, width)
    assert np.array_equal(cloth(unrolled, Repeat(), 0, 0, 50, 70), cloth(tile, repeat, 0, 0, 50, 70))


def test_decimals_keep_the_digits_they_were_written_with():
    assert parse_fraction("scale", 0.3, 0, 1) == Fraction(3, 10)
    assert parse_fraction("scale", "5/17", 0, 1) == Fraction(5, 17)


def test_at_half_its_size_it_is_the_same_picture_where_that_can_be():
    told = {
        "size": [512, 384],
        "repeat": "brick",
        "seed": 3,
        "source": {"name": "noise"},
        "steps": [{"name": "levels"}],
    }
    recipe = Recipe.parse(told)
    half = recipe.halved()
    assert half is not None
    assert half.shape[:2] == (256, 192)
    whole = recipe.render()[..., 0].reshape(192, 2, 256, 2).mean(axis=(1, 3))
    assert np.corrcoef(whole.ravel(), half.render()[..., 0].ravel())[0, 1] > 0.98
    for other in (
        {**told, "size": [511, 384]},
        {**told, "size": [512, 200]},
        {**told, "steps": [{"name": "median"}]},
        {**told, "source": {"name": "screen", "values": {"ruling": 200}}},
    ):
        assert Recipe.parse(other).halved() is None, other
    assert Recipe.parse({**told, "steps": [{"name": "median", "on": False}]}).halved() is not None
