"""Painting on joined edges whose neighbours are mirrored, half-turned or glided."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest

from orvix.brushes.definition import Brush
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.strokes import Stroke, paint_stroke
from orvix.strokes.loaded import LoadedBrush, LoadedCoat
from orvix.tiles.joining import NEIGHBOURS, Joining
from orvix.tiles.repeats import Repeat

HALF_DROP, HALF_BRICK = Repeat("half-drop", Fraction(1, 2)), Repeat("brick", Fraction(1, 2))
WIDTH, HEIGHT = 120, 100
MARK = np.zeros((30, 24), np.float32)
MARK[4:9, 3:20] = 1
MARK[4:28, 3:8] = 0.7


def joining_of(neighbours):
    """Joined edges of those neighbours under a stagger that suits them."""
    return Joining(HALF_BRICK if neighbours == "glide-across" else HALF_DROP, neighbours)


def picture_brush(**values):
    brush = Brush.parse({"coats": [{"tip": {"name": "picture", "source": {}}, "values": values}]})
    return LoadedBrush(brush, (LoadedCoat(brush.coats[0], pictures=(np.repeat(MARK[..., None], 4, axis=2),)),))


def painted(loaded, samples, neighbours, **more):
    canvas = Canvas(CanvasSpec(WIDTH, HEIGHT, joined=joining_of(neighbours), ground=None))
    paint_stroke(canvas, Stroke(loaded, samples, seed=3, **more))
    return canvas.layer.whole()


def seen_at(copy, samples):
    """Samples as another copy of the part sees them: places of the cloth that show the same px of the part."""
    out = samples.copy()
    if copy.across:
        out[:, 1] = WIDTH - out[:, 1]
    if copy.down:
        out[:, 2] = HEIGHT - out[:, 2]
    return out + np.array([0, copy.x, copy.y, 0, 0, 0, 0])


@pytest.mark.parametrize("neighbours", NEIGHBOURS)
def test_a_stroke_made_in_any_copy_is_the_same_stroke(neighbours, brush_with, wavy):
    loaded = brush_with(size=30, spacing=0.2, flow=0.4)
    here = painted(loaded, wavy, neighbours).astype(float)
    assert here[..., 3].max() > 20000
    for copy in joining_of(neighbours).copies_near((-200, -150, 400, 380), WIDTH, HEIGHT):
        there = painted(loaded, seen_at(copy, wavy), neighbours)
        # A place mirrored in floats is the same place, but for their last bits.
        assert np.abs(there - here).max() < 1e-3 * 65535
        if not (copy.across or copy.down):
            assert np.array_equal(there, here)


@pytest.mark.parametrize("neighbours", NEIGHBOURS)
def test_a_tap_shows_in_every_copy_each_turned_as_its_neighbours_are(neighbours):
    loaded = picture_brush(size=30, spacing=1, flow=1)
    tap = np.array([[0, 112.3, 93.6, 1, 0, 0, 0]])
    shown = joining_of(neighbours).cloth(painted(loaded, tap, neighbours)[..., 3], 0, 0, 400, 500)
    alone = Canvas(CanvasSpec(500, 400, ground=None))
    paint_stroke(alone, Stroke(loaded, tap, seed=3))
    flat = alone.layer.whole()[..., 3] / 65535
    rest = np.ones((400, 500))
    for copy in joining_of(neighbours).copies_near((-200, -200, 700, 600), WIDTH, HEIGHT):
        # Where this copy shows the mark: the open canvas, seen from the copy.
        y, x = np.arange(400) - copy.y, np.arange(500) - copy.x
        y, x = (HEIGHT - 1 - y if copy.down else y), (WIDTH - 1 - x if copy.across else x)
        inside = ((y >= 0) & (y < 400))[:, None] & ((x >= 0) & (x < 500))[None]
        rest *= 1 - np.where(inside, flat[np.clip(y, 0, 399)][:, np.clip(x, 0, 499)], 0)
    assert np.abs(shown[60:300, 60:400] / 65535 - (1 - rest)[60:300, 60:400]).max() < 2e-3


@pytest.mark.parametrize("neighbours", NEIGHBOURS)
@pytest.mark.parametrize("mode", ["soften", "smear"])
def test_softening_and_smearing_reach_across_every_border(neighbours, mode, brush_with, wavy):
    """Done in any copy they are the same, so no border stops them."""
    joining = joining_of(neighbours)
    loaded = brush_with(size=40, spacing=0.2, flow=1.0)
    results = []
    across = wavy * np.array([1, 0.6, 0.6, 1, 1, 1, 1])
    (ax, ay), (bx, by) = joining.basis(WIDTH, HEIGHT)
    for x, y in ((0, 0), (ax, ay), (bx - 2 * ax, by - 2 * ay)):
        canvas = Canvas(CanvasSpec(WIDTH, HEIGHT, joined=joining, ground=None))
        paint_stroke(canvas, Stroke(brush_with(size=12), wavy[:, :] + np.array([0, 15, 5, 0, 0, 0, 0])))
        before = canvas.layer.whole()
        paint_stroke(canvas, Stroke(loaded, across + np.array([0, x, y, 0, 0, 0, 0]), mode=mode))
        results.append(canvas.layer.whole())
    assert not np.array_equal(results[0], before)
    assert np.array_equal(results[0], results[1])
    assert np.array_equal(results[0], results[2])
