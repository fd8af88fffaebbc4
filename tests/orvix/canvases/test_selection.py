"""Selecting, and what it confines: combined, grown, feathered, undone; strokes, fills and filters within it."""

from __future__ import annotations

from math import pi

import numpy as np
import pytest

from orvix.canvases.blocks import Blocks
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.layers import SELECTION, parse_stack
from orvix.canvases.operations import do
from orvix.canvases.selection import anything_selected, selected_box, shown_paths
from orvix.canvases.strokes import Stroke, StrokeRun, paint_stroke, put_back
from orvix.canvases.taking import taken
from orvix.errors import OrvixError
from orvix.tiles.joining import Joining

W, H = 560, 400
RED = (49858, 21845, 15163, 65535)


def speckled(seed=3, **spec) -> Canvas:
    """A canvas with a picture of noise on its only layer, part of it clear."""
    canvas = Canvas(CanvasSpec(W, H, **spec))
    pixels = np.random.default_rng(seed).integers(0, 65536, (H, W, 4), np.uint16)
    pixels[..., 3] = np.maximum(pixels[..., :3].max(axis=2), pixels[..., 3])
    pixels[:, 500:] = 0
    canvas.blocks[1] = Blocks.from_array(pixels)
    return canvas


def cover(canvas) -> np.ndarray:
    return canvas.layer_blocks(SELECTION).whole()[..., 3] / 65535


def rectangle(x0, y0, x1, y1):
    return {"kind": "shape", "make": {"kind": "rectangle", "start": [x0, y0], "end": [x1, y1]}}


def select(canvas, by, way="new"):
    return do(canvas, "select", {"by": by, "way": way})


def stroke(brush, mode="paint", seed=5):
    samples = np.array([[8.0 * n, 30 + 5 * n, 60 + 3 * n, 0.7, 0, 0, 0] for n in range(90)])
    return Stroke(brush, samples, "#c2553b", mode, seed)


def test_a_drawn_selection_is_that_of_its_shape_and_goes_with_those_before_it():
    canvas = speckled()
    select(canvas, rectangle(20, 30, 320, 270))
    assert cover(canvas).sum() == 300 * 240
    assert selected_box(canvas) == (20, 30, 320, 270)
    ellipse = {"kind": "shape", "make": {"kind": "ellipse", "start": [220, 130], "end": [420, 330]}}
    plain = Canvas(canvas.spec)
    select(plain, ellipse)
    alone, had = cover(plain), cover(canvas)
    assert alone.sum() == pytest.approx(pi * 100 * 100, rel=0.002)
    for way, want in (
        ("add", np.maximum(had, alone)),
        ("subtract", np.minimum(had, 1 - alone)),
        ("within", had * alone),
    ):
        undo = select(canvas, ellipse, way)
        assert np.abs(cover(canvas) - want).max() < 1e-9
        put_back(canvas, undo)
        assert (cover(canvas) == had).all(), "undoing leaves what was selected before"


def test_all_none_and_the_rest():
    canvas = speckled()
    select(canvas, {"kind": "all"})
    assert cover(canvas).min() == 1
    select(canvas, rectangle(20, 30, 320, 270))
    before = cover(canvas)
    select(canvas, {"kind": "invert"})
    assert np.abs(cover(canvas) + before - 1).max() < 1e-9
    select(canvas, {"kind": "none"})
    assert not anything_selected(canvas)


def test_growing_shrinking_and_feathering_go_over_blocks_and_joined_borders():
    canvas = speckled()
    select(canvas, rectangle(200, 200, 320, 280))
    select(canvas, {"kind": "grow", "px": 9})
    grown = cover(canvas)
    assert selected_box(canvas) == (191, 191, 329, 289)
    assert grown[191, 191] == 0, "its corners are round"
    select(canvas, {"kind": "grow", "px": -9})
    assert selected_box(canvas) == (200, 200, 320, 280)
    select(canvas, {"kind": "feather", "px": 6.0})
    soft = cover(canvas)
    assert soft[240, 200] == pytest.approx(0.5, abs=0.05)
    assert soft[240, 256] == pytest.approx(1, abs=1e-3)
    assert soft.sum() == pytest.approx(120 * 80, rel=0.01)
    joined = Canvas(CanvasSpec(W, H, joined=Joining()))
    select(joined, rectangle(0, 100, 40, 200))
    select(joined, {"kind": "grow", "px": 10})
    assert cover(joined)[150, W - 5] == 1, "what grows over a joined border goes on opposite"
    still = Canvas(CanvasSpec(W, H))
    select(still, {"kind": "all"})
    select(still, {"kind": "grow", "px": -4})
    assert cover(still).min() == 1, "a selection goes on past the border of an open canvas"


def test_selecting_by_colour_and_from_a_layer():
    canvas = Canvas(CanvasSpec(W, H))
    pixels = np.zeros((H, W, 4), np.uint16)
    pixels[50:150, 50:250] = pixels[250:300, 300:400] = RED
    canvas.blocks[1] = Blocks.from_array(pixels)
    by = {"kind": "colour", "x": 60, "y": 60, "tolerance": 0.05, "layer": 1}
    select(canvas, by)
    assert cover(canvas).sum() == 100 * 200, "the area around the px"
    select(canvas, by | {"apart": True, "all": True})
    assert cover(canvas).sum() == 100 * 200 + 50 * 100, "every px like it"
    select(canvas, {"kind": "layer", "layer": 1})
    assert cover(canvas).sum() == 100 * 200 + 50 * 100


@pytest.mark.parametrize("mode", ["paint", "erase", "soften", "smear"])
def test_a_stroke_changes_only_what_is_selected_as_far_as_it_is(brush_with, mode):
    brush = brush_with(size=60, flow=0.9)
    free, held = speckled(), speckled()
    before = held.layer.whole()
    paint_stroke(free, stroke(brush, mode))
    select(held, rectangle(100, 0, 300, H))
    select(held, {"kind": "feather", "px": 8.0})
    share = cover(held)[..., None]
    undo = paint_stroke(held, stroke(brush, mode))[0]
    want = free.layer.whole() * share + before * (1 - share)
    assert np.abs(held.layer.whole() - want).max() <= 1
    outside = share[..., 0] == 0
    assert (held.layer.whole()[outside] == before[outside]).all()
    put_back(held, undo)
    assert (held.layer.whole() == before).all()


def test_a_confined_stroke_is_the_same_however_its_samples_come(brush_with):
    brush, whole = brush_with(size=60), stroke(brush_with(size=60), "smear")
    pictures = []
    for step in (1, 7, 90):
        canvas = speckled()
        select(canvas, rectangle(100, 0, 300, 250))
        run = StrokeRun(canvas, Stroke(brush, whole.samples, mode="smear", seed=5))
        for at in range(0, 90, step):
            run.feed(whole.samples[at : at + step], last=at + step >= 90)
        run.finish()
        pictures.append(canvas.layer.whole())
    assert (pictures[0] == pictures[1]).all()
    assert (pictures[0] == pictures[2]).all()


@pytest.mark.parametrize(
    ("name", "told"),
    [
        ("pour", {"layer": 1, "x": 520, "y": 20, "tolerance": 1.0, "colour": "#2f6f93", "all": False}),
        ("gradient", {"layer": 1, "start": [0, 0], "end": [300, 200], "colours": ["#000000", "#2f6f93"]}),
        ("recolour", {"layers": [1], "way": "tint", "colour": "#2f6f93"}),
        ("clear", {"layers": [1]}),
        ("filter", {"layers": [1], "step": "blur", "values": {"reach": 0.8}}),
        ("filter", {"layers": [1], "step": "negative"}),
    ],
)
def test_other_changes_are_confined_alike(name, told):
    free, held = speckled(), speckled()
    before = held.layer.whole()
    do(free, name, told)
    select(held, rectangle(120, 90.5, 420, 333))
    share = cover(held)[..., None]
    undo = do(held, name, told)
    assert undo.blocks
    want = free.layer.whole() * share + before * (1 - share)
    assert np.abs(held.layer.whole() - want).max() <= 1
    put_back(held, undo)
    assert (held.layer.whole() == before).all()


def test_filters_wrap_where_edges_are_joined_and_keep_locked_transparency():
    canvas = speckled(joined=Joining())
    do(canvas, "filter", {"layers": [1], "step": "blur", "values": {"reach": 1.2}})
    got = canvas.layer.whole()
    assert got[200, 503, 3] > 0, "what was clear is blurred into"
    assert got[200, W - 3, 3] > 0, "from over the border as well"
    kept = speckled()
    kept.restack(parse_stack([{"id": 1, "name": "a", "alpha_locked": True}]))
    before = kept.layer.whole()
    do(kept, "filter", {"layers": [1], "step": "blur", "values": {"reach": 1.2}})
    after = kept.layer.whole()
    assert (after[..., 3] == before[..., 3]).all()
    assert (after[..., :3] != before[..., :3]).any()


def test_moving_the_whole_picture_takes_the_selection_along():
    canvas = speckled(joined=Joining())
    select(canvas, rectangle(20, 30, 60, 70))
    do(canvas, "half-move", {"axis": "both"})
    assert selected_box(canvas) == (20 + W // 2, 30 + H // 2, 60 + W // 2, 70 + H // 2)


def test_the_paths_shown_lie_on_the_edges_of_what_is_selected():
    canvas = speckled()
    select(canvas, rectangle(20, 30, 320, 270))
    shown = shown_paths(canvas)
    assert shown["box"] == [20, 30, 320, 270]
    (path,) = shown["paths"]
    low, high = np.min(path, axis=0), np.max(path, axis=0)
    assert np.abs(np.array([*low, *high]) - (20, 30, 320, 270)).max() <= 0.5
    assert shown_paths(speckled()) == {"box": None, "paths": []}


def test_what_is_taken_is_what_the_layers_show_cut_to_the_selection():
    canvas = speckled()
    select(canvas, rectangle(20.5, 30, 320, 270))
    got = taken(canvas, list(canvas.stack))
    assert (got.x, got.y, *got.pixels.shape[:2]) == (20, 30, 240, 300)
    layer = canvas.layer.whole()[30:270, 20:320]
    assert (got.pixels[:, 1:] == layer[:, 1:]).all()
    assert np.abs(got.pixels[:, 0].astype(int) - layer[:, 0] * (cover(canvas)[30:270, 20:21])).max() <= 1
    select(canvas, rectangle(510, 30, 550, 70))
    with pytest.raises(OrvixError, match="layers are empty there"):
        taken(canvas, list(canvas.stack))
    over = taken(canvas, list(canvas.stack), ground=True)
    assert (over.pixels == 65535).all(), "the white ground"


@pytest.mark.parametrize(
    ("told", "why"),
    [
        ({"by": {"kind": "guess"}}, "kind of selection"),
        ({"by": 3}, "kind of selection"),
        ({"by": {"kind": "all"}, "way": "maybe"}, "way to select"),
        ({"by": {"kind": "grow", "px": 0}}, "must be 1 to 256 px"),
        ({"by": {"kind": "grow", "px": 10**6}}, "must be 1 to 256 px"),
        ({"by": {"kind": "feather", "px": -1}}, "must be 0.3 to 128 px"),
        ({"by": {"kind": "layer", "layer": 99}}, "must be one of 1"),
        ({"by": {"kind": "colour", "x": W, "y": 0, "layer": 1}}, "must be a whole px"),
        (
            {"by": {"kind": "shape", "make": {"kind": "drawn", "places": [[1, 1], [9, 9], [4, 20]]}}},
            "Draw a closed outline",
        ),
        ({"by": {"kind": "all"}, "px": 3}, "value of select"),
    ],
)
def test_bad_selections_are_refused_and_nothing_changes(told, why):
    canvas = speckled()
    select(canvas, rectangle(20, 30, 320, 270))
    before = cover(canvas)
    with pytest.raises(OrvixError, match=why):
        do(canvas, "select", told)
    assert (cover(canvas) == before).all()


def test_steps_that_change_the_size_or_the_borders_are_no_filters():
    for name in ("crop", "resize", "turn", "copies", "mend-border", "nothing"):
        with pytest.raises(OrvixError, match="step for a layer"):
            do(speckled(), "filter", {"layers": [1], "step": name})
