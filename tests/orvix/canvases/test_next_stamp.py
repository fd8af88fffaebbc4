"""The stamp that is shown before the pen is pressed is the first one that the stroke lays."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.next_stamp import Hover, StampGhosts
from orvix.canvases.strokes import Stroke, paint_stroke
from orvix.strokes.rules import RowBeside
from orvix.tiles.joining import Joining
from orvix.tiles.repeats import Repeat

SPEC = CanvasSpec(200, 160)
NOTHING = np.empty((0, 7))


def first_laid(spec: CanvasSpec, stroke: Stroke, hover: Hover) -> np.ndarray:
    """The alpha that a stroke leaves which goes on by less than its spacing."""
    canvas = Canvas(spec)
    paint_stroke(canvas, replace(stroke, samples=hover.samples(4.0)))
    return canvas.layer.whole()[..., 3] / 65535


def on_canvas(spec: CanvasSpec, found) -> np.ndarray:
    """The alpha of a ghost where it lies on an open canvas."""
    out = np.zeros((spec.height, spec.width))
    left, top, right, bottom = found.box
    inner = slice(max(top, 0), min(bottom, spec.height)), slice(max(left, 0), min(right, spec.width))
    cut = (slice(inner[0].start - top, inner[0].stop - top), slice(inner[1].start - left, inner[1].stop - left))
    out[inner] = found.pixels[cut][..., 3] / 255
    return out


@pytest.mark.parametrize("grain", [False, True])
@pytest.mark.parametrize("heading", [0.0, 0.8, -2.4])
def test_it_has_the_place_size_turn_and_grain_of_the_first_stamp(brush_with, heading, grain):
    leads = {"size": {"pressure": {"response": [[0, 0.2], [1, 1]]}}, "turn": {"chance_stamp": {"does": "adds"}}}
    brush = brush_with(size=50, roundness=0.3, spacing=1, flow=1, follows="heading", leads=leads, grain=grain)
    stroke, hover = Stroke(brush, NOTHING, seed=11), Hover(90.3, 71.6, heading, (0.7, 0, 0, 0))
    shown = on_canvas(SPEC, StampGhosts(SPEC).next_stamp(stroke, hover))
    laid = first_laid(SPEC, stroke, hover)
    assert laid.max() > 0.8
    assert np.abs(shown - laid).max() < 2 / 255


def test_a_faint_one_is_shown_clearly_and_one_that_thins_at_its_end_is_not_thinned(brush_with):
    brush = brush_with(size=40, flow=0.05, hardness=1, thin_end=200, leads={"flow": {"pressure": {}}})
    found = StampGhosts(SPEC).next_stamp(Stroke(brush, NOTHING), Hover(100, 80, 0.0, (0.3, 0, 0, 0)))
    assert found.pixels[..., 3].max() >= 0.84 * 255
    assert found.pixels[..., 3].astype(float).sum() / 255 > 0.8 * np.pi * 20**2 * 0.85


def test_it_stands_where_the_row_beside_asks_for_it(brush_with):
    brush = brush_with(size=30, spacing=1, flow=1, hardness=1, row_start="between")
    stroke = Stroke(brush, NOTHING, row=RowBeside(20.0, 40.0, 0.0, 30.0))
    found = StampGhosts(SPEC).next_stamp(stroke, Hover(52.0, 70.0))
    assert (found.box[0] + found.box[2]) / 2 == pytest.approx(65, abs=1)  # half way between stamps at 50 and 80


def test_over_a_joined_border_all_of_it_is_shown_with_the_grain_that_is_there(brush_with):
    spec = CanvasSpec(120, 90, joined=Joining(Repeat("straight")))
    brush = brush_with(size=40, spacing=1, flow=1, hardness=1, grain={"scale": "1"})
    ghosts = StampGhosts(spec)
    here, there = (ghosts.next_stamp(Stroke(brush, NOTHING), Hover(x, 45.0)) for x in (119.0, -1.0))
    assert here.box[2] - here.box[0] > 40
    assert np.array_equal(here.pixels, there.pixels)


def test_at_a_level_it_is_the_same_made_smaller_and_what_is_too_large_is_not_shown(brush_with):
    brush = brush_with(size=64, spacing=1, flow=1, hardness=1)
    spec = CanvasSpec(4096, 4096)
    ghosts, hover = StampGhosts(spec), Hover(2000, 2000)
    small = ghosts.next_stamp(Stroke(brush, NOTHING), hover, level=3)
    assert small.pixels[..., 3].sum() / 255 == pytest.approx(np.pi * 4**2, rel=0.05)
    large = Stroke(brush_with(size=2000, largest=2000, spacing=1, flow=1), NOTHING)
    assert ghosts.next_stamp(large, hover) is None
    assert ghosts.next_stamp(large, hover, level=2) is not None
