"""The stroke engine: held to the slow reference, and to the laws that batches, blocks and threads change nothing."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orvix.brushes.definition import Brush
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.strokes import GrainLayer, Stroke, StrokeRun, paint_stroke, put_back
from orvix.devices.stylus import TRIALS, record
from orvix.strokes import kernels
from orvix.strokes.dabs import RoundDabs
from orvix.strokes.painter import Area, StrokePainter
from orvix.strokes.rules import stroke_rules
from orvix.tiles.joining import Joining
from orvix.tiles.repeats import Repeat
from tests.orvix.strokes import reference
from tests.orvix.strokes.test_dabs import picture_brush

LED = {"size": {"response": [0.2, 1.0, 0.4]}, "flow": {"response": [0.1, 0.9, -0.5]}}
BRUSHES = {
    "soft": {"hardness": 0.0, "size": 40, "spacing": 0.1, "flow": 0.4},
    "crisp": {"hardness": 1.0, "size": 17.3, "spacing": 0.37, "flow": 1.0},
    "led": {"hardness": 0.5, "size": 60, "spacing": 0.21, "flow": 0.7, "leads": LED},
    "tiny": {"hardness": 0.8, "size": 0.7, "smallest": 0.5, "spacing": 0.8, "flow": 1.0},
    "scattered": {"size": 21, "spacing": 0.6, "size_jitter": 0.7, "scatter": 2.0, "leads": LED},
}


def buffer_of(painter: StrokePainter, width: int, height: int) -> np.ndarray:
    out = np.zeros((height, width), np.float32)
    for (row, column), plane in painter.planes.items():
        part = out[row * 256 : row * 256 + 256, column * 256 : column * 256 + 256]
        part[:] = plane[: part.shape[0], : part.shape[1]]
    return out


def painted(loaded, samples, area, *, splits=(), seed=5, grain_at=None, threads=None) -> np.ndarray:
    painter = StrokePainter(stroke_rules(loaded.brush, seed), loaded.dabs, area, grain_at, threads)
    for part in np.split(samples, sorted(splits)):
        painter.feed(part)
    painter.feed(samples[:0], last=True)
    return buffer_of(painter, area.width, area.height)


@pytest.mark.parametrize("name", BRUSHES)
def test_a_stroke_is_what_the_slow_reference_paints(name, brush_with, wavy):
    loaded = brush_with(**BRUSHES[name])
    got = painted(loaded, wavy, Area(320, 200))
    want = reference.coverage(loaded.brush, wavy, 5, 320, 200)
    assert want.max() > 0.2
    assert np.abs(got - want).max() < 2e-4


def test_joined_edges_are_what_the_reference_paints_with_every_copy(brush_with, wavy):
    loaded = brush_with(size=50, spacing=0.3, flow=0.5)
    repeat = Repeat("half-drop", Fraction(1, 3))
    (ax, ay), (bx, by) = repeat.basis(200, 120)
    shifts = [(i * ax + j * bx, i * ay + j * by) for i in range(-3, 4) for j in range(-4, 5)]
    got = painted(loaded, wavy, Area(200, 120, Joining(repeat)))
    want = reference.coverage(loaded.brush, wavy, 5, 200, 120, shifts=shifts)
    assert np.abs(got - want).max() < 2e-4


@pytest.mark.parametrize("times", [Fraction(1, 2), Fraction(3, 2), Fraction(2)])
def test_at_k_times_the_size_it_is_the_same_picture_with_more_detail(times, brush_with, wavy):
    loaded = brush_with(**BRUSHES["scattered"])
    width, height = int(320 * times), int(200 * times)
    got = painted(loaded, wavy, Area(width, height, times=times))
    want = reference.coverage(loaded.brush, wavy, 5, width, height, times=times)
    assert np.abs(got - want).max() < 2e-4


@settings(max_examples=25)
@given(st.lists(st.integers(0, 60), max_size=12), st.sampled_from(sorted(BRUSHES)), st.sampled_from([1, 2, 4]))
def test_batches_and_threads_change_no_bit(splits, name, count):
    values = {key: value for key, value in BRUSHES[name].items() if key not in ("hardness", "leads")}
    coat = {"values": values, "leads": BRUSHES[name].get("leads", {})}
    brush = Brush.parse({"coats": [coat]})
    samples = record(TRIALS["bend"], 3) * np.array([1, 500, 400, 1, 1, 1, 1])
    area = Area(520, 420, Joining(Repeat("brick", Fraction(1, 2))))

    def run(cut, threads=None):
        painter = StrokePainter(stroke_rules(brush, 9), RoundDabs(0.7), area, None, threads)
        for part in np.split(samples, sorted(cut)):
            painter.feed(part)
        painter.feed(samples[:0], last=True)
        return buffer_of(painter, 520, 420)

    with ThreadPoolExecutor(count) as threads:
        assert np.array_equal(run(splits, threads), run([]))


def test_moving_a_stroke_by_whole_px_moves_its_pixels_bit_for_bit(brush_with, wavy):
    loaded = brush_with(**BRUSHES["led"])
    moved = wavy + np.array([0, 217, 149, 0, 0, 0, 0])
    here, there = painted(loaded, wavy, Area(700, 600)), painted(loaded, moved, Area(700, 600))
    assert np.array_equal(here[:400, :450], there[149:549, 217:667])


def test_chance_belongs_to_the_stamp_and_the_seed(brush_with, wavy):
    loaded = brush_with(**BRUSHES["scattered"])
    first, again = painted(loaded, wavy, Area(320, 200)), painted(loaded, wavy, Area(320, 200))
    assert np.array_equal(first, again)
    assert not np.array_equal(first, painted(loaded, wavy, Area(320, 200), seed=6))


def test_a_tap_lands_when_the_pen_lifts_with_its_greatest_pressure(brush_with):
    loaded = brush_with(size=30, leads={"size": {"response": [0.0, 1.0, 0.0]}})
    painter = StrokePainter(stroke_rules(loaded.brush, 0), RoundDabs(0.6), Area(100, 100))
    still = np.array([[t, 50, 50, press, 0, 0, 0] for t, press in ((0, 0.1), (16, 0.9), (32, 0.0))], float)
    assert painter.feed(still) == {}
    assert painter.feed(still[:0], last=True)
    assert painter.stamp_count == 1
    assert buffer_of(painter, 100, 100)[50, 50 + 12] > 0


def test_samples_of_a_pen_held_still_lay_nothing_more(brush_with):
    loaded = brush_with(size=20, spacing=0.5)
    line = np.array([[t, 10 + t, 50, 1, 0, 0, 0] for t in range(0, 60, 10)], float)
    held = np.vstack([line[:3], np.repeat(line[2:3], 5, axis=0), line[3:]])
    counts = []
    for samples in (line, held):
        painter = StrokePainter(stroke_rules(loaded.brush, 0), RoundDabs(0.6), Area(100, 100))
        painter.feed(samples, last=True)
        counts.append(painter.stamp_count)
    assert abs(counts[0] - counts[1]) <= 1


def test_spacing_is_even_and_carried_over_sample_borders(brush_with):
    loaded = brush_with(size=10, spacing=1.0)
    samples = np.array([[t, 5 + 3.3 * t, 40, 1, 0, 0, 0] for t in range(30)], float)
    state, rules = np.zeros(kernels.STATE_WIDTH), stroke_rules(loaded.brush, 0)
    out = np.empty((40, kernels.STAMP_WIDTH))
    n = kernels.lay_stamps(state, rules, samples, True, out)
    assert n > 8
    assert np.allclose(np.diff(out[:n, 0]), 10.0, atol=1e-9)


def test_flow_builds_up_and_opacity_caps(brush_with):
    canvas = Canvas(CanvasSpec(200, 60))
    loaded = brush_with(size=40, spacing=0.02, flow=0.3, opacity=0.5)
    line = np.array([[t, 20 + 4 * t, 30, 1, 0, 0, 0] for t in range(40)], float)
    paint_stroke(canvas, Stroke(loaded, line))
    alpha = canvas.layer.whole()[30, 100, 3]
    assert abs(int(alpha) - 32768) <= 66
    paint_stroke(canvas, Stroke(loaded, line))
    assert canvas.layer.whole()[30, 100, 3] > 48000


@pytest.mark.parametrize("hold", ["canvas", "stroke"])
def test_a_grain_is_multiplied_in_as_the_reference_has_it(hold, brush_with, wavy):
    loaded = brush_with(size=50, spacing=0.2, grain=True, hold=hold)
    canvas = Canvas(CanvasSpec(320, 200))
    layer = GrainLayer(canvas)
    field = layer.field(loaded, (int(wavy[0, 1]), int(wavy[0, 2])))
    run = StrokeRun(canvas, Stroke(loaded, wavy[:0], seed=5), layer)
    run.feed(wavy, last=True)
    got = buffer_of(run.painter, 320, 200)
    want = reference.coverage(loaded.brush, wavy, 5, 320, 200, grain=field.window(0, 0, 200, 320))
    assert np.abs(got - want).max() < 2e-4


def test_the_grain_of_a_stroke_starts_anew_and_that_of_the_canvas_does_not(brush_with, wavy):
    far = wavy + np.array([0, 13, 7, 0, 0, 0, 0])
    for hold, same in (("stroke", True), ("canvas", False)):
        loaded = brush_with(size=50, spacing=0.2, grain=True, hold=hold)
        planes = []
        for samples in (wavy, far):
            canvas = Canvas(CanvasSpec(400, 300))
            paint_stroke(canvas, Stroke(loaded, samples, seed=1))
            planes.append(canvas.layer.whole())
        assert np.array_equal(planes[0][:250, :350], planes[1][7:257, 13:363]) is same


def test_undo_of_do_is_nothing_and_do_again_is_the_same(brush_with, wavy):
    canvas = Canvas(CanvasSpec(320, 300))
    paint_stroke(canvas, Stroke(brush_with(size=60), wavy, "#336699"))
    before = canvas.layer.whole()
    for mode in ("paint", "erase"):
        change, _ = paint_stroke(canvas, Stroke(brush_with(size=30), wavy[::2], "#aa2200", mode))
        after = canvas.layer.whole()
        assert not np.array_equal(before, after)
        again = put_back(canvas, change)
        assert np.array_equal(canvas.layer.whole(), before)
        put_back(canvas, again)
        assert np.array_equal(canvas.layer.whole(), after)
        put_back(canvas, change)


def test_erasing_leaves_nothing_where_it_is_full(brush_with):
    canvas = Canvas(CanvasSpec(120, 60))
    line = np.array([[t, 10 + 5 * t, 30, 1, 0, 0, 0] for t in range(20)], float)
    loaded = brush_with(size=40, hardness=1.0, flow=1.0)
    paint_stroke(canvas, Stroke(loaded, line))
    paint_stroke(canvas, Stroke(loaded, line, mode="erase"))
    assert canvas.layer.whole()[30, 60].tolist() == [0, 0, 0, 0]


def test_what_is_shown_while_painting_is_what_stands_afterwards(brush_with, wavy):
    canvas = Canvas(CanvasSpec(320, 200, ground="#204060"))
    run = StrokeRun(canvas, Stroke(brush_with(size=44, grain=True), wavy[:0], "#f0e0c0"))
    for part in np.split(wavy, 6):
        run.feed(part)
    run.feed(wavy[:0], last=True)
    shown = canvas.view(canvas.spec.box)
    run.finish()
    assert canvas.shown == {}
    assert np.array_equal(shown, canvas.view(canvas.spec.box))


def test_a_dropped_stroke_leaves_no_trace(brush_with, wavy):
    canvas = Canvas(CanvasSpec(320, 200))
    run = StrokeRun(canvas, Stroke(brush_with(size=44), wavy[:0]))
    run.feed(wavy)
    assert run.drop()
    assert canvas.shown == {}
    assert canvas.layer.keys() == []


def test_only_touched_blocks_exist(brush_with):
    canvas = Canvas(CanvasSpec(16384, 16384))
    dot = np.array([[0, 5000, 9000, 1, 0, 0, 0]], float)
    paint_stroke(canvas, Stroke(brush_with(size=30), dot))
    assert canvas.layer.keys() == [(35, 19)]


def test_each_kernel_is_compiled_once(brush_with, wavy):
    from orvix.canvases import compositing
    from orvix.grains import field
    from orvix.warming import warm

    warm()
    canvas = Canvas(CanvasSpec(300, 300, joined=Joining(Repeat("brick"))))
    paint_stroke(canvas, Stroke(brush_with(size=30, grain=True), wavy, mode="erase"))
    run = StrokeRun(canvas, Stroke(brush_with(size=30), wavy[:0]))
    run.feed(wavy)
    for grain in (False, True):
        paint_stroke(canvas, Stroke(picture_brush(np.ones((9, 12), np.float32), grain=grain), wavy))
    canvas.view((0, 0, 300, 300))
    canvas.view((40, 40, 90, 90), 1)
    painting = (kernels.lay_round_dabs, kernels.lay_picture_dabs, kernels.lay_stamps, field._fill)
    for kernel in (*painting, compositing.put_stroke, compositing.flatten, compositing.halve):
        assert len(kernel.signatures) == 1, kernel
