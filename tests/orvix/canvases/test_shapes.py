"""Shapes: their areas and outlines against geometry, made by a hand, kept editable, over borders, refused by rule."""

from __future__ import annotations

from math import cos, pi, sin

import numpy as np
import pytest

from orvix.canvases import outlines
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.operations import do
from orvix.canvases.outlines import Outline, Piece
from orvix.canvases.shaping import shape_pixels
from orvix.errors import OrvixError
from orvix.tiles.joining import Joining

SPEC = CanvasSpec(320, 280)
RED = "#c2553b"


def cover(outline: Outline, spec=SPEC, brush=None) -> np.ndarray:
    filled, border = shape_pixels(spec, outline, lambda version: brush)
    return np.maximum(filled.whole()[..., 3], border.whole()[..., 3]) / 65535


def test_filled_areas_are_those_of_geometry():
    assert cover(Outline((outlines.rectangle(20, 30, 120.5, 90),), RED)).sum() == pytest.approx(100.5 * 60, rel=0.002)
    ring = cover(Outline((outlines.ellipse(150, 140, 90, 60), outlines.ellipse(150, 140, 40, 30)), RED))
    assert ring.sum() == pytest.approx(pi * (90 * 60 - 40 * 30), rel=0.003), "the inner piece is a hole"
    assert ring[140, 150] == 0
    six = cover(Outline((outlines.polygon(150, 140, 80, 6),), RED))
    assert six.sum() == pytest.approx(1.5 * 3**0.5 * 80**2, rel=0.003)


def test_what_goes_over_a_joined_border_comes_in_opposite():
    joined = CanvasSpec(320, 280, joined=Joining())
    moved = cover(Outline((outlines.ellipse(310, 140, 40, 60),), RED), joined)
    still = cover(Outline((outlines.ellipse(150, 140, 40, 60),), RED), joined)
    assert np.abs(np.roll(still, 160, axis=1) - moved).max() < 0.02


def test_an_outline_is_followed_at_an_even_pace_and_its_corners_stay(brush_with):
    piece = outlines.rectangle(60, 60, 200, 180)
    places, corners = outlines.along(piece)
    assert corners.sum() == 4 or corners.sum() == 5
    steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
    assert steps.max() <= outlines.STEP_PX + 1e-9
    got = cover(Outline((piece,), brush=3, size=6), SPEC, brush_with(size=20, spacing=0.1, hardness=1.0))
    for x, y in ((60, 60), (200, 60), (200, 180), (60, 180), (130, 60), (60, 120)):
        assert got[y - 1 : y + 1, x - 1 : x + 1].mean() > 0.9, (x, y)
    assert got[120, 130] == 0
    assert got[50, 50] == 0
    round_one, none = outlines.along(outlines.ellipse(100, 100, 50, 50))
    assert not none.any()
    assert np.hypot(*(round_one - 100).T) == pytest.approx(np.full(len(round_one), 50), abs=0.02)


def test_width_along_the_path_follows_its_pressure(brush_with):
    line = Piece(((20, 140, 0, 0, 0, 0), (300, 140, 0, 0, 0, 0)), closed=False)
    brush = brush_with(
        size=40, spacing=0.05, hardness=1.0, smallest=1, leads={"size": {"pressure": {"response": [[0, 0], [1, 1]]}}}
    )
    got = cover(Outline((line,), brush=1, press=((0.0, 0.1), (0.5, 1.0), (1.0, 0.1))), SPEC, brush)
    widths = (got > 0.5).sum(axis=0)
    assert widths[160] == pytest.approx(40, abs=3)
    assert widths[40] < 16
    assert widths[280] < 16


def hand(path, wobble=1.5, count=120):
    chance = np.random.default_rng(4)
    return [(np.array(path(t)) + chance.normal(0, wobble, 2)).tolist() for t in np.linspace(0, 1, count)]


def test_a_drawn_outline_is_taken_to_its_true_form():
    circle = outlines.drawn(
        hand(lambda t: (150 + 80 * cos(2 * pi * t), 140 + 82 * sin(2 * pi * t))), True, true_form=True
    )
    assert len(circle.points) == 4
    spots = np.array([at[:2] for at in circle.points])
    assert np.hypot(*(spots - (150, 140)).T) == pytest.approx([81] * 4, abs=2)
    long = outlines.drawn(
        hand(lambda t: (150 + 120 * cos(2 * pi * t), 140 + 50 * sin(2 * pi * t))), True, true_form=True
    )
    assert len(long.points) == 4
    assert np.ptp([at[0] for at in long.points]) == pytest.approx(240, abs=8)

    def square(t):
        corners = [(60, 60), (220, 60), (220, 200), (60, 200), (60, 60)]
        n, share = min(int(t * 4), 3), min(t * 4 - min(int(t * 4), 3), 1)
        (ax, ay), (bx, by) = corners[n], corners[n + 1]
        return ax + (bx - ax) * share, ay + (by - ay) * share

    four = outlines.drawn(hand(square), True, true_form=True)
    assert len(four.points) == 4
    assert all(at[2:] == (0, 0, 0, 0) for at in four.points)
    # What is near none of them is smoothed, and stays near the hand.
    wave = hand(lambda t: (40 + 240 * t, 140 + 60 * sin(6 * t)), wobble=0.5)
    smooth = outlines.drawn(wave, False, true_form=True)
    places, _ = outlines.along(smooth)
    away = np.linalg.norm(np.array(wave)[:, None] - places[None], axis=2).min(axis=1)
    assert len(smooth.points) < 30
    assert away.max() < 6


def test_a_shape_layer_is_made_changed_moved_and_taken_back():
    canvas = Canvas(CanvasSpec(320, 280, ground="#f2efe6"))
    bare = canvas.view(canvas.spec.box)
    make = {"kind": "ellipse", "start": [40, 50], "end": [200, 170]}
    do(canvas, "shape", {"layer": 2, "name": "float", "over": 1, "shape": {"fill": RED}, "make": make})
    assert [(one.kind, one.name) for one in canvas.stack] == [("paint", "Layer 1"), ("shape", "float")]
    once = canvas.layer_blocks(2).whole()
    told = canvas.stack[1].as_dict()["shape"]
    do(
        canvas,
        "shape",
        {"layer": 2, "shape": told, "make": {"kind": "polygon", "start": [120, 110], "end": [150, 110], "sides": 5}},
    )
    assert len(canvas.stack[1].shape.pieces) == 2
    assert canvas.layer_blocks(2).whole()[110, 120, 3] == 0, "a hole"
    do(canvas, "shape", {"layer": 2, "shape": told})
    assert np.array_equal(canvas.layer_blocks(2).whole(), once)
    do(canvas, "move", {"x": 20, "y": -9, "layers": [2]})
    moved = canvas.layer_blocks(2).whole()
    do(canvas, "shape", {"layer": 2, "shape": canvas.stack[1].as_dict()["shape"]})
    assert np.array_equal(canvas.layer_blocks(2).whole(), moved), "its values moved with its pixels"
    do(canvas, "layers", {"layers": [{"id": 1, "name": "Layer 1"}]})
    assert np.array_equal(canvas.view(canvas.spec.box), bare)


def test_the_border_lies_over_what_is_clipped_to_the_shape(brush_with):
    canvas = Canvas(CanvasSpec(320, 280, ground="#f2efe6"))
    loaded = brush_with(size=12, spacing=0.1, hardness=1.0)
    make = {"kind": "rectangle", "start": [60, 60], "end": [200, 180]}
    shape = {"fill": RED, "brush": 1, "colour": "#102030"}
    do(canvas, "shape", {"layer": 2, "over": 1, "shape": shape, "make": make, "brush_of": lambda version: loaded})
    stack = [one.as_dict() for one in canvas.stack]
    fill = {"id": 9, "name": "cloth", "kind": "fill", "clipped": True, "fill": {"colour": "#ffee00"}}
    do(canvas, "layers", {"layers": [*stack, fill]})
    picture = canvas.view(canvas.spec.box)
    assert (picture[120, 130, :3] == (0xFF, 0xEE, 0x00)).all(), "filled"
    assert (np.abs(picture[60, 130, :3].astype(int) - (0x10, 0x20, 0x30)) < 6).all(), "and bound"
    do(canvas, "duplicate", {"layers": [2], "layer": 20})
    copied = next(one for one in canvas.stack if one.id == 20)
    assert canvas.layer_blocks(copied.border).keys() == canvas.layer_blocks(3).keys()
    do(canvas, "merge", {"layers": [1, 20]})
    assert not canvas.layer_blocks(copied.border).keys(), "it went into the pixels"


@pytest.mark.parametrize(
    ("told", "named"),
    [
        ({"shape": {}}, "pieces"),
        ({"shape": {"fill": "red"}, "make": {"kind": "ellipse", "start": [0, 0], "end": [9, 9]}}, "fill"),
        ({"shape": {"brush": 7}, "make": {"kind": "ellipse", "start": [0, 0], "end": [9, 9]}}, "brush"),
        ({"shape": {"shine": 7}, "make": {"kind": "ellipse", "start": [0, 0], "end": [9, 9]}}, "shine"),
        ({"make": {"kind": "star"}}, "star"),
        ({"make": {"kind": "ellipse", "start": [0, 0], "end": [0, 0]}}, "end"),
        ({"make": {"kind": "ellipse", "start": [0], "end": [9, 9]}}, "start"),
        ({"make": {"kind": "polygon", "start": [0, 0], "end": [9, 9], "sides": 2}}, "sides"),
        ({"make": {"kind": "drawn", "places": [[0, 0], [0.5, 0]]}}, "2 px"),
        ({"make": {"kind": "drawn", "places": "x"}}, "places"),
        ({"make": {"kind": "rectangle", "start": [0, 0], "end": [1e9, 9]}}, "end"),
        ({"shape": {"pieces": [{"points": [[0, 0], [1, 2, 3]]}]}}, "point"),
        ({"shape": {"pieces": [{"points": [[0, 0], [9, 9]]}], "press": [[0, 2], [1, 1]]}}, "press"),
        ({"layer": 1, "make": {"kind": "ellipse", "start": [0, 0], "end": [9, 9]}}, "no shape"),
    ],
)
def test_shapes_that_cannot_be_are_refused_and_nothing_is_changed(told, named):
    canvas = Canvas(SPEC)
    before = canvas.stack
    with pytest.raises(OrvixError, match=named):
        do(canvas, "shape", {"layer": 5, "shape": {}, **told})
    assert canvas.stack == before
    assert not canvas.layer_blocks(5).keys()


def test_a_ribbon_round_a_shape_shows_no_line_where_it_closes():
    from orvix.brushes.starters import STARTERS
    from orvix.formats.brush_file import load_brush, no_files

    rope = load_brush(STARTERS.get("rope-ribbon").data, no_files)
    outline = Outline((outlines.ellipse(160, 140, 100, 100),), brush=1, size=30)
    got = cover(outline, SPEC, rope)
    band = got[134:146, 254:266]  # across where it begins and ends
    elsewhere = got[134:146, 54:66]
    assert elsewhere.min() > 0.99
    assert band.min() > 0.99
