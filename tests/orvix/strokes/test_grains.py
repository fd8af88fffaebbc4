"""Grains that move with the marks, the colours of a tile seen through a stroke, and grains that do nothing."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from scipy import ndimage

from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.strokes import Stroke, StrokeRun, paint_stroke
from orvix.strokes.loaded import LoadedBrush
from orvix.tiles.joining import Joining
from orvix.tiles.repeats import Repeat

SPOTS = np.array([[10.0 * n, 80 + 70.37 * n, 90.0, 1, 0, 0, 0] for n in range(6)])
ROW = {"size": 40, "flow": 1, "hardness": 1, "spaced_by": "px", "spacing_px": 70, "largest": 512}


def cover(loaded, samples=SPOTS, **spec) -> np.ndarray:
    canvas = Canvas(CanvasSpec(520, 180, **spec))
    run = StrokeRun(canvas, Stroke(loaded, samples[:0], seed=4))
    run.feed(samples, last=True)
    out = np.zeros((180, 520), np.float32)
    for (row, column), plane in run.painters[0].planes.items():
        part = out[row * 256 : row * 256 + 256, column * 256 : column * 256 + 256]
        part[:] = plane[: part.shape[0], : part.shape[1]]
    return out


def stamp(plane: np.ndarray, n: int) -> np.ndarray:
    return plane[74:106, 64 + 70 * n : 96 + 70 * n]


def test_held_to_the_stamp_every_mark_has_the_same_grain_and_by_chance_another(brush_with):
    same = cover(brush_with(grain=True, hold="stamp", **ROW))
    assert stamp(same, 0).std() > 0.1
    assert np.abs(stamp(same, 0) - stamp(same, 3)).max() < 1e-3
    other = cover(brush_with(grain=True, hold="stamp", offset_chance="per stamp", **ROW))
    assert np.abs(stamp(other, 0) - stamp(other, 3)).max() > 0.3
    stroke = cover(brush_with(grain=True, hold="canvas", offset_chance="per stroke", **ROW))
    assert np.abs(stamp(stroke, 0) - stamp(cover(brush_with(grain=True, **ROW)), 0)).max() > 0.2


@pytest.mark.parametrize("kind", ["straight", "brick", "half-drop"])
def test_a_grain_read_mark_by_mark_is_the_grain_of_the_canvas_where_nothing_moves_it(brush_with, kind):
    leads = {"grain_scale": {"pressure": {"response": [[0, 1], [1, 1]], "low": 1, "high": 1}}}
    still, led = brush_with(grain=True, scale=2, **ROW), brush_with(grain=True, scale=2, leads=leads, **ROW)
    turned = [
        replace(one, grain=replace(one.grain, repeat=Repeat(kind) if kind != "straight" else Repeat(), kept={}))
        for loaded in (still, led)
        for one in loaded.coats
    ]
    planes = [cover(LoadedBrush(loaded.brush, (coat,))) for loaded, coat in zip((still, led), turned, strict=True)]
    assert planes[0].std() > 0.05
    assert np.abs(planes[0] - planes[1]).max() < 0.02


def test_it_grows_with_the_brush_by_the_share_that_is_asked_for(brush_with):
    def period(size: float, grows: float) -> float:
        """How far the grain's bumps reach, by the half width of its own likeness."""
        leads = {"size": {"pressure": {"low": size / 80, "high": size / 80}}}
        values = {**ROW, "size": 80, "spacing_px": 90}
        part = cover(brush_with(grain=True, hold="stamp", scale=3, grows=grows, leads=leads, **values))[80:100, 70:90]
        part = part - part.mean()
        like = ndimage.correlate1d(part, np.ones(1), axis=1)
        shifts = [float((like[:, :-k] * like[:, k:]).mean() / (like**2).mean()) for k in range(1, 9)]
        return float(np.interp(0.5, shifts[::-1], range(8, 0, -1)))

    assert period(40, 1) < 0.75 * period(80, 1)
    assert period(40, 0) == pytest.approx(period(80, 0), rel=0.35)


def test_a_stroke_uncovers_the_tiles_own_colours(brush_with):
    loaded = brush_with(grain={"strength": 0.0}, scale=1, colour_from="tile", **ROW)
    coat = loaded.coats[0]
    colours = np.random.default_rng(2).random((30, 40, 4), np.float32)
    colours[..., 3] = 1
    painted = LoadedBrush(loaded.brush, (replace(coat, grain=replace(coat.grain, colours=colours, kept={})),))
    canvas = Canvas(CanvasSpec(520, 180))
    paint_stroke(canvas, Stroke(painted, SPOTS, "#ff00ff"))
    whole = canvas.layer.whole() / 65535
    want = np.tile(colours, (6, 13, 1))[:180, :520]
    full = whole[..., 3] == 1
    assert full.sum() > 3000
    assert np.abs(whole[full] - want[full]).max() < 1e-3


def test_a_grain_that_moves_with_the_marks_closes_on_any_canvas(brush_with):
    loaded = brush_with(grain=True, scale="7/5", hold="stamp", **{**ROW, "size": 60})
    edge = np.array([[0, 0.0, 0.0, 1, 0, 0, 0]])
    corner, middle = (
        cover(loaded, edge + np.array([0, x, y, 0, 0, 0, 0]), joined=Joining()) for x, y in ((0, 0), (260, 90))
    )
    assert np.abs(np.roll(corner, (90, 260), axis=(0, 1)) - middle).max() < 1e-3


def test_an_idle_grain_costs_and_changes_nothing(brush_with):
    assert np.array_equal(cover(brush_with(grain={"strength": 0.0}, **ROW)), cover(brush_with(**ROW)))
    kept = cover(
        brush_with(grain={"strength": 0.9, "least": 0.5}, leads={"grain_strength": {"pressure": {"high": 0}}}, **ROW)
    )
    half = cover(brush_with(grain={"strength": 0.5}, **ROW))
    assert np.abs(kept - half).max() < 1e-5
