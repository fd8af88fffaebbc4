"""Transforming and pasting: exact where px stay px, true to geometry where they do not, wrapped, copied, refused."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest

from orvix.canvases.blocks import Blocks
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.fills import Fill
from orvix.canvases.layers import SELECTION, Layer, parse_stack
from orvix.canvases.operations import do
from orvix.canvases.operations.transform import painted_box
from orvix.canvases.selection import selected_box, shown_paths
from orvix.canvases.strokes import put_back
from orvix.canvases.taking import taken
from orvix.errors import OrvixError
from orvix.tiles.joining import Joining
from orvix.tiles.repeats import Repeat

W, H = 560, 400


def marked(**spec) -> Canvas:
    """A block of noise, 80 by 60, its upper left px at (240, 230): it lies over four blocks."""
    canvas = Canvas(CanvasSpec(W, H, **spec))
    pixels = np.zeros((H, W, 4), np.uint16)
    noise = np.random.default_rng(4).integers(0, 65536, (60, 80, 4), np.uint16)
    noise[..., 3] = 65535
    pixels[230:290, 240:320] = noise
    canvas.blocks[1] = Blocks.from_array(pixels)
    return canvas


def picture(canvas) -> np.ndarray:
    return canvas.layer.whole()


def patch(canvas, x, y, width, height) -> np.ndarray:
    return picture(canvas)[y : y + height, x : x + width]


def test_whole_moves_quarter_turns_and_turning_over_keep_every_octet():
    noise = patch(marked(), 240, 230, 80, 60)
    for told, x, y, want in (
        ({"x": -100, "y": 40}, 140, 270, noise),
        ({"across": -1}, 240, 230, noise[:, ::-1]),
        ({"down": -1}, 240, 230, noise[::-1]),
        ({"turn": 90, "about": [280, 260]}, 250, 220, np.rot90(noise, -1)),
        ({"turn": 180}, 240, 230, noise[::-1, ::-1]),
    ):
        canvas = marked()
        undo = do(canvas, "transform", {"layers": [1], **told})
        assert (patch(canvas, x, y, *want.shape[1::-1]) == want).all(), told
        assert np.count_nonzero(picture(canvas)[..., 3]) == noise.shape[0] * noise.shape[1]
        put_back(canvas, undo)
        assert (picture(canvas) == picture(marked())).all()


def test_scaling_turning_and_skewing_are_true_to_geometry():
    for told, area in (
        ({"across": 2, "down": 1.5}, 3 * 4800),
        ({"across": 0.5, "down": 0.5}, 4800 / 4),
        ({"turn": 33}, 4800),
        ({"skew": 20}, 4800),
    ):
        canvas = marked()
        do(canvas, "transform", {"layers": [1], **told})
        alpha = picture(canvas)[..., 3] / 65535
        assert alpha.sum() == pytest.approx(area, rel=0.03)
        rows, columns = np.mgrid[:H, :W] + 0.5
        middle = (alpha * columns).sum() / alpha.sum(), (alpha * rows).sum() / alpha.sum()
        assert middle == pytest.approx((280, 260), abs=0.3), "it stays about its middle"
    leaned = marked()
    do(leaned, "transform", {"layers": [1], "skew": 20})
    top = np.flatnonzero(picture(leaned)[231, :, 3])
    assert top.mean() > 285, "the top leans to the right"


def test_scaled_down_it_is_as_bright_as_before_and_does_not_shimmer():
    canvas = Canvas(CanvasSpec(W, H))
    pixels = np.zeros((H, W, 4), np.uint16)
    pixels[100:300, 100:300, 3] = 65535
    pixels[100:300, 100:300:2, :3] = 65535
    canvas.blocks[1] = Blocks.from_array(pixels)
    do(canvas, "transform", {"layers": [1], "across": 0.25, "down": 0.25})
    inner = picture(canvas)[185:215, 185:215, 0] / 65535
    assert np.abs(inner - 0.5).max() < 0.05, "stripes of one px become grey"


def test_only_what_is_selected_moves_the_selection_with_it_and_copies_go_on_and_on():
    canvas = marked()
    do(
        canvas,
        "select",
        {"by": {"kind": "shape", "make": {"kind": "rectangle", "start": [240, 230], "end": [280, 290]}}},
    )
    noise = patch(canvas, 240, 230, 80, 60)
    for n in range(1, 4):
        do(canvas, "transform", {"layers": [1], "y": -70, "copy": True})
        assert selected_box(canvas) == (240, 230 - 70 * n, 280, 290 - 70 * n)
    assert (patch(canvas, 240, 230, 80, 60) == noise).all()
    for n in range(1, 4):
        assert (patch(canvas, 240, 230 - 70 * n, 40, 60) == noise[:, :40]).all()
    do(canvas, "transform", {"layers": [1], "x": 200})
    assert (patch(canvas, 440, 20, 40, 60) == noise[:, :40]).all()
    assert not patch(canvas, 240, 20, 40, 60).any(), "moved without a copy, nothing stays"


def test_over_joined_borders_it_comes_in_opposite():
    canvas = marked(joined=Joining())
    noise = patch(canvas, 240, 230, 80, 60).copy()
    do(canvas, "transform", {"layers": [1], "x": W - 270, "y": 0})
    assert (np.roll(picture(canvas), 30, axis=1)[230:290, 0:80] == noise).all()
    turned = marked(joined=Joining())
    do(turned, "transform", {"layers": [1], "turn": 30, "x": W - 280})
    plain = marked()
    do(plain, "transform", {"layers": [1], "turn": 30})
    assert np.abs(np.roll(picture(plain), W - 280, axis=1).astype(int) - picture(turned)).max() <= 2


@pytest.mark.parametrize("selected", [False, True])
def test_what_lies_across_joined_borders_is_moved_and_turned_as_one_thing(selected):
    canvas, plain = marked(joined=Joining()), marked()
    by = (W - 270, H - 250)  # across both borders
    for one in (canvas, plain):
        if selected:
            do(
                one,
                "select",
                {"by": {"kind": "shape", "make": {"kind": "rectangle", "start": [240, 230], "end": [320, 290]}}},
            )
    do(canvas, "transform", {"layers": [1], "x": by[0], "y": by[1]})
    box = (240 + by[0], 230 + by[1], 320 + by[0], 290 + by[1])
    if selected:
        told = shown_paths(canvas)
        assert told["box"] == list(box)
        assert len(told["paths"]) == 1
        assert np.ptp(told["paths"][0], axis=0) == pytest.approx([80, 60], abs=1)
    else:
        assert painted_box(canvas, list(canvas.stack)) == box
    for told in ({"turn": 180}, {"turn": 37, "across": 1.3}, {"across": -1}):
        do(canvas, "transform", {"layers": [1], **told})
        do(plain, "transform", {"layers": [1], **told})
        moved = np.roll(picture(plain), by, axis=(1, 0)).astype(int)
        assert np.abs(moved - picture(canvas)).max() <= 2, told


def test_what_is_selected_across_joined_borders_is_taken_in_one_piece():
    canvas = marked(joined=Joining())
    noise = patch(canvas, 240, 230, 80, 60).copy()
    made = {"kind": "rectangle", "start": [240, 230], "end": [320, 290]}
    do(canvas, "select", {"by": {"kind": "shape", "make": made}})
    do(canvas, "transform", {"layers": [1], "x": W - 270, "y": H - 250})
    found = taken(canvas, list(canvas.stack))
    assert (found.x, found.y) == (W - 30, H - 20)
    assert (found.pixels == noise).all()


def test_where_copies_are_staggered_the_box_stays_on_the_canvas():
    canvas = marked(joined=Joining(Repeat("brick")))
    do(canvas, "transform", {"layers": [1], "x": W - 270})
    left, _, right, _ = painted_box(canvas, list(canvas.stack))
    assert (left, right) == (0, W)


def test_fills_and_shapes_are_moved_by_their_values():
    canvas = marked()
    fill = Layer(2, "net", kind="fill", fill=Fill(tile=7, scale=Fraction(1, 2), x=100, y=50))
    canvas.restack((*canvas.stack, fill))
    do(
        canvas,
        "shape",
        {"layer": 3, "shape": {"fill": "#c2553b"}, "make": {"kind": "rectangle", "start": [10, 10], "end": [50, 30]}},
    )
    do(canvas, "transform", {"layers": [2, 3], "across": 2, "down": 2, "turn": 90, "about": [0, 0], "x": 300})
    moved = {one.id: one for one in canvas.stack}
    assert (moved[2].fill.scale, moved[2].fill.turn, moved[2].fill.x, moved[2].fill.y) == (1, 90, 200, 200)
    assert moved[3].shape.pieces[0].points[0][:2] == (280, 20)
    assert canvas.layer_blocks(3).whole()[..., 3].sum() / 65535 == pytest.approx(4 * 40 * 20, rel=0.01)
    with pytest.raises(OrvixError, match="keeps its proportions"):
        do(canvas, "transform", {"layers": [2], "across": 2})
    do(canvas, "select", {"by": {"kind": "all"}})
    with pytest.raises(OrvixError, match="is a shape layer"):
        do(canvas, "transform", {"layers": [3], "x": 5})


@pytest.mark.parametrize(
    ("told", "why"),
    [
        ({"across": 0}, "must be 1/64 to 64, or"),
        ({"across": 100}, "across=100"),
        ({"skew": 89}, "skew=89"),
        ({"x": "far"}, "x="),
        ({"about": [1]}, "must be a place"),
        ({"copy": 1}, "must be true or false"),
        ({"layers": [9]}, "must be one of 1"),
        ({"across": 64, "down": 64, "layers": [1]}, "what comes out has at most"),
    ],
)
def test_bad_transforms_are_refused_and_nothing_changes(told, why):
    canvas = marked()
    if told.get("across") == 64:
        canvas.blocks[1] = Blocks.from_array(np.full((H, W, 4), 65535, np.uint16))
    before = picture(canvas).copy()
    with pytest.raises(OrvixError, match=why):
        do(canvas, "transform", {"layers": [1], **told})
    assert (picture(canvas) == before).all()


def test_what_is_pasted_is_a_layer_of_its_own_and_wraps():
    canvas = marked(joined=Joining())
    noise = patch(canvas, 240, 230, 80, 60).copy()
    undo = do(
        canvas, "paste", {"picture": 1, "from": noise, "x": W - 30, "y": 100, "layer": 5, "over": 1, "name": "Net"}
    )
    assert [one.name for one in canvas.stack] == ["Layer 1", "Net"]
    pasted = canvas.layer_blocks(5).whole()
    assert (np.roll(pasted, 30, axis=1)[100:160, :80] == noise).all()
    put_back(canvas, undo)
    assert len(canvas.stack) == 1
    assert not canvas.layer_blocks(5).keys()
    with pytest.raises(OrvixError, match="no longer exists"):
        do(canvas, "paste", {"picture": 9, "layer": 5})


def test_what_is_locked_stays():
    canvas = marked()
    canvas.restack(parse_stack([{"id": 1, "name": "a", "locked": True}]))
    for name, told in (("transform", {"layers": [1], "x": 4}), ("clear", {"layers": [1]})):
        with pytest.raises(OrvixError, match="is locked"):
            do(canvas, name, told)
    canvas.restack(parse_stack([{"id": 1, "name": "a", "alpha_locked": True}]))
    with pytest.raises(OrvixError, match="transparency locked"):
        do(canvas, "clear", {"layers": [1]})
    assert SELECTION not in [one.id for one in canvas.stack]
