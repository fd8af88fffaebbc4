"""Laws over the whole registry of sources: a new one is tested without a new test."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orvix.errors import OrvixError
from orvix.pictures.writing import flat_rgb
from orvix.readings.seam import seam
from orvix.registry import Registry, Value
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import REPEATS, cloth
from orvix.tiles.sources import SOURCES
from orvix.tiles.sources.registry import Window

GENERATED = [source for source in SOURCES if source.kind == "generated"]
PICTURE = np.random.default_rng(5).integers(0, 65535, (50, 60, 4)).astype(np.uint16)
PICTURE[..., :3] = np.minimum(PICTURE[..., :3], PICTURE[..., 3:])


def read(_: str) -> np.ndarray:
    return PICTURE


def drawn_value(value: Value) -> st.SearchStrategy:
    if value.kind == "whole":
        return st.integers(int(value.low), int(value.high))
    if value.kind == "number":
        return st.floats(value.low, value.high)
    if value.kind == "choice":
        return st.sampled_from(value.choices)
    return st.booleans() if value.kind == "switch" else st.just(value.default)


@st.composite
def recipes(draw, sources):
    source = draw(st.sampled_from(sources))
    values = {value.name: draw(drawn_value(value)) for value in source.values}
    size = [draw(st.integers(16, 90)), draw(st.integers(16, 90))]
    stagger = draw(st.fractions(0, 1, max_denominator=9))
    told = {"size": size, "repeat": draw(st.sampled_from(REPEATS)), "stagger": str(stagger)}
    told |= {"seed": draw(st.integers(0, 2**32 - 1)), "source": {"name": source.name, "values": values}}
    return Recipe.parse(told)


@settings(max_examples=60, deadline=None)
@given(recipes(GENERATED), st.integers(-200, 200), st.integers(-200, 200))
def test_generated_sources_close_bit_for_bit_under_every_move(recipe, top, left):
    tile = recipe.render()
    window = recipe.render(window=Window(top, left, 70, 80))
    assert np.array_equal(window, cloth(tile, recipe.repeat, top, left, 70, 80))


@settings(max_examples=40, deadline=None)
@given(recipes(list(SOURCES)))
def test_right_shape_and_range_and_the_same_again(recipe):
    tile = recipe.render(read)
    assert tile.shape == (recipe.height, recipe.width, 4)
    assert tile.dtype == np.uint16
    assert (tile[..., :3] <= tile[..., 3:]).all()
    assert np.array_equal(tile, recipe.render(read))
    assert Recipe.parse(recipe.as_dict()) == recipe


@pytest.mark.parametrize("source", GENERATED, ids=lambda source: source.name)
@pytest.mark.parametrize("kind", REPEATS)
def test_they_are_not_flat_and_read_as_seamless(source, kind):
    recipe = Recipe.parse({"size": [320, 256], "repeat": kind, "stagger": 0.4, "source": {"name": source.name}})
    tile = recipe.render()
    assert tile[..., 0].std() > 2000
    assert seam(flat_rgb(tile), recipe.repeat).value <= 1.10
    other = Recipe.parse({**recipe.as_dict(), "seed": 77}).render()
    assert not np.array_equal(tile, other)


@pytest.mark.parametrize("source", GENERATED, ids=lambda source: source.name)
def test_another_size_of_the_same_proportions_is_the_same_picture(source):
    small = Recipe.parse({"size": [96, 64], "source": {"name": source.name}})
    large = small.at_size(288, 192).render()[..., 0].astype(float)
    averaged = large.reshape(64, 3, 96, 3).mean(axis=(1, 3))
    got = small.render()[..., 0].astype(float)
    assert np.corrcoef(averaged.ravel(), got.ravel())[0, 1] > 0.97


@pytest.mark.parametrize("source", list(SOURCES), ids=lambda source: source.name)
def test_every_value_refuses_what_is_out_of_range_by_name(source):
    for value in source.values:
        for bad in ([], None, (value.high or 0) + 1 if value.kind != "text" else "x" * 500):
            with pytest.raises(OrvixError, match=value.name):
                value.check(bad)
        assert value.check(value.default) == value.default
        assert value.help


def test_a_name_registered_twice_is_an_error():
    registry: Registry[int] = Registry("thing")
    registry.add("a", 1)
    with pytest.raises(OrvixError, match="registered twice"):
        registry.add("a", 2)
    with pytest.raises(OrvixError, match="known are a"):
        registry.get("b")
