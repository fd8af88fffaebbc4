"""Joined edges in every kind of neighbours: copies, unfolding, moves and unrolling, against px-by-px references."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from orvix.errors import BadValue, UnknownName
from orvix.tiles.joining import NEIGHBOURS, Joining, Unrolling, honeycomb, unroll
from orvix.tiles.repeats import Repeat, cloth

KINDS = [("straight", Fraction(1, 2)), ("brick", Fraction(1, 3)), ("half-drop", Fraction(1, 2))]


def part_of(width, height):
    return np.arange(width * height, dtype=np.int64).reshape(height, width)


@pytest.mark.parametrize("neighbours", NEIGHBOURS)
@pytest.mark.parametrize(("kind", "stagger"), KINDS)
def test_the_cloth_of_a_part_is_the_cloth_of_what_it_unfolds_to(neighbours, kind, stagger):
    joining, part = Joining(Repeat(kind, stagger), neighbours), part_of(6, 9)
    whole = joining.unfold(part)
    assert whole.shape[::-1] == joining.whole_size(6, 9)
    window = (-17, -25, 40, 61)
    assert np.array_equal(joining.cloth(part, *window), cloth(whole, joining.repeat, *window))


@pytest.mark.parametrize("neighbours", NEIGHBOURS)
@pytest.mark.parametrize(("kind", "stagger"), KINDS)
@pytest.mark.parametrize("box", [(1, 2, 4, 5), (-2, 3, 2, 5), (4, 7, 9, 12), (-3, -2, 1, 1), (-9, -12, 14, 20)])
def test_a_box_of_the_cloth_folds_to_just_what_it_shows_of_the_part(neighbours, kind, stagger, box):
    joining, part = Joining(Repeat(kind, stagger), neighbours), part_of(6, 9)
    left, top, right, bottom = box
    folded = [part[low:high, first:last] for first, low, last, high in joining.folded(box, 6, 9)]
    shown = joining.cloth(part, top, left, bottom - top, right - left)
    assert np.array_equal(np.sort(np.concatenate([one.ravel() for one in folded])), np.sort(shown, axis=None))


def test_neighbours_meet_as_their_name_says():
    part = part_of(5, 4)
    whole = {name: Joining(Repeat(), name).unfold(part) for name in NEIGHBOURS}
    assert np.array_equal(whole["mirror-across"][:, 4], whole["mirror-across"][:, 5])
    assert np.array_equal(whole["mirror-down"][3], whole["mirror-down"][4])
    assert np.array_equal(whole["half-turn-across"][:, 4], whole["half-turn-across"][::-1, 5])
    assert np.array_equal(whole["glide-across"][:, 5:], part[::-1])
    assert np.array_equal(whole["glide-down"][4:], part[:, ::-1])
    assert np.array_equal(whole["mirror-both"], whole["mirror-both"][::-1, ::-1])


@given(
    st.sampled_from(sorted(NEIGHBOURS)), st.sampled_from(KINDS), st.integers(-40, 40), st.integers(-40, 40),
    st.integers(1, 30), st.integers(1, 30),
)  # fmt: skip
def test_the_copies_near_a_box_are_those_whose_cells_touch_it(neighbours, repeat, left, top, wide, high):
    joining, box = Joining(Repeat(*repeat), neighbours), (left, top, left + wide, top + high)
    found = list(joining.copies_near(box, 6, 9))
    cover = np.zeros((high, wide), int)
    for copy in found:
        x0, y0, x1, y1 = max(copy.x - left, 0), max(copy.y - top, 0), copy.x + 6 - left, copy.y + 9 - top
        assert x0 < min(x1, wide)
        assert y0 < min(y1, high)
        cover[y0 : max(y1, 0), x0 : max(x1, 0)] += 1
    assert (cover == 1).all()


@pytest.mark.parametrize("neighbours", NEIGHBOURS)
@pytest.mark.parametrize("move", [(3, 0), (0, 4), (3, 4), (6, 0), (0, 8), (1, 1)])
def test_a_move_is_allowed_just_where_the_moved_cloth_has_the_same_neighbours(neighbours, move):
    joining, part = Joining(Repeat(), neighbours), part_of(6, 8)
    moved = joining.cloth(part, -move[1], -move[0], 8, 6)
    fits = np.array_equal(joining.cloth(moved, 0, 0, 40, 40), joining.cloth(part, -move[1], -move[0], 40, 40))
    assert (joining.refuse_move(*move, 6, 8) == "") == fits


@pytest.mark.parametrize(("kind", "stagger"), [*KINDS, ("half-drop", Fraction(2, 3)), ("brick", Fraction(0))])
def test_unrolled_straight_it_is_the_same_cloth_px_for_px(kind, stagger):
    repeat, tile = Repeat(kind, stagger), part_of(6, 12)
    straight = unroll(tile, repeat)
    assert np.array_equal(cloth(straight, Repeat(), -5, -7, 50, 60), cloth(tile, repeat, -5, -7, 50, 60))
    assert Unrolling.of(repeat, 6, 12).exact


def test_where_the_fraction_is_not_whole_px_the_sizes_that_make_it_so_are_named():
    with pytest.raises(BadValue, match="height=100: a stagger of 1/3 is whole px only at a height of 99 or 102 px"):
        unroll(part_of(6, 100), Repeat("half-drop", Fraction(1, 3)))
    assert Unrolling.of(Repeat("brick", Fraction(2, 5)), 1024, 600).sides == (1025, 1020)


def test_a_honeycomb_has_six_neighbours_equally_far():
    width, off = honeycomb(1024)
    assert width == 887
    assert off < 0.0003
    across, down = Joining(Repeat("half-drop", Fraction(1, 2))).basis(width, 1024)
    assert np.hypot(*across) == pytest.approx(np.hypot(*down), rel=0.0005)


@pytest.mark.parametrize("neighbours", NEIGHBOURS)
@pytest.mark.parametrize("kind", ["straight", "brick", "half-drop"])
@pytest.mark.parametrize("stagger", [Fraction(0), Fraction(1, 2), Fraction(1, 3)])
def test_neighbours_that_would_not_meet_under_a_stagger_are_refused(neighbours, kind, stagger):
    """They meet where the cloth seen from every copy is the same cloth."""
    joining, part = Joining(Repeat(kind, stagger), neighbours), part_of(6, 12)
    same = True
    for copy in joining.copies_near((20, 20, 60, 60), 6, 12):
        seen = joining.cloth(part, copy.y - 12, copy.x - 6, 36, 18)[
            :: -1 if copy.down else 1, :: -1 if copy.across else 1
        ]
        same = same and np.array_equal(seen, joining.cloth(part, -12, -6, 36, 18))
    if same:
        joining.check(6, 12)
    else:
        with pytest.raises(BadValue, match="does not work with"):
            joining.check(6, 12)


def test_unknown_neighbours_are_refused_with_those_known():
    with pytest.raises(UnknownName, match="mirror-across"):
        Joining.parse("straight", None, "upside-down")
