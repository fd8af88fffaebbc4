"""Fit: the known cases, and everything offered, put back in, closes."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from math import atan, degrees

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orvix.errors import BadValue
from orvix.grains.field import GrainField, Placing
from orvix.grains.fit import (
    FitQuestion,
    closes,
    fit,
    nearest_canvases,
    nearest_scales,
    nearest_turns,
    off_px,
    snapped_scales,
)
from orvix.tiles.repeats import REPEATS, Repeat

KNOWN = [
    (FitQuestion((200, 200), (1000, 1000), Fraction(1, 2)), True, 0.0),
    (FitQuestion((200, 200), (1000, 1000), Fraction(3, 10)), False, 20.0),
    (FitQuestion((200, 200), (1000, 1000), Fraction(5, 17)), True, 0.0),
    (FitQuestion((256, 256), (768, 768), Fraction(1), Repeat("half-drop")), False, 128.0),
    (FitQuestion((256, 256), (1024, 768), Fraction(1), Repeat("half-drop")), True, 0.0),
    (FitQuestion((256, 256), (2000, 1500), Fraction(1)), False, 48.0),
    (FitQuestion((100, 100), (600, 600), Fraction(1), ratio=Fraction(300, 150)), True, 0.0),
    (FitQuestion((200, 200), (1000, 1000), Fraction(1), turn_deg=degrees(atan(3 / 4))), True, 0.0),
    (FitQuestion((200, 200), (1000, 1000), Fraction(4, 5), stretch=1.25), False, 40.0),
    (FitQuestion((200, 200), (1000, 800), Fraction(4, 5), stretch=1.25), True, 0.0),
]


@pytest.mark.parametrize(("question", "does", "off"), KNOWN)
def test_known_cases(question, does, off):
    assert closes(question) is does
    assert off_px(question) == pytest.approx(off)


@pytest.mark.parametrize("turn_deg", [0.0, 30.0])
def test_an_offer_more_than_two_times_away_is_none(turn_deg):
    asked = FitQuestion((397, 311), (1009, 757), Fraction(1, 2), turn_deg=turn_deg)
    scales = nearest_scales(asked)
    assert all(Fraction(1, 4) <= one <= 1 for one in scales)
    assert all(0.25 <= one["scale"] <= 1 and 0.5 <= one["stretch"] <= 2 for one in nearest_turns(asked))
    near = nearest_scales(replace(asked, canvas=(794, 622), turn_deg=0.0, scale=Fraction(3, 5)))
    assert near[0] == Fraction(2, 3)
    assert all(Fraction(3, 10) <= one <= Fraction(6, 5) for one in near)


@pytest.mark.slow
@settings(max_examples=80)
@given(
    st.sampled_from(REPEATS),
    st.sampled_from(REPEATS),
    st.fractions(0, 1, max_denominator=6),
    st.integers(16, 600),
    st.integers(16, 600),
    st.integers(200, 3000),
    st.integers(200, 3000),
    st.fractions(Fraction(1, 8), 4, max_denominator=60),
)
def test_what_is_offered_closes(kind, canvas_kind, stagger, tile_w, tile_h, width, height, scale):
    repeat, canvas_repeat = Repeat(kind, stagger), Repeat(canvas_kind, Fraction(1, 2))
    question = FitQuestion((tile_w, tile_h), (width, height), scale, repeat, canvas_repeat)
    for size in nearest_canvases(question):
        assert closes(replace(question, canvas=size))
    for other in nearest_scales(question):
        assert closes(replace(question, scale=other))
    for one in nearest_turns(question):
        assert closes(replace(question, **one | {"scale": Fraction(one["scale"])}))


@pytest.mark.slow
@settings(max_examples=60)
@given(
    st.sampled_from(REPEATS),
    st.integers(40, 400),
    st.integers(40, 400),
    st.integers(300, 2000),
    st.floats(-180, 180),
    st.floats(0.5, 2),
)
def test_what_is_offered_for_a_turned_and_stretched_grain_closes(kind, tile_w, tile_h, side, turn, stretch):
    question = FitQuestion((tile_w, tile_h), (side, side), Fraction(1, 2), Repeat(kind), turn_deg=turn, stretch=stretch)
    for size in nearest_canvases(question):
        assert closes(replace(question, canvas=size))
    for scale in nearest_scales(question):
        assert closes(replace(question, scale=scale))
    for one in nearest_turns(question):
        assert closes(replace(question, **one | {"scale": Fraction(one["scale"])}))


def test_turns_near_the_asked_one_are_offered_with_their_scale_and_stretch():
    question = FitQuestion((200, 200), (1000, 1000), Fraction(1), turn_deg=36)
    best = nearest_turns(question)[0]
    assert best["turn_deg"] == pytest.approx(degrees(atan(3 / 4)), abs=1e-9)
    assert (best["scale"], best["stretch"]) == pytest.approx((1, 1), abs=1e-12)
    # Unturned, on a canvas of other proportions, a small stretch closes.
    best = nearest_turns(FitQuestion((200, 200), (1000, 830), Fraction(1, 2)))[0]
    assert best == {"turn_deg": 0, "scale": pytest.approx(830 / 8 / 200), "stretch": pytest.approx(800 / 830)}
    for bad in (0, -1, 100):
        with pytest.raises(BadValue, match="stretch"):
            FitQuestion((200, 200), (1000, 1000), Fraction(1), stretch=bad)


def test_the_nearest_come_first():
    told = fit(KNOWN[1][0])
    assert told["canvases"][0] == [1020, 1020]
    assert told["scales"][0] == {"fraction": "5/17", "decimal": pytest.approx(5 / 17, abs=1e-12)}
    distances = [np.hypot(w - 1000, h - 1000) for w, h in told["canvases"]]
    assert distances == sorted(distances)


def test_what_is_called_closing_is_closing_in_the_pixels():
    grain = np.random.default_rng(2).random((48, 64), np.float32)
    question = FitQuestion((64, 48), (256, 192), Fraction(4, 3), Repeat("half-drop"))
    assert not closes(question)
    width, height = nearest_canvases(question)[0]
    field = GrainField(grain, Repeat("half-drop"), Placing(Fraction(4, 3), Fraction(4, 3)))
    assert np.array_equal(field.window(0, 0, 40, 40), field.window(0, width, 40, 40))
    assert np.array_equal(field.window(0, 0, 40, 40), field.window(height, 0, 40, 40))


def test_within_a_twentieth_of_a_px_the_scale_snaps_and_then_closes_exactly():
    question = FitQuestion((300, 200), (1000, 1000), Fraction("0.33334"))
    assert closes(question)
    scale_x, scale_y = snapped_scales(question)
    assert (1000 / (scale_x * 300)).denominator == 1
    assert (1000 / (scale_y * 200)).denominator == 1
    assert snapped_scales(replace(question, scale=Fraction(1, 3))) is None
    assert snapped_scales(replace(question, scale=Fraction(2, 5))) is None
