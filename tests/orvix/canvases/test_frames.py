"""The canvas changed: cut, extended, resampled, turned, flattened; with its layers, fills, shapes and selection."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest

from orvix.canvases.blocks import Blocks
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.fills import Fill, FillTile
from orvix.canvases.layers import SELECTION, Layer
from orvix.canvases.operations import do
from orvix.canvases.operations.registry import OPERATIONS
from orvix.canvases.selection import selected_box
from orvix.canvases.strokes import GrainLayer, Stroke, paint_stroke, put_back
from orvix.errors import OrvixError
from orvix.tiles.joining import Joining
from orvix.tiles.repeats import Repeat

W, H = 520, 300


def smooth(width, height) -> np.ndarray:
    """A picture that repeats without a seam and has the same form at every size."""
    y, x = np.mgrid[:height, :width] + 0.5
    u, v = 2 * np.pi * x / width, 2 * np.pi * y / height
    planes = [0.5 + 0.4 * np.sin(2 * u + v), 0.5 + 0.4 * np.cos(u - 2 * v), 0.5 + 0.4 * np.sin(u), np.ones_like(u)]
    return np.round(np.stack(planes, axis=2) * 65535).astype(np.uint16)


TILE = FillTile(smooth(60, 40).astype(np.float32) / 65535, Repeat("straight"))


def full(joined=None, **more) -> Canvas:
    canvas = Canvas(CanvasSpec(W, H, joined=joined, **more))
    canvas.fills.tile_of = {7: TILE}.get
    canvas.blocks[1] = Blocks.from_array(smooth(W, H))
    fill = Layer(2, "Net", kind="fill", fill=Fill(tile=7, scale=Fraction(1, 2), x=10, y=5), mode="multiply")
    canvas.restack((*canvas.stack, fill))
    make = {"kind": "rectangle", "start": [40, 50], "end": [140, 110]}
    do(canvas, "shape", {"layer": 4, "over": 2, "shape": {"fill": "#c2553b"}, "make": make})
    do(canvas, "select", {"by": {"kind": "shape", "make": make}})
    return canvas


def seen(canvas) -> np.ndarray:
    return canvas.pixels()


@pytest.mark.slow
@pytest.mark.parametrize(
    ("name", "told"),
    [
        ("crop", {"x": 30, "y": 20, "width": 300, "height": 200}),
        ("crop", {"x": -40, "y": -10, "width": 800, "height": 400}),
        ("resample", {"width": 2 * W, "height": 2 * H}),
        ("turn", {"way": "right"}),
        ("turn", {"way": "half"}),
        ("flatten", {"layer": 9}),
        ("sheet", {"ppi": 150.0, "ground": "#204060"}),
    ],
)
@pytest.mark.parametrize("joined", [None, Joining()])
def test_undo_puts_everything_back(name, told, joined):
    canvas = full(joined)
    before = canvas.spec, canvas.stack, seen(canvas), canvas.layer_blocks(SELECTION).whole()
    undo = do(canvas, name, told)
    after = canvas.spec, canvas.stack, seen(canvas)
    assert after[0] != before[0] or after[1] != before[1]
    redo = put_back(canvas, undo)
    assert (canvas.spec, canvas.stack) == before[:2]
    assert (seen(canvas) == before[2]).all()
    assert (canvas.layer_blocks(SELECTION).whole() == before[3]).all()
    put_back(canvas, redo)
    assert (canvas.spec, canvas.stack) == after[:2]
    assert (seen(canvas) == after[2]).all()


def test_a_crop_is_that_part_of_the_picture_and_what_is_beyond_is_bare():
    whole = seen(full())
    canvas = full()
    do(canvas, "crop", {"x": 30, "y": 20, "width": 300, "height": 200})
    assert (seen(canvas) == whole[20:220, 30:330]).all()
    assert selected_box(canvas) == (10, 30, 110, 90)
    do(canvas, "crop", {"x": -25, "y": 0, "width": 400, "height": 210})
    assert not canvas.layer_blocks(1).whole()[:, :25].any()
    assert (canvas.layer_blocks(1).whole()[:200, 25:325] == smooth(W, H)[20:220, 30:330]).all()


def test_with_joined_edges_a_larger_frame_shows_the_cloth():
    canvas = full(Joining())
    do(canvas, "crop", {"x": 0, "y": 0, "width": 2 * W, "height": H})
    paint = canvas.layer_blocks(1).whole()
    assert (paint[:, :W] == paint[:, W:]).all()


def test_resampled_it_is_the_same_picture_and_still_closes():
    for joined in (None, Joining()):
        for times in (Fraction(2), Fraction(1, 2), Fraction(3, 4)):
            canvas = full(joined)
            width, height = int(W * times), int(H * times)
            do(canvas, "resample", {"width": width, "height": height})
            away = np.abs(canvas.layer_blocks(1).whole().astype(int) - smooth(width, height))
            inner = away if joined else away[8:-8, 8:-8]
            assert inner.max() < 0.02 * 65535
            fill = next(one.fill for one in canvas.stack if one.fill)
            assert fill.scale == Fraction(1, 2) * times
    with pytest.raises(OrvixError, match="keep their proportions"):
        do(full(), "resample", {"width": W, "height": 2 * H})


@pytest.mark.parametrize(("width", "height"), [(131, 133), (131, 60), (40, 133), (64, 67)])
def test_resampled_at_any_ratio_joined_edges_look_across_their_borders(width, height):
    rough = np.random.default_rng(4).integers(0, 65536, (90, 100, 4), dtype=np.uint16)
    rough[..., 3] = 65535
    canvas, cloth = Canvas(CanvasSpec(100, 90, joined=Joining())), Canvas(CanvasSpec(300, 270))
    canvas.blocks[1], cloth.blocks[1] = Blocks.from_array(rough), Blocks.from_array(np.tile(rough, (3, 3, 1)))
    do(canvas, "resample", {"width": width, "height": height})
    do(cloth, "resample", {"width": 3 * width, "height": 3 * height})
    middle = cloth.layer_blocks(1).whole()[height : 2 * height, width : 2 * width]
    assert np.abs(canvas.layer_blocks(1).whole().astype(int) - middle).max() <= 1


def test_turned_it_is_the_picture_turned_fills_and_shapes_included():
    whole = seen(full())
    for way, turn in (
        ("right", lambda one: np.rot90(one, -1)),
        ("left", np.rot90),
        ("half", lambda one: np.rot90(one, 2)),
    ):
        canvas = full()
        do(canvas, "turn", {"way": way})
        assert canvas.spec.box[2:] == turn(whole).shape[1::-1]
        away = np.abs(seen(canvas).astype(int) - turn(whole))
        assert np.percentile(away, 99) <= 257, "but for how a fill is resampled"
    canvas = full()
    with pytest.raises(OrvixError, match="cannot be flipped"):
        do(canvas, "turn", {"way": "across"})
    canvas.restack(tuple(one for one in canvas.stack if one.fill is None))
    whole = seen(canvas)
    do(canvas, "turn", {"way": "across"})
    assert np.abs(seen(canvas).astype(int) - whole[:, ::-1]).max() <= 257


def test_flattened_nothing_looks_different_and_one_layer_is_left():
    canvas = full()
    before = seen(canvas)
    do(canvas, "flatten", {"layer": 9})
    assert [one.name for one in canvas.stack] == ["Flattened"]
    assert np.abs(seen(canvas).astype(int) - before).max() <= 2
    assert not canvas.layer_blocks(4).keys()


@pytest.mark.parametrize(
    ("name", "told", "why"),
    [
        ("crop", {"width": 0, "height": 100}, "width=0"),
        ("crop", {"width": -5, "height": 100}, "width=-5"),
        ("crop", {"width": 10**6, "height": 100}, "width=1000000"),
        ("crop", {"x": W, "width": 100, "height": 100}, "misses the canvas"),
        ("resample", {"width": 16384, "height": 16384}, "too large to resample"),
        ("turn", {"way": "up"}, "way to turn"),
        ("flatten", {"layer": 2}, "that no layer"),
        ("sheet", {"ppi": 0}, "ppi=0"),
        ("sheet", {"ground": "white"}, "ground"),
    ],
)
def test_bad_frames_are_refused_and_nothing_changes(name, told, why):
    canvas = full()
    before = canvas.spec, canvas.stack, seen(canvas)
    with pytest.raises(OrvixError, match=why):
        do(canvas, name, told)
    assert (canvas.spec, canvas.stack) == before[:2]
    assert (seen(canvas) == before[2]).all()


def test_staggered_rows_do_not_become_columns():
    canvas = full(Joining(Repeat("brick", Fraction(1, 2))))
    with pytest.raises(OrvixError, match="staggered"):
        do(canvas, "turn", {"way": "right"})


def test_strokes_and_shapes_are_painted_so_many_times_larger(brush_with):
    brush = brush_with(size=40, flow=0.8)
    samples = np.array([[8.0 * n, 30 + 5 * n, 60 + 2 * n, 0.7, 0, 0, 0] for n in range(80)])
    plain = Canvas(CanvasSpec(2 * W, 2 * H))
    paint_stroke(plain, Stroke(brush, samples, seed=3), GrainLayer(plain, Fraction(2)), Fraction(2))
    told = Canvas(CanvasSpec(2 * W, 2 * H))
    paint_stroke(told, Stroke(brush, samples, seed=3, times=Fraction(2)), GrainLayer(told))
    assert (plain.layer.whole() == told.layer.whole()).all()
    once, twice = Canvas(CanvasSpec(W, H)), Canvas(CanvasSpec(2 * W, 2 * H))
    make = {"kind": "ellipse", "start": [60, 50], "end": [360, 250]}
    shape = {"layer": 4, "shape": {"brush": 1, "size": 20}, "make": make}
    do(once, "shape", shape | {"brush_of": lambda version: brush})
    larger = OPERATIONS.get("shape").at_times(shape, Fraction(2))
    do(twice, "shape", {**larger, "brush_of": lambda version: brush})
    small, large = (one.layer_blocks(5).whole()[..., 3] / 65535 for one in (once, twice))
    halved = large.reshape(H, 2, W, 2).mean(axis=(1, 3))
    assert np.abs(halved - small).mean() < 0.004
    assert large.sum() == pytest.approx(4 * small.sum(), rel=0.02)


TOLD = {
    "layers": {"layers": [{"id": 1, "name": "a"}, {"id": 2, "name": "b", "kind": "fill", "fill": {"tile": 7, "x": 3}}]},
    "pour": {"layer": 1, "x": 30, "y": 40, "grow": 3, "tolerance": 0.1, "colour": "#102030"},
    "gradient": {"layer": 1, "start": [0, 0], "end": [90, 40], "colours": ["#102030", "#f0e0c0"]},
    "move": {"x": 37, "y": -12},
    "select": {"by": {"kind": "shape", "make": {"kind": "ellipse", "start": [20, 30], "end": [190, 140]}}},
    "transform": {"layers": [1], "x": 9, "turn": 20, "about": [60, 70]},
    "crop": {"x": 10, "y": 20, "width": 100, "height": 80},
}


@pytest.mark.parametrize("name", sorted(TOLD))
def test_what_an_operation_is_told_at_twice_the_size_does_the_same_there(name):
    """Done at twice the size and halved, it is nearly what it is done once."""
    once, twice = (Canvas(CanvasSpec(n * W, n * H)) for n in (1, 2))
    for canvas, n in ((once, 1), (twice, 2)):
        canvas.fills.tile_of = {7: TILE}.get
        pixels = smooth(n * W, n * H)
        pixels[: n * 100, n * 80 : n * 200] = 0
        canvas.blocks[1] = Blocks.from_array(pixels)
    do(once, name, TOLD[name])
    do(twice, name, OPERATIONS.get(name).at_times(TOLD[name], Fraction(2)))
    width, height = once.spec.width, once.spec.height
    assert (twice.spec.width, twice.spec.height) == (2 * width, 2 * height)
    small = seen(once).astype(float), once.layer_blocks(SELECTION).whole().astype(float)
    large = seen(twice).astype(float), twice.layer_blocks(SELECTION).whole().astype(float)
    for one, two in zip(small, large, strict=True):
        halved = two.reshape(height, 2, width, 2, 4).mean(axis=(1, 3))
        assert np.abs(halved - one).mean() < 0.01 * 65535
