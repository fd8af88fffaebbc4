"""Laws over the whole registry of sources: a new one is tested without a new test."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from orvix.errors import BadValue, OrvixError
from orvix.pictures.writing import flat_rgb
from orvix.registry import Registry
from orvix.tiles.closing.seam import seam
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import REPEATS, cloth
from orvix.tiles.sources import SOURCES
from orvix.tiles.window import Window
from tests.laws.drawing import drawn_value

GENERATED = [source for source in SOURCES if source.kind == "generated"]
PICTURE = np.random.default_rng(5).integers(0, 65535, (50, 60, 4)).astype(np.uint16)
PICTURE[..., :3] = np.minimum(PICTURE[..., :3], PICTURE[..., 3:])
SEEDS = st.integers(0, 2**32 - 1)
MANY = [HealthCheck.filter_too_much, HealthCheck.too_slow]


def read(_: str) -> np.ndarray:
    return PICTURE


@st.composite
def recipes(draw, source):
    values = {value.name: draw(drawn_value(value)) for value in source.values}
    size = [draw(st.integers(16, 110)), draw(st.integers(16, 110))]
    stagger = draw(st.fractions(0, 1, max_denominator=9))
    told = {"size": size, "repeat": draw(st.sampled_from(REPEATS)), "stagger": str(stagger), "seed": draw(SEEDS)}
    return Recipe.parse({**told, "source": {"name": source.name, "values": values}})


def rendered(recipe: Recipe, window: Window | None = None) -> np.ndarray:
    """The source's pixels; settings that are refused at this size are not tried."""
    try:
        return recipe.render_source(read, window)
    except BadValue as error:
        assume(str(error) == "")
        raise


@pytest.mark.parametrize("source", GENERATED, ids=lambda source: source.name)
@settings(max_examples=8, derandomize=True, suppress_health_check=MANY)
@given(st.data(), st.integers(-200, 200), st.integers(-200, 200))
def test_generated_sources_close_bit_for_bit_under_every_move(source, data, top, left):
    recipe = data.draw(recipes(source))
    tile = rendered(recipe)
    window = rendered(recipe, Window(top, left, 70, 80))
    assert np.array_equal(window, cloth(tile, recipe.repeat, top, left, 70, 80))
    assert tile.shape == (recipe.height, recipe.width, 4)
    assert tile.dtype == np.uint16
    assert (tile[..., :3] <= tile[..., 3:]).all()
    assert Recipe.parse(recipe.as_dict()) == recipe


@pytest.mark.parametrize("source", GENERATED, ids=lambda source: source.name)
@settings(max_examples=5, derandomize=True, suppress_health_check=MANY)
@given(st.data())
def test_no_setting_is_flat_unless_the_source_says_so(source, data):
    recipe = data.draw(recipes(source)).at_size(192, 160)
    tile = rendered(recipe)
    if not source.flat(recipe.values):
        assert tile.astype(float).std(axis=(0, 1)).max() > 60, str(dict(recipe.values))


@pytest.mark.parametrize("source", [one for one in GENERATED if one.name != "flat"], ids=lambda source: source.name)
@pytest.mark.parametrize("kind", REPEATS)
def test_as_they_come_they_are_pictures_that_read_as_seamless(source, kind):
    recipe = Recipe.parse({"size": [320, 256], "repeat": kind, "stagger": 0.4, "source": {"name": source.name}})
    tile = recipe.render()
    assert tile.astype(float).std(axis=(0, 1)).max() > 1500
    assert seam(flat_rgb(tile), recipe.repeat).value <= 1.10


@pytest.mark.parametrize("source", GENERATED, ids=lambda source: source.name)
def test_strips_and_threads_change_no_bit(source):
    recipe = Recipe.parse({"size": [512, 400], "source": {"name": source.name}})
    assert np.array_equal(recipe.render_source(), recipe.source.render(recipe._order(read)))


@pytest.mark.parametrize("source", GENERATED, ids=lambda source: source.name)
def test_another_size_of_the_same_proportions_is_the_same_picture(source):
    values = {"ruling": 8.0} if source.name == "screen" else {}
    small = Recipe.parse({"size": [288, 192], "source": {"name": source.name, "values": values}})
    large = small.at_size(864, 576).render().astype(float)
    averaged = large.reshape(192, 3, 288, 3, 4).mean(axis=(1, 3))
    got = small.render().astype(float)
    assert np.abs(averaged - got).mean() < 0.25 * max(got.std(), 1) + 400


@pytest.mark.parametrize("source", list(SOURCES), ids=lambda source: source.name)
def test_every_value_refuses_what_is_out_of_range_by_name(source):
    for value in source.values:
        wrong = "x" * 500 if value.kind == "text" else 5.5e9
        for bad in (None, wrong, [[0, 1, 2, 3]]):
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
