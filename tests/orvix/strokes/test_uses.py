"""What a stroke does with its brush: smearing, softening, steadying."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from orvix.brushes.definition import Brush
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.strokes import Stroke, StrokeRun, paint_stroke, put_back
from orvix.colour.blending import MODES, blend
from orvix.errors import BadValue
from orvix.strokes.loaded import LoadedBrush
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
    ends = []
    for reach in (0.3, 1.0, 3.0):
        canvas = bar(brush_with)
        brush = brush_with(size=30, flow=1, spacing=0.1, brush={"values": {"smear_reach": reach}})
        paint_stroke(canvas, Stroke(brush, LINE, mode="smear"))
        ends.append(int(np.flatnonzero(canvas.layer.whole()[100, :, 0] > 6000).max()))
    assert 119 < ends[0] < ends[1] < ends[2]
    assert (canvas.layer.whole()[20] == bar(brush_with).layer.whole()[20]).all()


def test_a_black_square_smeared_over_white_leaves_a_fading_tail_in_the_way_of_the_stroke(brush_with):
    def smeared(samples):
        canvas = Canvas(CanvasSpec(300, 300))
        whole = np.full((300, 300, 4), 65535, np.uint16)
        whole[120:180, 120:180, :3] = 0
        for key in [(0, 0), (0, 1), (1, 0), (1, 1)]:
            block = np.zeros((256, 256, 4), np.uint16)
            part = whole[key[0] * 256 : key[0] * 256 + 256, key[1] * 256 : key[1] * 256 + 256]
            block[: part.shape[0], : part.shape[1]] = part
            canvas.put((1, key), block)
        paint_stroke(canvas, Stroke(brush_with(size=40, flow=1, spacing=0.05), samples, mode="smear"))
        return canvas.layer.whole()

    right = smeared(np.array([[10.0 * n, 100 + 4 * n, 150, 1, 0, 0, 0] for n in range(40)]))
    down = smeared(np.array([[10.0 * n, 150, 100 + 4 * n, 1, 0, 0, 0] for n in range(40)]))
    tail = 65535 - right[150, 180:250, 0].astype(int)
    assert tail[0] > 20000
    assert (np.diff(tail[::10]) < 0).all()
    assert (right[..., 3] == 65535).all()
    assert not np.array_equal(right, down)
    assert right[240, 150, 0] == 65535
    assert down[200, 150, 0] < 50000


def test_softening_keeps_the_mean_and_lowers_the_step(brush_with):
    canvas, sharp = bar(brush_with), bar(brush_with).layer.whole()
    brush = brush_with(size=60, flow=1, spacing=0.1, brush={"values": {"soften_px": 5}})
    paint_stroke(canvas, Stroke(brush, LINE, mode="soften"))
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


def test_a_wet_edge_leaves_less_in_the_middle_and_a_full_erase_leaves_nothing(brush_with):
    canvas = Canvas(CanvasSpec(300, 200))
    paint_stroke(canvas, Stroke(brush_with(size=80, flow=1, hardness=1, spacing=0.1, wet_edge=1, wet_px=12), LINE))
    alpha = canvas.layer.whole()[60:140, 150, 3].astype(int)
    assert alpha.max() > 1.5 * alpha[40]
    paint_stroke(canvas, Stroke(brush_with(size=90, flow=1, hardness=1, spacing=0.1), LINE, mode="erase"))
    assert not canvas.layer.whole()[:, 60:220].any()


@pytest.mark.parametrize("name", MODES)
def test_a_stroke_lies_over_what_is_painted_by_any_mode(name, brush_with):
    under, line = bar(brush_with), LINE.copy()
    brush = brush_with(size=30, flow=1, hardness=1, spacing=0.1, brush={"values": {"blend": name}})
    before = under.layer.whole()
    paint_stroke(under, Stroke(brush, line, "#4080c0"))
    over = np.zeros_like(before)
    over[..., :] = np.round(np.array([0x40, 0x80, 0xC0, 255]) * 257)
    got, want = under.layer.whole()[95:105, 60:200], blend(before, over, name)[95:105, 60:200]
    assert np.abs(got.astype(int) - want.astype(int)).max() <= 2


def test_coats_lie_over_one_another_by_their_modes_and_apart_they_are_the_same(brush_with):
    one = {"values": {"size": 60, "flow": 1, "hardness": 1, "spacing": 0.1}}
    two = {"values": {"size": 30, "flow": 1, "hardness": 1, "spacing": 0.1, "mix": "difference", "hue": 120}}
    both = LoadedBrush.plain(Brush.parse({"coats": [one, two]}))
    canvas = Canvas(CanvasSpec(300, 200))
    paint_stroke(canvas, Stroke(both, LINE, "#ff8000"))
    lower, upper = (Canvas(CanvasSpec(300, 200)) for _ in range(2))
    paint_stroke(lower, Stroke(LoadedBrush.plain(Brush.parse({"coats": [one]})), LINE, "#ff8000"))
    alone = two | {"values": two["values"] | {"mix": "normal"}}
    paint_stroke(upper, Stroke(LoadedBrush.plain(Brush.parse({"coats": [alone]})), LINE, "#ff8000"))
    want = blend(lower.layer.whole(), upper.layer.whole(), "difference")
    assert np.abs(canvas.layer.whole().astype(int) - want.astype(int)).max() <= 2
