"""How copies lie: the cloth against its definition, whole px by whole px, and the moves that bring a box back."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from orvix.errors import BadValue
from orvix.tiles.repeats import Repeat, cloth, parse_fraction

repeats = st.builds(
    Repeat, st.sampled_from(["straight", "brick", "half-drop"]), st.fractions(0, Fraction(7, 8), max_denominator=8)
)


def slow_cloth(tile, repeat, top, left, height, width):
    """Each px looked up by the repeat's two vectors."""
    rows, columns = tile.shape[:2]
    (ax, ay), (bx, by) = repeat.basis(columns, rows)
    out = np.empty((height, width), tile.dtype)
    for y in range(height):
        for x in range(width):
            at_x, at_y = left + x, top + y
            if repeat.kind == "brick":
                n = at_y // by
                at_x, at_y = at_x - n * bx, at_y - n * by
            else:
                n = at_x // ax
                at_x, at_y = at_x - n * ax, at_y - n * ay
            out[y, x] = tile[at_y % rows, at_x % columns]
    return out


@given(repeats, st.integers(1, 9), st.integers(1, 9), st.integers(-40, 40), st.integers(-40, 40),
       st.integers(1, 30), st.integers(1, 30))  # fmt: skip
def test_the_cloth_is_the_tile_under_its_two_vectors(repeat, rows, columns, top, left, height, width):
    tile = np.arange(rows * columns).reshape(rows, columns)
    assert np.array_equal(
        cloth(tile, repeat, top, left, height, width), slow_cloth(tile, repeat, top, left, height, width)
    )


@pytest.mark.parametrize("kind", ["straight", "brick", "half-drop"])
def test_many_copies_and_few_are_laid_alike(kind):
    tile = np.random.default_rng(1).integers(0, 9, (3, 5, 4))
    repeat = Repeat(kind, Fraction(1, 3))
    many = cloth(tile, repeat, -7, -11, 400, 500)  # past the number of slices, looked up px by px
    for top, left in ((0, 0), (200, 311), (330, 70)):
        few = cloth(tile, repeat, top - 7, left - 11, 60, 60)
        assert np.array_equal(many[top : top + 60, left : left + 60], few)


@pytest.mark.slow
@given(repeats, st.integers(2, 30), st.integers(2, 30), st.integers(-90, 90), st.integers(-90, 90))
def test_moves_near_a_box_are_all_that_touch_the_tile(repeat, width, height, x, y):
    box = (x, y, x + 13, y + 8)
    (ax, ay), (bx, by) = repeat.basis(width, height)
    want = set()
    for i in range(-120, 121):
        for j in range(-160, 161):
            dx, dy = i * ax + j * bx, i * ay + j * by
            if box[0] - dx < width and box[2] - dx > 0 and box[1] - dy < height and box[3] - dy > 0:
                want.add((dx, dy))
    assert set(repeat.shifts_near(box, width, height)) == want


@pytest.mark.parametrize(("given_", "want"), [("5/17", Fraction(5, 17)), (0.25, Fraction(1, 4)), (" 2 ", Fraction(2))])
def test_a_fraction_is_kept_exact(given_, want):
    assert parse_fraction("scale", given_, 0, 100) == want


@pytest.mark.parametrize("given_", ["", "1/0", "a half", True, None, "nan", 101, -1, [1]])
def test_what_is_no_fraction_in_range_is_refused_with_the_rule(given_):
    with pytest.raises(BadValue, match="decimal or a fraction"):
        parse_fraction("scale", given_, 0, 100)
