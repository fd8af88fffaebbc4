"""Lattices: what is asked is taken to the nearest that closes, and cells are the same for all copies."""

from __future__ import annotations

from math import cos, radians, sin

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orvix.tiles.lattices import closing_lattice, turn_and_length
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import Repeat
from orvix.tiles.window import Window

REPEATS = st.builds(Repeat, st.sampled_from(["straight", "brick", "half-drop"]), st.fractions(0, 1, max_denominator=7))


@settings(max_examples=60, derandomize=True)
@given(st.integers(20, 300), st.integers(20, 300), REPEATS, st.floats(4, 60), st.floats(0, 180))
def test_the_tiles_vectors_are_whole_and_a_move_by_them_is_the_same_place(width, height, repeat, side, turn):
    c, s = side * cos(radians(turn)), side * sin(radians(turn))
    lattice = closing_lattice(width, height, repeat, (c, -s), (s, c))
    (px, py), (qx, qy) = lattice.vectors
    (a, b), (d, e) = lattice.k
    for (x, y), u, v in zip(repeat.basis(width, height), (a, b), (d, e), strict=True):
        assert (u * px + v * qx, u * py + v * qy) == pytest.approx((x, y), abs=1e-6)
    here = lattice.places(Window(3, 5, 9, 11))
    for x, y in repeat.basis(width, height):
        there = lattice.places(Window(3 + y, 5 + x, 9, 11))
        assert np.array_equal(here.u, there.u)
        assert np.array_equal(here.v, there.v)
        assert np.array_equal(lattice.identity(here.i, here.j), lattice.identity(there.i, there.j))
    assert lattice.count > 0


def test_every_cell_of_a_tile_has_a_number_of_its_own():
    lattice = closing_lattice(90, 60, Repeat("half-drop"), (9.0, 4.0), (-4.0, 9.0))
    at = lattice.places(Window(0, 0, 60, 90))
    numbers = lattice.identity(at.i, at.j)
    assert set(np.unique(numbers)) == set(range(lattice.count))


def test_at_1024_px_screens_miss_their_angle_and_ruling_by_little():
    worst_turn = worst_length = 0.0
    for angle in np.linspace(0, 90, 91):
        c, s = 12 * cos(radians(angle)), 12 * sin(radians(angle))
        p, _ = closing_lattice(1024, 1024, Repeat(), (c, -s), (s, c)).vectors
        turn, length = turn_and_length(p)
        worst_turn = max(worst_turn, abs((turn - angle + 90) % 180 - 90))
        worst_length = max(worst_length, abs(length / 12 - 1))
    assert worst_turn <= 0.43
    assert worst_length <= 0.008


def test_a_screen_says_what_it_gave_and_offers_sizes_that_suit():
    def given_at(angle: float, size: int) -> list:
        values = {"ruling": 20.0, "angle": angle}
        return Recipe.parse({"size": [size, size], "source": {"name": "screen", "values": values}}).given()

    ruling, angle = given_at(0.0, 400)
    assert (ruling.given, angle.given, ruling.sizes) == (20.0, 0.0, ())
    ruling, angle = given_at(37.0, 400)
    assert angle.given != 37.0
    assert angle.sizes
    for width, height in angle.sizes:
        told = {
            "size": [width, height],
            "source": {"name": "screen", "values": {"ruling": 20.0 * width / 400, "angle": 37.0}},
        }
        again = Recipe.parse(told).given()
        assert again[1].given == pytest.approx(37.0, abs=0.3)
        assert again[0].given == pytest.approx(20.0 * width / 400, rel=0.006)


@pytest.mark.parametrize(
    ("source", "values", "words"),
    [
        ("screen", {"ruling": 900}, "ruling='900': finer than a px: at most 128 lines here"),
        ("courses", {"across": 128}, "under 3 px"),
        ("courses", {"joint": 12, "across": 8}, "joint='12': must leave a piece beside it: at most 10"),
        ("polygons", {"across": 1, "shape": "squares"}, "a piece is larger than its tile: at least 3"),
        ("specks", {"density": 20000, "size": 5}, "leave no ground: at most"),
        ("weave", {"threads": 500}, "threads are at least 2 px: at most 128"),
        ("gradient", {"colours": [[1, "#000000"], [0, "#ffffff"]]}, "places must rise: at least 1"),
    ],
)
def test_values_impossible_together_are_refused_with_the_nearest_that_work(source, values, words):
    size = [256, 60] if source == "polygons" else [256, 256]
    recipe = Recipe.parse({"size": size, "source": {"name": source, "values": values}})
    with pytest.raises(Exception, match=words):
        recipe.render()


@pytest.mark.parametrize("source", ["courses", "shingles", "herringbone", "weave"])
@pytest.mark.parametrize("kind", ["straight", "brick", "half-drop"])
def test_courses_lie_level_under_every_simple_stagger(source, kind):
    from importlib import import_module

    recipe = Recipe.parse({"size": [1024, 1024], "repeat": kind, "source": {"name": source}})
    module = import_module(f"orvix.tiles.sources.{'weaving' if source == 'weave' else source}")
    lattice = (module.thread_lattice if source == "weave" else module.lattice_of)(recipe._order(lambda name: None))
    assert lattice.vectors[0][1] == pytest.approx(0, abs=1e-9)
