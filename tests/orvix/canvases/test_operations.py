"""Layers and the operations on a canvas: what they leave, and that undoing each leaves nothing."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest

from orvix.canvases.blocks import Blocks
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.layers import SELECTION, Layer
from orvix.canvases.operations import OPERATIONS, do
from orvix.canvases.strokes import put_back
from orvix.errors import BadValue, UnknownName
from orvix.tiles.joining import Joining
from orvix.tiles.repeats import Repeat

BRICK = Joining(Repeat("brick", Fraction(1, 3)))


def noisy(rng, width, height):
    alpha = rng.integers(0, 65536, (height, width, 1))
    return np.concatenate([rng.integers(0, 65536, (height, width, 3)) * alpha // 65535, alpha], 2).astype(np.uint16)


def canvas_of(joined, width=301, height=277, layers=2):
    rng = np.random.default_rng(4)
    canvas = Canvas(CanvasSpec(width, height, joined=joined, ground="#204060"))
    canvas.restack(tuple(Layer(n, f"Layer {n}", 1 - 0.3 * (n - 1)) for n in range(1, layers + 1)))
    for layer in canvas.stack:
        canvas.blocks[layer.id] = Blocks.from_array(noisy(rng, width, height))
    return canvas


def shown(canvas):
    numbers = [SELECTION, *(one.id for one in canvas.stack)]
    return (canvas.spec, canvas.stack), {number: canvas.layer_blocks(number).whole() for number in numbers}


def same(a, b):
    return a[0] == b[0] and a[1].keys() == b[1].keys() and all(np.array_equal(a[1][n], b[1][n]) for n in a[1])


def told_of(name, canvas):
    kept = canvas.copy()
    kept.put((1, (0, 0)), None)
    return {
        "move": {"x": 37, "y": -12},
        "half-move": {"axis": "both"},
        "layers": {"layers": [{"id": 2, "name": "Under"}, {"id": 9, "name": "New", "opacity": 0.5}]},
        "corners": {"layer": 5},
        "take-up": {"state": 1, "from": kept},
        "paint-again": {"state": 1, "from": kept},
        "duplicate": {"layers": [1], "layer": 5},
        "merge": {"layers": [1, 2]},
        "merge-copy": {"layer": 5},
        "recolour": {"layers": [1], "way": "hue", "hue": 40},
        "pour": {"layer": 1, "x": 3, "y": 4, "tolerance": 0.5, "colour": "#102030", "grow": 2},
        "gradient": {"layer": 1, "start": [0, 0], "end": [90, 40], "colours": ["#102030", "#f0e0c0"]},
        "shape": {
            "layer": 5,
            "shape": {"fill": "#d29b42"},
            "make": {"kind": "ellipse", "start": [20, 30], "end": [190, 140]},
        },
        "rework": {"strokes": [1], "gone": True, "from": kept},
        "select": {"by": {"kind": "shape", "make": {"kind": "ellipse", "start": [20, 30], "end": [190, 140]}}},
        "transform": {"layers": [1], "turn": 20, "across": 0.5},
        "clear": {"layers": [1]},
        "lettering": {"layer": 5, "lettering": {"text": "Skerry", "x": 20, "y": 90, "size": 60}},
        "crop": {"x": 20, "y": -10, "width": 290, "height": 300},
        "resample": {"width": 602, "height": 554},
        "turn": {"way": "half"},
        "flatten": {"layer": 5},
        "sheet": {"ppi": 72, "ground": ""},
        "filter": {"layers": [1], "step": "negative"},
        "paste": {"picture": 1, "from": noisy(np.random.default_rng(6), 40, 30), "x": 280, "y": 250, "layer": 5},
    }[name]


@pytest.mark.parametrize("name", OPERATIONS.names())
def test_undo_of_do_is_nothing_and_do_again_is_the_same(name):
    canvas = canvas_of(BRICK)
    before, view = shown(canvas), canvas.view(canvas.spec.box)
    change = do(canvas, name, told_of(name, canvas))
    assert change
    after = shown(canvas)
    assert not same(before, after)
    again = put_back(canvas, change)
    assert same(shown(canvas), before)
    assert np.array_equal(canvas.view(canvas.spec.box), view)
    put_back(canvas, again)
    assert same(shown(canvas), after)


@pytest.mark.parametrize("axis", ["across", "down", "both"])
@pytest.mark.parametrize("joined", [Joining(), BRICK, Joining(Repeat("half-drop", Fraction(1, 2)))])
def test_two_half_moves_leave_the_same_octets_for_odd_sizes_too(axis, joined):
    canvas = canvas_of(joined, 301, 277)
    before = shown(canvas)
    do(canvas, "half-move", {"axis": axis})
    first = canvas.layer_blocks(1).whole()
    x, y = (150 if axis != "down" else 0), (138 if axis != "across" else 0)
    assert np.array_equal(first, joined.cloth(before[1][1], -y, -x, 277, 301))
    do(canvas, "half-move", {"axis": axis, "back": True})
    assert same(shown(canvas), before)
    if joined.repeat.kind == "straight":  # moving back is moving on by the rest
        do(canvas, "half-move", {"axis": axis})
        do(canvas, "move", {"x": 151 if x else 0, "y": 139 if y else 0})
        assert same(shown(canvas), before)


def test_on_an_open_canvas_a_move_leaves_bare_what_it_uncovers():
    canvas = canvas_of(None)
    before = canvas.layer_blocks(1).whole()
    do(canvas, "move", {"x": -20, "y": 30})
    after = canvas.layer_blocks(1).whole()
    assert np.array_equal(after[30:, :-20], before[:-30, 20:])
    assert not after[:30].any()
    assert not after[:, -20:].any()


def test_bringing_the_corners_together_keeps_the_first_half_on_a_layer_of_its_own():
    canvas = canvas_of(Joining(), layers=1)
    first = canvas.layer.whole()
    do(canvas, "corners", {"layer": 2})
    assert [one.name for one in canvas.stack] == ["First half", "Second half"]
    assert np.array_equal(canvas.layer_blocks(1).whole(), np.roll(first, (138, 150), (0, 1)))
    assert not canvas.layer_blocks(2).keys()


def test_layers_lie_over_each_other_by_their_opacity():
    canvas = canvas_of(None)
    low, high = (canvas.layer_blocks(n).whole() / 65535 for n in (1, 2))
    want = high * 0.7 + low * (1 - high[..., 3:] * 0.7)
    assert np.abs(want * 65535 + (1 - want[..., 3:]) * np.array([32, 64, 96, 255]) * 257 - canvas.pixels()).max() < 3
    flat = want[..., :3] + (1 - want[..., 3:]) * np.array([32, 64, 96]) / 255
    assert np.abs(canvas.view(canvas.spec.box)[..., :3] - flat * 255).max() < 0.51
    canvas.restack((Layer(1), Layer(2, "Layer 2", visible=False)))
    assert np.array_equal(
        canvas.view(canvas.spec.box), Canvas(canvas.spec, canvas.layer_blocks(1)).view(canvas.spec.box)
    )
    assert np.array_equal(canvas.layer_view(2, 0), Canvas(canvas.spec, canvas.layer_blocks(2)).view(canvas.spec.box))


@pytest.mark.parametrize(
    ("name", "told", "error", "words"),
    [
        ("blur", {}, UnknownName, "half-move"),
        ("move", {"z": 1}, UnknownName, "x, y"),
        ("move", {"x": 0.5}, BadValue, "x=0.5: must be a whole number"),
        ("half-move", {"axis": "up"}, BadValue, "across, down, both"),
        ("layers", {"layers": []}, BadValue, "1 to 120 layers"),
        ("layers", {"layers": [{"id": 1, "name": "A"}, {"id": 1, "name": "B"}]}, BadValue, "a number of its own"),
        ("layers", {"layers": [{"id": 1, "name": "A", "opacity": 3}]}, BadValue, "opacity=3: must be 0 to 1"),
        ("corners", {"layer": 2}, BadValue, "number of its own"),
        ("take-up", {"state": 4}, BadValue, "no longer exists"),
    ],
)
def test_what_cannot_be_done_is_refused_and_changes_nothing(name, told, error, words):
    canvas = canvas_of(BRICK)
    before = shown(canvas)
    with pytest.raises(error, match=words):
        do(canvas, name, told)
    assert same(shown(canvas), before)


def test_mirrored_neighbours_are_not_torn_by_a_move():
    canvas = canvas_of(Joining(Repeat(), "mirror-across"), 300, 200)
    with pytest.raises(BadValue, match="mirrored left–right"):
        do(canvas, "half-move", {"axis": "across"})
    assert do(canvas, "half-move", {"axis": "down"})
    with pytest.raises(BadValue, match="joined edges"):
        do(canvas_of(None), "half-move", {"axis": "down"})
