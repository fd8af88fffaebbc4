"""Grains at any scale: exactly periodic, however far out, and blocks are windows."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orvix.errors import BadValue
from orvix.geometry import BLOCK
from orvix.grains.field import GrainField, Placing
from orvix.tiles.repeats import REPEATS, Repeat

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
    field = GrainField(GRAIN, repeat, Placing(scale, scale, 0.7))
    (ax, ay), (bx, by) = repeat.basis(36, 24)
    times = scale.denominator
    x, y = (times * scale * (i * ax + j * bx), times * scale * (i * ay + j * by))
    assert x.denominator == y.denominator == 1
    here = field.window(far, far // 2, 20, 30)
    there = field.window(far + int(y), far // 2 + int(x), 20, 30)
    assert np.array_equal(here, there)
    assert here.std() > 0.01


def test_at_scale_one_it_is_the_tile_and_strength_only_lightens_it():
    repeat = Repeat("half-drop")
    plain = GrainField(GRAIN, repeat, Placing(Fraction(1), Fraction(1))).window(0, 0, 24, 36)
    assert np.array_equal(plain, GRAIN)
    half = GrainField(GRAIN, repeat, Placing(Fraction(1), Fraction(1), 0.5)).window(0, 0, 24, 36)
    assert np.allclose(half, 0.5 + 0.5 * GRAIN, atol=1e-6)


def test_blocks_are_windows_and_are_kept():
    field = GrainField(GRAIN, Repeat(), Placing(Fraction(5, 7), Fraction(5, 7)))
    block = field.block(2, 3)
    assert np.array_equal(block, field.window(2 * BLOCK, 3 * BLOCK, BLOCK, BLOCK))
    assert field.block(2, 3) is block


def test_the_origin_moves_it_in_px_of_the_unscaled_canvas():
    plain = GrainField(GRAIN, Repeat(), Placing(Fraction(1), Fraction(1), times=Fraction(2)))
    moved = GrainField(GRAIN, Repeat(), Placing(Fraction(1), Fraction(1), times=Fraction(2), origin=(5, 3)))
    assert np.array_equal(plain.window(0, 0, 30, 30), moved.window(6, 10, 30, 30))


def test_shown_smaller_it_does_not_alias():
    checks = np.indices((64, 64)).sum(axis=0) % 2
    field = GrainField(checks.astype(np.float32), Repeat(), Placing(Fraction(1, 4), Fraction(1, 4)))
    assert field.window(0, 0, 40, 40).std() < 0.05


def test_a_scale_out_of_range_is_refused_by_name():
    with pytest.raises(BadValue, match=r"grain scale=1/1000: must be 0\.01 to 100"):
        GrainField(GRAIN, Repeat(), Placing(Fraction(1, 1000), Fraction(1)))
