"""Grains at any scale: exactly periodic, however far out, and blocks are windows."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage

from orvix.errors import BadValue
from orvix.geometry import BLOCK
from orvix.grains.field import GrainField, Placing, prefiltered
from orvix.grains.fit import FitQuestion, closes, closing
from orvix.tiles.repeats import REPEATS, Repeat, cloth

GRAIN = np.random.default_rng(8).random((24, 36), np.float32)


@settings(max_examples=60)
@given(
    st.sampled_from(REPEATS),
    st.fractions(0, 1, max_denominator=12),
    st.fractions(Fraction(1, 5), 4, max_denominator=40),
    st.integers(-3, 3),
    st.integers(-3, 3),
    st.integers(0, 9000),
)
def test_a_whole_vector_of_the_basis_gives_the_same_bits(kind, stagger, scale, i, j, far):
    repeat = Repeat(kind, stagger)
    field = GrainField(GRAIN, repeat, Placing(scale, scale))
    (ax, ay), (bx, by) = repeat.basis(36, 24)
    times = scale.denominator
    x, y = (times * scale * (i * ax + j * bx), times * scale * (i * ay + j * by))
    assert x.denominator == y.denominator == 1
    here = field.window(far, far // 2, 20, 30)
    there = field.window(far + int(y), far // 2 + int(x), 20, 30)
    assert np.array_equal(here, there)
    assert here.std() > 0.01


def test_at_scale_one_it_is_the_tile():
    repeat = Repeat("half-drop", Fraction(1, 2))
    plain = GrainField(GRAIN, repeat, Placing(Fraction(1), Fraction(1))).window(0, 0, *GRAIN.shape)
    assert np.array_equal(plain, GRAIN)


def test_an_offset_moves_it_by_whole_px_and_exact_reads_px_by_px():
    plain = GrainField(GRAIN, Repeat(), Placing(Fraction(2), Fraction(2), offset=(3, 5))).window(0, 0, 40, 40)
    still = GrainField(GRAIN, Repeat(), Placing(Fraction(2), Fraction(2))).window(-10, -6, 40, 40)
    assert np.array_equal(plain, still)
    exact = GrainField(GRAIN, Repeat(), Placing(Fraction(3), Fraction(3), exact=True)).window(0, 0, 30, 30)
    assert np.array_equal(exact, np.repeat(np.repeat(GRAIN[:10, :10], 3, axis=0), 3, axis=1))


@pytest.mark.parametrize("repeat", [Repeat(), Repeat("brick", Fraction(1, 3)), Repeat("half-drop", Fraction(1, 2))])
def test_a_turned_grain_is_the_tile_turned(repeat):
    turned = GrainField(GRAIN, repeat, Placing(Fraction(1), Fraction(1), turn_deg=90)).window(0, -40, 40, 40)
    plain = GrainField(GRAIN, repeat, Placing(Fraction(1), Fraction(1))).window(0, 0, 40, 40)
    assert np.abs(turned - np.rot90(plain, -1)).max() < 1e-4
    slant = GrainField(GRAIN, repeat, Placing(Fraction(3), Fraction(3), turn_deg=30)).window(0, 0, 60, 60)
    y, x = np.mgrid[0:60, 0:60] + 0.5
    c, s = np.cos(np.pi / 6) / 3, np.sin(np.pi / 6) / 3
    u, v = c * x + s * y - 0.5, c * y - s * x - 0.5
    wide = cloth(GRAIN, repeat, -60, -60, 120, 120)
    want = ndimage.map_coordinates(wide, [v + 60, u + 60], order=1)
    assert np.abs(slant - want).max() < 1e-3


@pytest.mark.parametrize(("turn", "scale"), [(36.86989764584402, "1"), (53.13010235415598, "1/2")])
@pytest.mark.parametrize("kind", ["straight", "brick", "half-drop"])
def test_a_turned_grain_that_closes_gives_the_same_bits_a_canvas_further(turn, scale, kind):
    side = 40
    grain = np.random.default_rng(5).random((side, side), np.float32)
    canvas, scale = side * 10, Fraction(scale)
    repeat = Repeat(kind, Fraction(1, 2)) if kind != "straight" else Repeat()
    question = FitQuestion((side, side), (canvas, canvas), scale, repeat, turn_deg=turn)
    closed = closing(question)
    assert closes(question)
    assert closed is not None
    field = GrainField(grain, repeat, Placing(scale, scale, turn_deg=turn, closing=closed))
    here = field.window(17, 29, 60, 60)
    assert here.std() > 0.1
    for down, across in ((0, canvas), (canvas, 0), (-canvas, 3 * canvas)):
        assert np.array_equal(here, field.window(17 + down, 29 + across, 60, 60))


def test_blocks_are_windows_and_are_kept():
    field = GrainField(GRAIN, Repeat(), Placing(Fraction(5, 7), Fraction(5, 7)))
    block = field.block(2, 3)
    assert np.array_equal(block, field.window(2 * BLOCK, 3 * BLOCK, BLOCK, BLOCK))
    assert field.block(2, 3) is block


@pytest.mark.parametrize("turn", [0.0, 31.0])
def test_a_part_of_a_block_that_grows_is_the_block(turn):
    grain = np.random.default_rng(4).random((48, 60), np.float32)
    placing = Placing(Fraction(3, 2), Fraction(3, 2), turn_deg=turn)
    whole = GrainField(grain, Repeat("brick", Fraction(1, 3)), placing).block(1, 2)
    field = GrainField(grain, Repeat("brick", Fraction(1, 3)), placing)
    some = np.random.default_rng(5).random((60, 90)) < 0.3
    part = slice(80, 140), slice(40, 130)
    assert np.array_equal(field.block(1, 2, part, some)[part][some], whole[part][some])
    assert not np.array_equal(field.block(1, 2, part, some)[part], whole[part])
    for part in ((slice(70, 90), slice(10, 64)), (slice(3, 200), slice(60, 130)), (slice(3, 9), slice(250, 256))):
        assert np.array_equal(field.block(1, 2, part)[part], whole[part])
    assert np.array_equal(field.block(1, 2), whole)


def test_the_origin_moves_it_in_px_of_the_unscaled_canvas():
    plain = GrainField(GRAIN, Repeat(), Placing(Fraction(1), Fraction(1), times=Fraction(2)))
    moved = GrainField(GRAIN, Repeat(), Placing(Fraction(1), Fraction(1), times=Fraction(2), origin=(5, 3)))
    assert np.array_equal(plain.window(0, 0, 30, 30), moved.window(6, 10, 30, 30))


def test_shown_smaller_it_does_not_alias():
    checks = np.indices((64, 64)).sum(axis=0) % 2
    checks = prefiltered(checks.astype(np.float32), Repeat(), 0.25, 0.25)
    field = GrainField(checks, Repeat(), Placing(Fraction(1, 4), Fraction(1, 4)))
    assert field.window(0, 0, 40, 40).std() < 0.05


def test_a_scale_out_of_range_is_refused_by_name():
    with pytest.raises(BadValue, match=r"grain scale=1/1000: must be 0\.01 to 100"):
        GrainField(GRAIN, Repeat(), Placing(Fraction(1, 1000), Fraction(1)))
