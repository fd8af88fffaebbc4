"""Symmetry: copies are exact where px go to px, true to geometry elsewhere, the same however samples come."""

from __future__ import annotations

from fractions import Fraction

import cv2
import numpy as np
import pytest

from orvix.brushes.starters import STARTERS
from orvix.canvases.blocks import Blocks
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.strokes import Stroke, StrokeRun, paint_stroke
from orvix.errors import OrvixError
from orvix.formats.brush_file import load_brush, no_files
from orvix.strokes.symmetry import Symmetry
from orvix.tiles.joining import Joining

W, H = 520, 400
MIDDLE = {"x": 260, "y": 200}


def samples(x0=40, y0=60, dx=3.0, dy=2.0, count=50):
    n = np.arange(count)
    return np.stack([8.0 * n, x0 + dx * n, y0 + dy * n, 0.4 + 0.012 * n, 20 + 0 * n, 0 * n, 30 + 0 * n], axis=1)


def painted(brush, symmetry, mode="paint", start=None, joined=None, **more) -> np.ndarray:
    canvas = Canvas(CanvasSpec(W, H, joined=joined))
    if start is not None:
        canvas.blocks[1] = Blocks.from_array(start)
    told = Symmetry.parse(symmetry) if symmetry else None
    paint_stroke(canvas, Stroke(brush, more.pop("samples", samples()), "#2f6f93", mode, 7, symmetry=told, **more))
    return canvas.layer.whole()


def starter(name):
    return load_brush(STARTERS.get(name).data, no_files)


@pytest.mark.parametrize("name", ["harbour-liner", "kelp-frond", "rope-ribbon", "wave-comb"])
@pytest.mark.parametrize("axes", ["across", "down", "both"])
def test_a_mirror_is_exact(name, axes):
    """Without grain, whose lie is the canvas's own: the half that is painted is the other's mirrored picture."""
    brush = starter(name)
    one = painted(brush, None)
    both = painted(brush, {"kind": "mirror", "axes": axes, **MIDDLE})
    want = one.copy()
    for across, down in {"across": [(1, 0)], "down": [(0, 1)], "both": [(1, 0), (0, 1), (1, 1)]}[axes]:
        turned = one[:, ::-1] if across else one
        want = np.maximum(want, turned[::-1] if down else turned)
    assert (one[:, 260:] == 0).all()
    assert np.abs(both.astype(int) - want).max() <= 2


def test_a_picture_tip_is_mirrored_and_turned_with_its_mark(brush_with):
    brush = brush_with(size=90, spacing=2.0)
    straight = samples(60, 100, 1.0, 0.0)
    four = painted(brush, {"kind": "turn", "count": 4, "x": 200, "y": 200}, samples=straight)
    one = painted(brush, None, samples=straight)
    square = one[:400, :400]
    want = np.max([np.rot90(square, n) for n in range(4)], axis=0)
    assert np.abs(four[:400, :400].astype(int) - want).max() <= 2


def test_turns_that_are_no_quarters_lie_where_geometry_puts_them(brush_with):
    brush = brush_with(size=30, hardness=0.9)
    told = {"kind": "turn", "count": 5, "x": 200.0, "y": 200.0}
    five, one = painted(brush, told, samples=samples(60, 150)), painted(brush, None, samples=samples(60, 150))
    want = np.zeros((H, W))
    for n in range(5):
        matrix = cv2.getRotationMatrix2D((199.5, 199.5), 72.0 * n, 1.0)
        want = np.maximum(want, cv2.warpAffine(one[..., 3].astype(np.float32), matrix, (W, H), flags=cv2.INTER_CUBIC))
    assert np.abs(five[..., 3] / 65535 - want / 65535).mean() < 0.002


def test_a_glide_goes_on_and_turns_over_each_time(brush_with):
    brush = brush_with(size=20)
    short = samples(60, 150, 0.6, 0.4)
    got = painted(brush, {"kind": "glide", "axes": "across", "step": 100, "x": 0, "y": 200}, samples=short)
    one = painted(brush, None, samples=short)
    once = np.zeros_like(one)
    once[:, 100:] = one[::-1][:, :-100]
    twice = np.zeros_like(one)
    twice[:, 200:] = one[:, :-200]
    assert one[:, 40:120].any()
    for columns, want in ((slice(30, 120), one), (slice(140, 220), once), (slice(240, 320), twice)):
        assert np.abs(got[:, columns].astype(int) - want[:, columns]).max() <= 2


@pytest.mark.parametrize("mode", ["paint", "erase", "smear", "soften"])
def test_it_is_the_same_however_samples_come_and_at_joined_borders(brush_with, mode):
    brush = brush_with(size=40)
    start = np.random.default_rng(3).integers(0, 65536, (H, W, 4), np.uint16)
    start[..., 3] = 65535
    told = Symmetry.parse({"kind": "turn", "count": 6, "mirrored": True, **MIDDLE})
    pictures = []
    for step in (1, 9, 50):
        canvas = Canvas(CanvasSpec(W, H, joined=Joining()))
        canvas.blocks[1] = Blocks.from_array(start)
        run = StrokeRun(canvas, Stroke(brush, samples(), mode=mode, seed=5, symmetry=told))
        for at in range(0, 50, step):
            run.feed(samples()[at : at + step], last=at + step >= 50)
        run.finish()
        pictures.append(canvas.layer.whole())
    assert (pictures[0] == pictures[1]).all()
    assert (pictures[0] == pictures[2]).all()
    changed = (pictures[0] != start).any(axis=2)
    assert changed[:, :200].any()
    assert changed[:, 320:].any()


def test_at_twice_the_size_its_middle_is_twice_as_far(brush_with):
    brush = brush_with(size=30)
    told = {"kind": "mirror", "axes": "across", **MIDDLE}
    small = painted(brush, told)[..., 3] / 65535
    canvas = Canvas(CanvasSpec(2 * W, 2 * H))
    large = Stroke(brush, samples(), "#2f6f93", seed=7, symmetry=Symmetry.parse(told), times=Fraction(2))
    paint_stroke(canvas, large)
    halved = (canvas.layer.whole()[..., 3] / 65535).reshape(H, 2, W, 2).mean(axis=(1, 3))
    assert np.abs(halved - small).mean() < 0.003


@pytest.mark.parametrize(
    ("told", "why"),
    [
        ({"kind": "spiral", **MIDDLE}, "kind of symmetry"),
        ({"kind": "mirror", "axes": "round", **MIDDLE}, "axes"),
        ({"kind": "glide", "axes": "both", **MIDDLE}, "axes"),
        ({"kind": "turn", "count": 1, **MIDDLE}, "count"),
        ({"kind": "turn", "count": 1000, **MIDDLE}, "count"),
        ({"kind": "mirror"}, "x="),
        ({"kind": "mirror", "x": 1e9, "y": 0}, "at most 65536"),
        ({"kind": "glide", "step": 0, **MIDDLE}, "at least 1 px"),
        ({"kind": "mirror", "colour": 3, **MIDDLE}, "value of a symmetry"),
        ("mirror", "must be an object"),
    ],
)
def test_bad_symmetries_are_refused(told, why):
    with pytest.raises(OrvixError, match=why):
        Symmetry.parse(told)


def test_a_glide_with_too_many_copies_is_refused_before_anything_is_painted(brush_with):
    with pytest.raises(OrvixError, match="at most 64 copies"):
        painted(brush_with(size=20), {"kind": "glide", "axes": "across", "step": 2, **MIDDLE})
