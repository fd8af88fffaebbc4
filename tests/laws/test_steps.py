"""Laws over the whole registry of steps: a new one is tested without a new test."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st

from orvix.errors import BadValue, OrvixError
from orvix.pictures.writing import flat_rgb
from orvix.tiles.closing.seam import seam
from orvix.tiles.recipe import KeptStates, Recipe
from orvix.tiles.repeats import REPEATS, Repeat
from orvix.tiles.state import TileState
from orvix.tiles.steps import STEPS
from orvix.tiles.steps.registry import StepOrder
from tests.laws.drawing import drawn_value

CLOUD = {"name": "noise", "values": {"cells": 4, "octaves": 4}}
SOURCE = {"name": "gradient", "values": {"of": CLOUD}}
MANY = [HealthCheck.filter_too_much, HealthCheck.too_slow]
ALL = list(STEPS)


def tile_of(kind: str, width: int = 120, height: int = 96) -> TileState:
    return Recipe.parse({"size": [width, height], "repeat": kind, "stagger": "1/3", "source": SOURCE}).run()


@pytest.mark.parametrize("step", ALL, ids=lambda step: step.name)
@settings(max_examples=10, derandomize=True, suppress_health_check=MANY)
@given(st.data(), st.sampled_from(REPEATS))
def test_what_comes_out_has_the_shape_that_was_told_and_is_a_picture(step, data, kind):
    values = {value.name: data.draw(drawn_value(value)) for value in step.values}
    told = {
        "size": [120, 96],
        "repeat": kind,
        "stagger": "1/3",
        "source": SOURCE,
        "steps": [{"name": step.name, "values": values}],
    }
    try:
        recipe = Recipe.parse(told)
        state = recipe.run()
    except BadValue as error:
        assume(str(error) == "")
        raise
    assert (state.width, state.height, state.repeat) == recipe.shape
    assert state.pixels.dtype == np.uint16
    assert (state.pixels[..., :3] <= state.pixels[..., 3:]).all()
    left_alone = np.array_equal(state.pixels, recipe.render_source())
    assert state.proven == (step.closing == "keeps" or left_alone)
    assert np.array_equal(state.pixels, recipe.run().pixels)
    assert Recipe.parse(recipe.as_dict()) == recipe


@pytest.mark.parametrize("step", [one for one in ALL if one.closing != "breaks"], ids=lambda step: step.name)
@pytest.mark.parametrize("kind", REPEATS)
def test_a_tile_that_closes_still_does(step, kind):
    told = {"size": [256, 192], "repeat": kind, "stagger": "1/3", "source": SOURCE, "steps": [{"name": step.name}]}
    state = Recipe.parse(told).run()
    assert seam(flat_rgb(state.pixels), state.repeat).value <= 1.10


@pytest.mark.parametrize("step", [one for one in ALL if one.uniform], ids=lambda step: step.name)
@pytest.mark.parametrize("kind", REPEATS)
def test_it_does_the_same_wherever_the_content_lies(step, kind):
    values = {value.name: value.default for value in step.values}
    tile = tile_of(kind)
    here = step.run(tile.moved(37, 51), StepOrder(values))
    moved = step.run(tile, StepOrder(values)).moved(37, 51)
    difference = np.abs(here.pixels.astype(int) - moved.pixels.astype(int))
    assert np.percentile(difference, 99) <= 2.5 * 257


def test_a_crop_says_that_it_breaks_and_a_whole_one_changes_nothing():
    whole = {"name": "crop", "values": {"left": 0, "top": 0, "across": 100, "down": 100}}
    tile = tile_of("brick")
    cut = STEPS.get("crop").run(tile, StepOrder({"left": 10, "top": 0, "across": 60, "down": 100}))
    assert not cut.proven
    assert not cut.wraps
    assert cut.width == 72
    kept = STEPS.get("crop").run(tile, StepOrder(whole["values"]))
    assert np.array_equal(kept.pixels, tile.pixels)


@pytest.mark.parametrize("size", [(120, 96), (121, 95)])
def test_two_half_moves_change_nothing_also_for_odd_sizes(size):
    tile = tile_of("half-drop", *size)
    half = STEPS.get("half-move")
    once = half.run(tile, StepOrder({"axis": "both"}))
    assert once.borders == ((size[0] // 2, size[1] // 2),)
    twice = half.run(once, StepOrder({"axis": "both"}))
    assert np.array_equal(twice.pixels, tile.pixels)
    assert twice.borders == ((0, 0),)


def test_steps_run_in_order_and_those_switched_off_do_not():
    told = {"size": [64, 64], "source": SOURCE}
    negative = {"name": "negative"}
    plain = Recipe.parse(told).render()
    assert np.array_equal(Recipe.parse({**told, "steps": [{**negative, "on": False}]}).render(), plain)
    assert np.abs(Recipe.parse({**told, "steps": [negative, negative]}).render().astype(int) - plain).max() <= 1
    levels = {"name": "levels", "values": {"black": 0.4}}
    one = Recipe.parse({**told, "steps": [negative, levels]}).render()
    other = Recipe.parse({**told, "steps": [levels, negative]}).render()
    assert not np.array_equal(one, other)


def test_only_what_comes_after_a_change_runs_again(monkeypatch):
    ran: list[str] = []
    for name in ("colour-out", "contrast", "blur"):
        step = STEPS.get(name)
        object.__setattr__(step, "apply", _noting(ran, name, step.apply))
    kept = KeptStates(10**8)

    def run(contrast: float) -> list[str]:
        steps = [{"name": "colour-out"}, {"name": "contrast", "values": {"contrast": contrast}}, {"name": "blur"}]
        ran.clear()
        Recipe.parse({"size": [64, 64], "source": SOURCE, "steps": steps}).run(kept=kept)
        return list(ran)

    try:
        assert run(0.1) == ["colour-out", "contrast", "blur"]
        assert run(0.2) == ["contrast", "blur"]
        assert run(0.2) == []
        assert run(0.1) == []
    finally:
        for name in ("colour-out", "contrast", "blur"):
            object.__setattr__(STEPS.get(name), "apply", STEPS.get(name).apply.__wrapped__)


def _noting(ran, name, apply):
    def noted(state, order):
        ran.append(name)
        return apply(state, order)

    noted.__wrapped__ = apply
    return noted


def test_states_are_let_go_when_there_are_too_many_octets():
    kept = KeptStates(100_000)
    one = TileState(np.zeros((100, 100, 4), np.uint16), Repeat())
    kept.put("a", one)
    kept.put("b", one)
    assert kept.get("a") is None
    assert kept.get("b") is one


@pytest.mark.parametrize("step", ALL, ids=lambda step: step.name)
def test_every_value_refuses_what_is_out_of_range_by_name(step):
    for value in step.values:
        for bad in (None, 5.5e9, [[0, 1, 2, 3, 4]]):
            with pytest.raises(OrvixError, match=value.name):
                value.check(bad)
        assert value.check(value.default) == value.default
        assert value.help


def test_levels_and_gradients_that_make_no_sense_name_the_nearest_that_do():
    for step, words in (
        (
            {"name": "levels", "values": {"black": 0.7, "white": 0.5}},
            "white='0.5': must be above black: at least 0.71",
        ),
        ({"name": "colours", "values": {"colours": [[0.6, "#000000"], [0.2, "#ffffff"]]}}, "places must rise"),
    ):
        with pytest.raises(BadValue, match=words):
            Recipe.parse({"size": [64, 64], "source": SOURCE, "steps": [step]}).run()


def test_a_file_of_a_newer_version_keeps_what_is_not_known_and_names_it():
    told = {"version": [1, 9], "size": [64, 64], "gloss": 3, "source": {**CLOUD, "sheen": True},
            "steps": [{"name": "blur", "values": {"reach": 1, "bloom": 2}}]}  # fmt: skip
    recipe = Recipe.parse(told)
    assert set(recipe.unknown) == {("gloss",), ("source", "sheen"), ("steps", 0, "values", "bloom")}
    kept = recipe.as_dict()
    assert kept["gloss"] == 3
    assert kept["steps"][0]["values"]["bloom"] == 2
    assert Recipe.parse(kept).unknown == recipe.unknown
    with pytest.raises(OrvixError, match="gloss"):
        Recipe.parse({**told, "version": [1, 1]})
