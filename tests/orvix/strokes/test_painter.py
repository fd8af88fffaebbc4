"""The stroke engine: held to the slow reference, and to the laws that batches, blocks and threads change nothing."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from orvix.brushes.definition import Brush
from orvix.brushes.grain_use import BITES
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.compositing import colour_to_unit
from orvix.canvases.layers import Layer
from orvix.canvases.strokes import GrainLayer, Stroke, StrokeRun, paint_stroke, put_back
from orvix.colour import blending
from orvix.devices.stylus import TRIALS, record
from orvix.errors import BadValue
from orvix.strokes import curve, laying, rhythm
from orvix.strokes.area import Area
from orvix.strokes.coats import CoatPainter, Paint
from orvix.strokes.curve import Curve
from orvix.strokes.loaded import LoadedBrush
from orvix.strokes.rhythm import S_DISTANCE
from orvix.strokes.rules import stroke_rules
from orvix.tiles.joining import Joining
from orvix.tiles.repeats import Repeat
from tests.orvix.strokes import reference
from tests.orvix.strokes.test_dabs import picture_brush

ROUNDING = 8e-4
"""What rounding a place to a 4096th of a px can change in a crisp edge."""
LED = {
    "size": {"pressure": {"response": [[0, 0.2], [0.4, 0.7], [1, 1]]}},
    "flow": {"pressure": {"response": [[0, 0.1], [0.5, 0.3], [1, 0.9]]}},
}
EVERY = {
    "size": {"speed": {"response": [[0, 1], [1, 0.5]], "over": 900}, "chance_stamp": {"low": 0.7}},
    "turn": {"heading": {"does": "adds", "low": 0, "high": 90}, "stamp_count": {"does": "adds", "loops": True}},
    "roundness": {"tilt": {"low": 0.4, "high": 0.9}, "twist": {"low": 0.8, "high": 1}},
    "spacing": {"time": {"low": 0.7, "high": 1.4, "over": 300}},
    "scatter_across": {"bearing": {"does": "replaces", "low": 0.1, "high": 0.8}},
    "scatter_along": {"distance": {"does": "adds", "low": 0, "high": 0.5, "over": 150, "loops": True}},
    "count": {"chance_stroke": {"does": "replaces", "low": 1, "high": 4}},
    "opacity": {"first_heading": {"low": 0.5, "high": 1}, "pressure": {"low": 0.6, "high": 1}},
    "hardness": {"distance": {"does": "replaces", "low": 0.1, "high": 0.9}},
    "strength": {"time": {"low": 0.6}},
}
BRUSHES = {
    "soft": {"hardness": 0.0, "size": 40, "spacing": 0.1, "flow": 0.4},
    "crisp": {"hardness": 1.0, "size": 17.3, "spacing": 0.37, "flow": 1.0},
    "led": {"hardness": 0.5, "size": 60, "spacing": 0.21, "flow": 0.7, "leads": LED},
    "tiny": {"hardness": 0.8, "size": 0.7, "smallest": 0.5, "spacing": 0.8, "flow": 1.0},
    "scattered": {"size": 21, "spacing": 0.6, "scatter_across": 2.0, "count": 3, "count_jitter": 0.9, "leads": LED},
    "flat": {"size": 40, "roundness": 0.3, "hardness": 0.3, "spacing": 0.4, "follows": "heading", "turn": 30},
    "nib": {"size": 44, "roundness": 0.2, "hardness": 1.0, "spacing": 0.5, "flow": 1, "follows": "first heading"},
    "level": {"size": 50, "spacing": 0.3, "flow": 0.5, "opacity": 0.7, "builds": "stays level"},
    "thin": {"size": 30, "spacing": 0.2, "thin_start": 90, "thin_end": 120, "thin_to": 0.1},
    "back": {"size": 40, "roundness": 0.4, "spacing": 1, "way_back": "half turn", "flip_down": "by chance", "turn": 40},
    "pen": {"size": 40, "roundness": 0.5, "spacing": 0.7, "follows": "bearing", "way_back": "mirrored"},
    "every": {"size": 34, "spacing": 0.5, "flow": 0.8, "follows": "twist", "leads": EVERY},
}


@pytest.fixture
def wavy(wavy):
    """The uneven wave, with a pen that leans and turns on the way."""
    n = np.arange(len(wavy))
    wavy[:, 4], wavy[:, 5], wavy[:, 6] = 30 + 12 * np.sin(n / 9), -20 + 0.7 * n, (20 + 5 * n) % 360
    return wavy


def painter_of(loaded, area, *, seed=5, grain_at=None, threads=None) -> CoatPainter:
    paint = Paint(colour_to_unit("#000000"), colour_to_unit("#ffffff"))
    coat = loaded.coats[0]
    rules = stroke_rules(coat.coat, seed, 0, coat.dabs(paint.first))
    return CoatPainter(coat, rules, area, paint, grain_at or (lambda origin: None), threads)


def feed_all(painter: CoatPainter, samples, splits=()) -> None:
    """Feed a painter by hand as a stroke does, in batches."""
    origin = np.floor(samples[0, 1:3])
    painter.begin((int(origin[0]), int(origin[1])))
    near, curve = samples - np.array([0, *origin, 0, 0, 0, 0]), Curve()
    for part in np.split(near, sorted(splits)):
        painter.feed(curve.carry_on(part))
    painter.feed(curve.carry_on(near[:0], last=True), last=True)


def buffer_of(painter: CoatPainter, width: int, height: int) -> np.ndarray:
    out = np.zeros((height, width), np.float32)
    for (row, column), plane in painter.planes.items():
        part = out[row * 256 : row * 256 + 256, column * 256 : column * 256 + 256]
        part[:] = plane[: part.shape[0], : part.shape[1]]
    return out


def painted(loaded, samples, area, *, splits=(), **given) -> np.ndarray:
    painter = painter_of(loaded, area, **given)
    feed_all(painter, samples, splits)
    return buffer_of(painter, area.width, area.height)


@pytest.mark.slow
@pytest.mark.parametrize("name", BRUSHES)
def test_a_stroke_is_what_the_slow_reference_paints(name, brush_with, wavy):
    loaded = brush_with(**BRUSHES[name])
    got = painted(loaded, wavy, Area(320, 200))
    want = reference.coverage(loaded.brush, wavy, 5, 320, 200)
    assert want.max() > 0.2
    assert np.abs(got - want).max() < ROUNDING


def test_joined_edges_are_what_the_reference_paints_with_every_copy(brush_with, wavy):
    loaded = brush_with(size=50, spacing=0.3, flow=0.5)
    repeat = Repeat("half-drop", Fraction(1, 3))
    (ax, ay), (bx, by) = repeat.basis(200, 120)
    shifts = [(i * ax + j * bx, i * ay + j * by) for i in range(-3, 4) for j in range(-4, 5)]
    got = painted(loaded, wavy, Area(200, 120, Joining(repeat)))
    want = reference.coverage(loaded.brush, wavy, 5, 200, 120, shifts=shifts)
    assert np.abs(got - want).max() < ROUNDING


@pytest.mark.parametrize("times", [Fraction(1, 2), Fraction(3, 2), Fraction(2)])
def test_at_k_times_the_size_it_is_the_same_picture_with_more_detail(times, brush_with, wavy):
    loaded = brush_with(**BRUSHES["scattered"])
    width, height = int(320 * times), int(200 * times)
    got = painted(loaded, wavy, Area(width, height, times=times))
    want = reference.coverage(loaded.brush, wavy, 5, width, height, times=times)
    assert np.abs(got - want).max() < ROUNDING


@settings(max_examples=40)
@given(st.lists(st.integers(0, 60), max_size=12), st.sampled_from(sorted(BRUSHES)), st.sampled_from([1, 2, 4]))
def test_batches_and_threads_change_no_bit(splits, name, count):
    given_values = dict(BRUSHES[name])
    leads = given_values.pop("leads", {})
    loaded = LoadedBrush.plain(Brush.parse({"coats": [{"values": given_values, "leads": leads}]}))
    samples = record(TRIALS["bend"], 3) * np.array([1, 500, 400, 1, 1, 1, 1])
    area = Area(520, 420, Joining(Repeat("brick", Fraction(1, 2))))
    with ThreadPoolExecutor(count) as threads:
        split = painted(loaded, samples, area, splits=splits, threads=threads, seed=9)
    assert np.array_equal(split, painted(loaded, samples, area, seed=9))


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
    loaded = brush_with(size=30, leads={"size": {"pressure": {}}})
    canvas = Canvas(CanvasSpec(100, 100))
    run = StrokeRun(canvas, Stroke(loaded, np.empty((0, 7))))
    still = np.array([[t, 50, 50, press, 0, 0, 0] for t, press in ((0, 0.1), (16, 0.9), (32, 0.0))], float)
    assert run.feed(still) == []
    assert run.feed(still[:0], last=True)
    assert run.stamp_count == 1
    assert buffer_of(run.painters[0], 100, 100)[50, 50 + 12] > 0


def test_samples_of_a_pen_held_still_lay_nothing_more_but_with_a_brush_that_builds_up(brush_with):
    line = np.array([[10 * t, 10 + 10 * t, 50, 1, 0, 0, 0] for t in range(6)], float)
    wait = np.repeat(line[2:3], 30, axis=0)
    wait[:, 0] += 16 * np.arange(30)
    after = line[3:] + np.array([480, 0, 0, 0, 0, 0, 0])
    held = np.vstack([line[:3], wait, after])

    def count(samples, **values):
        painter = painter_of(brush_with(size=20, spacing=0.5, **values), Area(100, 100))
        feed_all(painter, samples)
        return painter.marks_laid

    assert abs(count(line) - count(held)) <= 1
    assert count(held, held=20) - count(line, held=20) == pytest.approx(0.48 * 20, abs=1.5)


def test_a_pen_held_still_from_the_start_builds_up_before_it_moves(brush_with):
    run = StrokeRun(Canvas(CanvasSpec(100, 100)), Stroke(brush_with(size=20, held=50), np.empty((0, 7))))
    still = np.array([[16.0 * n, 50, 50, 1, 0, 0, 0] for n in range(40)])
    run.feed(still)
    assert 15 <= run.stamp_count <= 32


@pytest.mark.parametrize("by", ["length", "px", "touch", "overlap", "clear"])
@pytest.mark.parametrize("radius", [2.0, 7.0, 60.0])
def test_gaps_along_the_path_are_the_spacing_also_round_small_bends(by, radius, brush_with):
    loaded = brush_with(
        size=10, roundness=0.5, follows="heading", turn=90, spacing=1.0, spaced_by=by, spacing_px=5.0, hardness=1.0,
        overlap=0.2, clear_px=0.5,
    )  # fmt: skip
    gap = {"overlap": 4.0, "clear": 5.5}.get(by, 5.0)
    turn = np.linspace(0, 6, 400)
    samples = np.stack([400 * turn, 100 + radius * np.cos(turn), 100 + radius * np.sin(turn)], axis=1)
    samples = np.hstack([samples, np.ones((400, 1)), np.zeros((400, 3))])
    run = StrokeRun(Canvas(CanvasSpec(300, 300)), Stroke(loaded, samples[:0]))
    marks = laid_by(run)
    run.feed(samples, last=True)
    gone = np.concatenate(marks)[:, S_DISTANCE]
    assert len(gone) > 2
    assert np.abs(np.diff(gone) - gap).max() < 0.5


def laid_by(run: StrokeRun) -> list[np.ndarray]:
    """The marks that a run goes on to lay, batch by batch."""
    found: list[np.ndarray] = []
    painter = run.painters[0]
    paint = painter.paint

    def keep(marks):
        found.append(marks.copy())
        return paint(marks)

    painter.paint = keep
    return found


def test_more_marks_than_a_stroke_may_have_are_refused_with_the_bound(brush_with):
    loaded = brush_with(size=0.5, smallest=0.5, spacing=0.005, count=16)
    far = np.array([[0, 0, 50, 1, 0, 0, 0], [10, 4000, 50, 1, 0, 0, 0]], float)
    with pytest.raises(BadValue, match="at most 200000 marks"):
        paint_stroke(Canvas(CanvasSpec(4000, 100)), Stroke(loaded, far))


def test_flow_builds_up_and_opacity_caps(brush_with):
    canvas = Canvas(CanvasSpec(200, 60))
    loaded = brush_with(size=40, spacing=0.02, flow=0.3, opacity=0.5)
    line = np.array([[t, 20 + 4 * t, 30, 1, 0, 0, 0] for t in range(40)], float)
    paint_stroke(canvas, Stroke(loaded, line))
    alpha = canvas.layer.whole()[30, 100, 3]
    assert abs(int(alpha) - 32768) <= 66
    paint_stroke(canvas, Stroke(loaded, line))
    assert canvas.layer.whole()[30, 100, 3] > 48000


@pytest.mark.slow
@pytest.mark.parametrize("bite", BITES)
@pytest.mark.parametrize("hold", ["canvas", "stroke"])
def test_a_grain_bites_as_the_reference_has_it(hold, bite, brush_with, wavy):
    leads = {"grain_strength": {"pressure": {"low": 0.4, "high": 1}}}
    loaded = brush_with(size=50, spacing=0.2, grain=True, hold=hold, bite=bite, leads=leads)
    canvas = Canvas(CanvasSpec(320, 200))
    layer = GrainLayer(canvas)
    field = layer.grain(loaded.coats[0], (int(wavy[0, 1]), int(wavy[0, 2]))).field
    run = StrokeRun(canvas, Stroke(loaded, wavy[:0], seed=5), layer)
    run.feed(wavy, last=True)
    got = buffer_of(run.painters[0], 320, 200)
    want = reference.coverage(loaded.brush, wavy, 5, 320, 200, grain=field.window(0, 0, 200, 320))
    assert np.abs(got - want).max() < (24 * ROUNDING if bite == "hard cut" else ROUNDING)


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


def test_each_kernel_is_compiled_for_what_warming_runs_and_no_more(brush_with, wavy):
    from orvix.canvases import compositing
    from orvix.grains import field
    from orvix.warming import warm

    warm()
    kernels = (laying.lay_dabs, rhythm.lay_stamps, curve.flatten, field._fill, blending.lay_over)
    kernels += (compositing.put_stroke, compositing.put_picture, compositing.flatten, compositing.halve)
    kernels += (compositing.lay_over, compositing.lay_between, blending.blend_pixels)
    compiled = [len(kernel.signatures) for kernel in kernels]
    canvas = Canvas(CanvasSpec(300, 300, joined=Joining(Repeat("brick"))))
    paint_stroke(canvas, Stroke(brush_with(size=30, grain=True), wavy, mode="erase"))
    for grain, colours in ((False, "paint"), (True, "paint"), (False, "tip")):
        mask = np.ones((9, 12), np.float32)
        paint_stroke(canvas, Stroke(picture_brush(mask, grain=grain, colour_from=colours), wavy))
    paint_stroke(canvas, Stroke(brush_with(size=30, leads=EVERY, follows="heading"), wavy))
    canvas.view((0, 0, 300, 300))
    canvas.view((40, 40, 90, 90), 1)
    canvas.restack(
        tuple(
            Layer(n, str(n), opacity=0.7 if n == 2 else 1, mode="screen" if n == 9 else "normal") for n in range(1, 10)
        )
    )
    for n in range(2, 10):
        canvas.put((n, (0, 0)), canvas.layer.get((0, 0)))
    run = StrokeRun(canvas, Stroke(brush_with(size=30), wavy, layer=5))
    run.feed(wavy)
    canvas.view((0, 0, 300, 300))
    canvas.view((0, 0, 300, 300), swift=True)
    assert [len(kernel.signatures) for kernel in kernels] == compiled
    assert min(compiled) >= 1
    assert len(laying.lay_dabs.signatures) == 2  # one channel, and four
