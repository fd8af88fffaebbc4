"""Where stamps lie and how they stand: bends, rows, ways back, held grains, and the laws of replaying larger."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest

from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.strokes import GrainLayer, Stroke, StrokeRun, paint_stroke
from orvix.devices.stylus import TRIALS, record
from orvix.strokes import rhythm
from orvix.strokes.collisions import collisions
from orvix.strokes.rules import RowBeside
from orvix.strokes.tracing import trace
from orvix.tiles.joining import Joining
from tests.orvix.strokes.test_dabs import picture_brush

PLANK = np.pad(np.ones((20, 90), np.float32), 2)
LINE = np.array([[10.0 * n, 20 + 4 * n, 60, 1, 0, 0, 0] for n in range(90)])


def marks_of(loaded, samples, **told) -> np.ndarray:
    run = StrokeRun(Canvas(CanvasSpec(900, 700)), Stroke(loaded, samples[:0], **told))
    run.keep_marks()
    run.feed(samples, last=True)
    painter = run.painters[0]
    marks = painter.kept_marks.copy()
    marks[:, :2] += painter.origin_px
    return marks


def hits(loaded, samples) -> int:
    run = StrokeRun(Canvas(CanvasSpec(900, 700)), Stroke(loaded, samples[:0]))
    run.keep_marks()
    run.feed(samples, last=True)
    return len(collisions(run.painters[0].rules, run.painters[0].kept_marks))


def test_in_a_bend_stamps_collide_and_kept_clear_they_do_not():
    corner = record(TRIALS["tight corner"], 3) * np.array([1, 600, 500, 1, 1, 1, 1])
    along = {"size": 90, "turn": 45, "follows": "heading", "spaced_by": "touch", "flow": 1.0}
    collide, clear = (hits(picture_brush(PLANK, bends=rule, **along), corner) for rule in ("path", "clear"))
    assert collide >= 1
    assert clear == 0
    assert hits(picture_brush(PLANK, bends="path", **along), LINE) == 0


@pytest.mark.parametrize(("way", "turn", "flips"), [
    ("as it comes", 180, 0), ("half turn", 0, 0), ("mirrored", 180, 2), ("dial", 270, 0),
])  # fmt: skip
def test_on_the_way_back_the_row_stands_as_it_is_told(way, turn, flips):
    back = LINE.copy()
    back[:, 1] = back[::-1, 1]
    dial = [[0, 0], [180, 90]]
    mark = marks_of(picture_brush(PLANK, size=40, follows="heading", way_back=way, dial=dial, spacing=1), back)[3]
    assert np.degrees(mark[rhythm.S_TURN]) % 360 == pytest.approx(turn, abs=0.5)
    assert mark[rhythm.S_FLIPS] == flips


def test_the_first_stamp_waits_for_the_first_movement_and_is_turned_right():
    later = LINE[1:] + np.array([10, 0, 0, 0, 0, 0, 0])
    shaky = np.vstack([[[0, 20, 60, 1, 0, 0, 0], [5, 21, 61, 1, 0, 0, 0]], later])
    mark = marks_of(picture_brush(PLANK, size=40, follows="heading", spacing=1), shaky)[0]
    assert abs(np.degrees(mark[rhythm.S_TURN])) < 20


@pytest.mark.parametrize(("starts", "share"), [("in step", 0.0), ("between", 0.5)])
@pytest.mark.parametrize("back", [False, True])
def test_a_row_starts_at_the_phase_that_the_row_beside_it_asks_for(starts, share, back):
    brush = picture_brush(PLANK, size=40, spacing=1, row_start=starts)
    first = marks_of(brush, LINE)
    pitch = float(np.diff(first[:2, 0])[0])
    beside = RowBeside(float(first[0, 0]), 60.0, 0.0, pitch)
    second = LINE + np.array([0, 13.7, 30, 0, 0, 0, 0])
    if back:
        second[:, 1] = second[::-1, 1].copy()
    row = marks_of(brush, second, row=beside)
    phase = ((row[:, 0] - first[0, 0]) / pitch - share) % 1
    assert np.minimum(phase, 1 - phase).max() < 0.02
    free = marks_of(picture_brush(PLANK, size=40, spacing=1), second, row=beside)
    assert free[0, 0] == pytest.approx(second[0, 1])


@pytest.mark.parametrize("times", [Fraction(2), Fraction(3)])
@pytest.mark.parametrize("values", [
    {"bends": "clear", "spaced_by": "touch", "follows": "heading"},
    {"scatter_across": 0.6, "turn": 30, "leads": {"turn": {"chance_stamp": {"does": "adds"}}}},
])  # fmt: skip
def test_replayed_larger_the_same_stamps_are_laid(times, values, wavy):
    loaded = picture_brush(PLANK, size=40, **values)
    runs = []
    for k in (Fraction(1), times):
        canvas = Canvas(CanvasSpec(int(320 * k), int(200 * k)))
        run = StrokeRun(canvas, Stroke(loaded, wavy[:0]), times=k)
        run.keep_marks()
        run.feed(wavy, last=True)
        run.finish()
        runs.append((run.painters[0].kept_marks, canvas.layer.whole()))
    assert np.array_equal(runs[0][0], runs[1][0])
    k = int(times)
    small = runs[1][1].reshape(200, k, 320, k, 4).astype(float).mean(axis=(1, 3))
    far = np.abs(small - runs[0][1])[..., 3] > 2 * 257
    edge = np.hypot(*np.gradient(runs[0][1][..., 3].astype(float))) > 400
    near = np.zeros_like(edge)
    for dy in (-1, 0, 1):
        for dx in (-1, 0, 1):
            near |= np.roll(edge, (dy, dx), axis=(0, 1))
    assert not (far & ~near).any()


def test_a_grain_held_to_the_canvas_is_periodic_on_it(brush_with):
    # The grain is 40 x 30 px, so at a half it repeats every 20 x 15.
    loaded = brush_with(size=300, largest=512, flow=1, hardness=1, grain=True, scale="1/2", builds="stays level")
    canvas = Canvas(CanvasSpec(200, 150, joined=Joining()))
    cover = np.array([[10.0 * n, 20 * n, 75, 1, 0, 0, 0] for n in range(12)])
    paint_stroke(canvas, Stroke(loaded, cover), GrainLayer(canvas))
    whole = canvas.layer.whole()[..., 3]
    assert np.array_equal(whole[:, :20], whole[:, 20:40])
    assert np.array_equal(whole[:15], whole[15:30])
    assert whole.std() > 500


def test_a_trace_says_the_driver_and_the_value_along_a_stroke(wavy):
    loaded = picture_brush(PLANK, size=40, leads={"size": {"pressure": {"low": 0.5}}}, spacing=0.2)
    coat = loaded.coats[0]
    told = trace(coat, coat.dabs(np.zeros(3, np.float32)), wavy, "size", "pressure")
    assert len(told["at"]) == len(told["driver"]) == len(told["out"])
    assert max(told["out"]) == pytest.approx(40 * (0.5 + 0.5 * max(told["driver"])), rel=0.02)
    assert told["at"][0] == 0
    assert told["at"][-1] == pytest.approx(1)
