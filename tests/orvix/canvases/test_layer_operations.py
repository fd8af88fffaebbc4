"""Operations on layers: what is seen before and after, what stays as it was, and undoing all of it."""

from __future__ import annotations

import numpy as np
import pytest

from orvix.canvases.blocks import Blocks
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.layers import block_numbers, parse_stack
from orvix.canvases.operations import do
from orvix.canvases.strokes import GrainLayer, Stroke, paint_stroke, put_back
from orvix.colour.moving import luma
from orvix.errors import BadValue, OrvixError

W, H = 320, 280


@pytest.fixture
def canvas() -> Canvas:
    """Five layers: two of paint, a group of two with a mask and a clipped layer, and a fill."""
    chance = np.random.default_rng(11)
    made = Canvas(CanvasSpec(W, H, ground="#d8cdb4"))
    made.restack(
        parse_stack(
            [
                {"id": 1, "name": "paper"},
                {"id": 2, "name": "sea", "opacity": 0.7},
                {"id": 3, "name": "boats", "kind": "group", "opacity": 0.8},
                {"id": 4, "name": "hull", "parent": 3, "mask": 7},
                {"id": 5, "name": "shade", "parent": 3, "clipped": True, "mode": "multiply"},
                {"id": 6, "name": "light", "kind": "fill", "fill": {"colour": "#f0c040"}, "opacity": 0.2},
            ]
        )
    )
    for number in (1, 2, 4, 5, 7):
        alpha = np.clip(chance.random((H, W, 1)) * 1.5 - 0.4, 0, 1) * (chance.random((H, W, 1)) > 0.3)
        pixels = np.concatenate([chance.random((H, W, 3)) * alpha, alpha], 2)
        made.blocks[number] = Blocks.from_array(np.round(pixels * 65535).astype(np.uint16))
    return made


def everything(canvas: Canvas) -> dict:
    pixels = {
        (number, key): canvas.layer_blocks(number).get(key).tobytes()
        for number in {*block_numbers(canvas.stack), *canvas.blocks}
        for key in canvas.layer_blocks(number)
    }
    return {"stack": canvas.stack, **pixels}


def seen(canvas: Canvas) -> np.ndarray:
    return canvas.view(canvas.spec.box).astype(int)


@pytest.mark.parametrize(
    ("name", "told"),
    [
        ("duplicate", {"layers": [2, 3], "layer": 20}),
        ("merge", {"layers": [1, 2]}),
        ("merge", {"layers": [3]}),
        ("merge", {"layers": [1, 2, 3, 6]}),
        ("merge-copy", {"layers": [2, 3], "layer": 20}),
        ("merge-copy", {"layer": 20}),
        ("recolour", {"layers": [1, 4], "way": "tint", "colour": "#3c7a58"}),
        ("recolour", {"layers": [2], "way": "hue", "hue": 120}),
        ("recolour", {"layers": [2], "way": "colour", "colour": "#102030"}),
        ("move", {"x": 37, "y": -12, "layers": [3]}),
        ("layers", {"layers": [{"id": 1, "name": "paper"}, {"id": 6, "name": "light"}]}),
    ],
)
def test_each_is_undone_and_done_again_to_the_bit(canvas, name, told):
    before = everything(canvas)
    change = do(canvas, name, told)
    after = everything(canvas)
    assert after != before
    again = put_back(canvas, change)
    assert everything(canvas) == before
    put_back(canvas, again)
    assert everything(canvas) == after
    put_back(canvas, change)
    do(canvas, name, told)
    assert everything(canvas) == after, "told the same, it does the same"


def test_merging_everything_shows_what_was_seen(canvas):
    before = seen(canvas)
    do(canvas, "merge", {"layers": [1, 2, 3, 6]})
    assert [one.id for one in canvas.stack] == [1]
    assert np.abs(seen(canvas) - before).max() <= 1, "rounded once more"


def test_a_group_merged_alone_shows_what_was_seen(canvas):
    before = seen(canvas)
    do(canvas, "merge", {"layers": [3]})
    assert [one.id for one in canvas.stack] == [1, 2, 3, 6]
    assert canvas.stack[2].kind == "paint"
    assert np.abs(seen(canvas) - before).max() <= 1
    assert not canvas.layer_blocks(7).keys(), "the mask went into it"


def test_a_merged_copy_lies_over_all_of_them_and_they_stay(canvas):
    before = everything(canvas)
    whole = canvas.pixels()
    do(canvas, "merge-copy", {"layer": 20})
    assert canvas.stack[-1].id == 20
    alone = Canvas(canvas.spec, canvas.layer_blocks(20)).pixels()
    assert np.abs(alone.astype(int) - whole).max() <= 2
    assert all(everything(canvas)[at] == block for at, block in before.items() if at != "stack")


def test_a_duplicate_shares_its_pixels_and_lies_above_what_it_was_made_of(canvas):
    do(canvas, "duplicate", {"layers": [3], "layer": 20})
    names = [(one.id, one.name, one.parent, one.mask) for one in canvas.stack]
    assert names[2:8] == [
        (3, "boats", 0, 0), (4, "hull", 3, 7), (5, "shade", 3, 0),
        (20, "boats copy", 0, 0), (21, "hull", 20, 22), (23, "shade", 20, 0),
    ]  # fmt: skip
    key = canvas.layer_blocks(4).keys()[0]
    assert canvas.layer_blocks(21).get(key) is canvas.layer_blocks(4).get(key)
    with pytest.raises(BadValue, match="number"):
        do(canvas, "duplicate", {"layers": [3], "layer": 20})


def test_a_tint_keeps_light_and_transparency_and_a_turned_hue_keeps_transparency(canvas):
    before = canvas.layer_blocks(1).whole().astype(np.float64)
    do(canvas, "recolour", {"layers": [1], "way": "tint", "colour": "#3c7a58"})
    tinted = canvas.layer_blocks(1).whole().astype(np.float64)
    assert np.array_equal(tinted[..., 3], before[..., 3])
    weights = np.array([0.3, 0.59, 0.11])
    assert np.abs(tinted[..., :3] @ weights - before[..., :3] @ weights).max() < 400, "of 65535"
    do(canvas, "recolour", {"layers": [2], "way": "hue", "hue": 180})
    assert luma(np.array([1, 1, 1], np.float32)) == pytest.approx(1, abs=1e-5)
    grey = Canvas(CanvasSpec(8, 8), Blocks.from_array(np.full((8, 8, 4), 30000, np.uint16)))
    do(grey, "recolour", {"layers": [1], "way": "hue", "hue": 77})
    assert np.abs(grey.layer.whole().astype(int) - 30000).max() <= 2, "grey has no hue to turn"


def test_linked_layers_groups_and_fills_move_together(canvas):
    stack = [one.as_dict() for one in canvas.stack]
    stack[0]["linked"] = stack[2]["linked"] = 5
    stack[5]["fill"] = {"tile": 3, "x": 4, "y": 5}
    stack[5]["linked"] = 5
    do(canvas, "layers", {"layers": stack})
    before = {number: canvas.layer_blocks(number).whole() for number in (1, 2, 4, 7)}
    do(canvas, "move", {"x": 9, "y": 4, "layers": [1]})
    for number in (1, 4, 7):
        assert np.array_equal(canvas.layer_blocks(number).whole()[4:, 9:], before[number][:-4, :-9])
    assert np.array_equal(canvas.layer_blocks(2).whole(), before[2])
    fill = canvas.stack[5].fill
    assert (fill.x, fill.y) == (13, 9)


@pytest.mark.parametrize(
    ("name", "told", "named"),
    [
        ("merge", {"layers": [1]}, "two or more layers"),
        ("merge", {"layers": [1, 9]}, "layer"),
        ("merge", {"layers": []}, "list"),
        ("merge", {"layers": [1, 1]}, "once"),
        ("duplicate", {"layers": [1], "layer": 0}, "layer"),
        ("recolour", {"layers": [1], "way": "shine"}, "shine"),
        ("recolour", {"layers": [1], "way": "hue", "hue": 999}, "hue"),
        ("recolour", {"layers": [1], "way": "tint", "colour": "red"}, "colour"),
        ("recolour", {"layers": [6], "way": "hue", "hue": 9}, "fill"),
        ("move", {"x": 1, "y": 1.5, "layers": [1]}, "y"),
    ],
)
def test_what_cannot_be_is_refused_and_nothing_is_changed(canvas, name, told, named):
    before = everything(canvas)
    with pytest.raises(OrvixError, match=named):
        do(canvas, name, told)
    assert everything(canvas) == before


@pytest.mark.parametrize(
    ("name", "told"),
    [
        ("merge", {"layers": [1, 4]}),
        ("move", {"x": 1, "y": 1, "layers": [3]}),
        ("recolour", {"layers": [4], "way": "hue", "hue": 9}),
        ("layers", {"layers": [{"id": 1, "name": "paper"}]}),
    ],
)
def test_what_is_locked_by_its_group_stays(canvas, name, told):
    stack = [one.as_dict() for one in canvas.stack]
    stack[2]["locked"] = True
    do(canvas, "layers", {"layers": stack})
    with pytest.raises(BadValue, match="locked through boats"):
        do(canvas, name, told)


@pytest.mark.parametrize("mode", ["paint", "smear", "soften"])
def test_locked_transparency_stays_while_colours_change(canvas, brush_with, wavy, mode):
    stack = [one.as_dict() for one in canvas.stack]
    stack[0]["alpha_locked"] = True
    do(canvas, "layers", {"layers": stack})
    before = canvas.layer_blocks(1).whole()
    brush = {"values": {"soften_px": 3, "smear_strength": 0.9}}
    loaded = brush_with(brush=brush, size=40, spacing=0.1, flow=0.6)
    paint_stroke(canvas, Stroke(loaded, wavy, "#8a2f5c", mode=mode), GrainLayer(canvas))
    after = canvas.layer_blocks(1).whole()
    assert np.array_equal(after[..., 3], before[..., 3])
    assert (after != before).any()
    assert (after[..., :3] <= after[..., 3:]).all()
    with pytest.raises(BadValue, match="erase"):
        paint_stroke(canvas, Stroke(loaded, wavy, mode="erase"), GrainLayer(canvas))


def test_a_mask_is_painted_like_a_layer(canvas, brush_with, wavy):
    before = seen(canvas)
    change, _ = paint_stroke(canvas, Stroke(brush_with(size=60, spacing=0.1), wavy, layer=7), GrainLayer(canvas))
    assert {at[0] for at in change.blocks} == {7}
    assert (seen(canvas) != before).any()
