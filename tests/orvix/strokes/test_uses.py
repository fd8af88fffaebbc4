"""What a stroke does with its brush: smearing, softening, steadying."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.strokes import Stroke, StrokeRun, paint_stroke, put_back
from orvix.errors import BadValue
from orvix.strokes.samples import check_samples
from orvix.strokes.steadying import Steadying

LINE = np.array([[10.0 * n, 40 + 4 * n, 100, 1, 0, 0, 0] for n in range(50)])


def bar(brush_with, **spec):
    """A canvas with an upright bar in red from x = 80 to 120."""
    canvas = Canvas(CanvasSpec(300, 200, ground=None, **spec))
    down = np.array([[n, 100, 4.0 * n, 1, 0, 0, 0] for n in range(52)])
    paint_stroke(canvas, Stroke(brush_with(size=40, hardness=1, spacing=0.1, flow=1), down, colour="#ff0000"))
    return canvas


@pytest.mark.parametrize("mode", ["smear", "soften"])
def test_batches_change_no_bit_and_undo_brings_back_what_stood(mode, brush_with):
    whole, parts = bar(brush_with), bar(brush_with)
    before = whole.layer.whole()
    stroke = Stroke(brush_with(size=50, flow=0.8), LINE, mode=mode)
    change, _ = paint_stroke(whole, stroke)
    run = StrokeRun(parts, stroke)
    for n in range(0, 50, 7):
        run.feed(check_samples(LINE[n : n + 7]), last=n + 7 >= 50)
    shown = parts.view(parts.spec.box)
    run.finish()
    assert np.array_equal(parts.view(parts.spec.box), shown)
    assert np.array_equal(whole.layer.whole(), parts.layer.whole())
    assert not np.array_equal(whole.layer.whole(), before)
    put_back(whole, change)
    assert np.array_equal(whole.layer.whole(), before)


def test_a_smear_carries_colour_along_and_a_short_one_less_far(brush_with):
    reach = []
    for opacity in (0.3, 0.6, 1.0):
        canvas = bar(brush_with)
        paint_stroke(canvas, Stroke(brush_with(size=30, flow=1, spacing=0.1, opacity=opacity), LINE, mode="smear"))
        reach.append(int(np.flatnonzero(canvas.layer.whole()[100, :, 0] > 6000).max()))
    assert 119 < reach[0] < reach[1] < reach[2]
    assert (canvas.layer.whole()[20] == bar(brush_with).layer.whole()[20]).all()


def test_softening_keeps_the_mean_and_lowers_the_step(brush_with):
    canvas, sharp = bar(brush_with), bar(brush_with).layer.whole()
    paint_stroke(canvas, Stroke(brush_with(size=60, flow=1, spacing=0.1), LINE, mode="soften"))
    soft = canvas.layer.whole()
    row, old = soft[100, 60:140, 3].astype(float), sharp[100, 60:140, 3].astype(float)
    assert np.abs(np.diff(row)).max() < 0.5 * np.abs(np.diff(old)).max()
    assert row.mean() == pytest.approx(old.mean(), rel=0.01)
    assert (soft[..., :3] <= soft[..., 3:]).all()


def test_nothing_is_smeared_or_softened_where_nothing_is(brush_with):
    for mode in ("smear", "soften"):
        canvas = Canvas(CanvasSpec(300, 200))
        change, _ = paint_stroke(canvas, Stroke(brush_with(size=50), LINE, mode=mode))
        assert not change
        assert canvas.shown == {}


def test_steadying_calms_a_shaking_hand_and_ends_where_the_hand_rests():
    shaking = LINE.copy()
    shaking[::2, 2] += 6
    for amount in (0.4, 0.8):
        calm = Steadying(amount).apply(shaking, last=True)
        assert np.abs(np.diff(calm[10:50, 2])).max() < 0.6 * 6
        assert np.hypot(*(calm[-1, 1:3] - shaking[-1, 1:3])) < 0.3
    assert np.array_equal(Steadying().apply(shaking, last=True), shaking)


def test_trailing_draws_the_mark_behind_by_the_distance_and_through_small_moves_not_at_all():
    trailed = Steadying(0.0, 25.0).apply(LINE, last=True)
    assert trailed[-1, 1] == pytest.approx(LINE[-1, 1] - 25)
    fidget = LINE[:1] + np.array([[n, 9 * np.sin(n), 9 * np.cos(n) - 9, 0, 0, 0, 0] for n in range(30)])
    assert np.ptp(Steadying(0.0, 25.0).apply(fidget)[:, 1:3], axis=0).max() == 0


@given(st.lists(st.integers(0, 50), max_size=6), st.floats(0, 1), st.floats(0, 60))
def test_steadying_does_not_mind_how_samples_came(cuts, amount, trail):
    edges = [0, *sorted(cuts), 50]
    steady = Steadying(amount, trail)
    parts = [steady.apply(LINE[a:b]) for a, b in pairwise(edges)]
    parts.append(steady.apply(LINE[:0], last=True))
    assert np.array_equal(np.concatenate(parts), Steadying(amount, trail).apply(LINE, last=True))


@pytest.mark.parametrize(
    ("told", "words"),
    [
        ({"steady": 1.5}, "steady=1.5: must be 0 to 1"),
        ({"trail_px": -1}, "trail=-1: must be 0 to 400 px"),
        ({"mode": "wash"}, "paint, erase, smear, soften"),
        ({"layer": 7}, "layer=7: must be one of 1"),
    ],
)
def test_bad_uses_are_refused_with_the_rule(told, words, brush_with):
    with pytest.raises(BadValue, match=words):
        paint_stroke(Canvas(CanvasSpec(50, 50)), Stroke(brush_with(), LINE, **told))
