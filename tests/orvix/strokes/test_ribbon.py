"""Ribbons: the same in any batches, without seams, whole on closed outlines, cornered as told, pass over pass."""

from __future__ import annotations

import numpy as np
import pytest

from orvix.brushes.definition import Brush
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.strokes import Stroke, StrokeRun, paint_stroke
from orvix.colour.moving import move_matrices
from orvix.devices.stylus import TRIALS, record
from orvix.errors import BadValue
from orvix.strokes.advice import brush_advice
from orvix.strokes.loaded import LoadedBrush, LoadedCoat, LoadedRibbon
from orvix.tiles.joining import Joining

LINE = np.array([[10.0 * n, 40 + 4 * n, 100, 1, 0, 0, 0] for n in range(120)])


def tile(wide: int = 60, high: int = 40) -> np.ndarray:
    """A tile whose red runs once round along it and whose green runs across."""
    picture = np.ones((high, wide, 4), np.float32)
    picture[..., 0] = 0.5 + 0.5 * np.cos(2 * np.pi * (np.arange(wide) + 0.5) / wide)[None, :]
    picture[..., 1] = ((np.arange(high) + 0.5) / high)[:, None]
    picture[..., 2] = 0
    return picture


def band(values=None, places=None, picture=None, leads=None, **coat) -> LoadedBrush:
    pictures = {name: {"file": "p"} for name in places or {}}
    ribbon = {"source": {"file": "t"}, "values": values or {}, "pictures": pictures}
    told = {"values": {"size": 40, "flow": 1, "colour_from": "tip", **coat}, "ribbon": ribbon, "leads": leads or {}}
    brush = Brush.parse({"coats": [told]})
    loaded = LoadedRibbon(tile() if picture is None else picture, places or {})
    return LoadedBrush(brush, (LoadedCoat(brush.coats[0], ribbon=loaded),))


def painted(loaded, samples, size=(600, 400), **spec) -> np.ndarray:
    canvas = Canvas(CanvasSpec(*size, **spec))
    paint_stroke(canvas, Stroke(loaded, samples))
    return canvas.layer.whole().astype(float) / 65535


@pytest.mark.slow
@pytest.mark.parametrize("values", [{}, {"laid": "stretched"}, {"bends": "mitred"}, {"bends": "cut", "whole": True}])
@pytest.mark.parametrize("trial", ["bend", "tight corner", "spiral"])
@pytest.mark.parametrize("led", [{}, {"brightness": {"pressure": {"does": "adds", "low": -0.6, "high": 0.2}}}])
def test_batches_change_no_bit(values, trial, led):
    samples = record(TRIALS[trial], 2) * np.array([1, 500, 380, 1, 1, 1, 1])
    leads = {"size": {"pressure": {"low": 0.5}}, **led}
    loaded = band(values, {"start": tile(20, 20), "corner": tile(20, 20)}, leads=leads)
    canvas = Canvas(CanvasSpec(600, 400))
    run = StrokeRun(canvas, Stroke(loaded, samples[:0]))
    for part in np.split(samples, [1, 4, 30, 31, 60]):
        run.feed(part)
    run.feed(samples[:0], last=True)
    shown = canvas.view(canvas.spec.box)
    run.finish()
    assert np.array_equal(canvas.view(canvas.spec.box), shown)
    assert np.array_equal(canvas.layer.whole() / 65535, painted(loaded, samples))


@pytest.mark.parametrize("values", [{"bends": "mitred"}, {"laid": "stretched"}])
def test_a_wet_edge_is_darker_along_both_sides_whatever_the_batches(values):
    wet = {"wet_edge": 1.0, "wet_px": 8, "colour_from": "paint"}
    alpha = painted(band(values, **wet), LINE)[..., 3]
    plain = painted(band(values, colour_from="paint"), LINE)[..., 3]
    middle, sides = alpha[100, 200:300], alpha[[83, 116], 200:300]
    assert (sides > 1.5 * middle.max()).all()
    assert (alpha <= plain + 1e-4).all()
    assert (plain[[83, 100, 116], 200:300] == 1).all()
    loaded = band(values, {"corner": tile(20, 20)}, **wet)
    samples = record(TRIALS["tight corner"], 2) * np.array([1, 500, 380, 1, 1, 1, 1])
    canvas = Canvas(CanvasSpec(600, 400))
    run = StrokeRun(canvas, Stroke(loaded, samples[:0]))
    for part in np.split(samples, [1, 4, 30, 31, 60]):
        run.feed(part)
        canvas.view(canvas.spec.box)
    run.feed(samples[:0], last=True)
    run.finish()
    assert np.array_equal(canvas.layer.whole() / 65535, painted(loaded, samples))


def test_along_a_line_the_tile_follows_itself_without_a_seam():
    whole = painted(band(), LINE)
    row = whole[100, 60:460]
    assert row[:, 3].min() == 1
    period = 60.0
    want = 0.5 + 0.5 * np.cos(2 * np.pi * (np.arange(60, 460) + 0.5 - 40) / period)
    assert np.abs(row[:, 0] - want).max() < 0.03
    assert np.abs(np.diff(row[:, 0])).max() < 2 * np.pi / period
    across = whole[82:118, 200, 1]
    assert (np.diff(across) > 0).all()
    assert np.flatnonzero(whole[:, 200, 3] > 0.5)[[0, -1]].tolist() == [80, 119]


def test_stretched_one_tile_lies_from_start_to_end():
    row = painted(band({"laid": "stretched"}), LINE)[100, :, 0]
    assert row[45] > 0.95
    assert row[40 + 238] < 0.05
    assert row[510] > 0.95


def test_on_a_closed_outline_whole_repeats_meet():
    turn = np.linspace(0, 2 * np.pi, 200)
    ring = np.stack([turn * 300, 200 + 100 * np.cos(turn), 200 + 100 * np.sin(turn)], axis=1)
    ring = np.hstack([ring, np.ones((200, 1)), np.zeros((200, 3))])
    for whole, most in ((True, 0.12), (False, 1.0)):
        found = painted(band({"whole": whole}), ring, (400, 400))
        gap = abs(found[194, 300, 0] - found[205, 300, 0])
        assert gap < most
    steps = painted(band({"whole": True}), ring, (400, 400))
    at = np.round(200 + 100 * np.sin(turn)).astype(int), np.round(200 + 100 * np.cos(turn)).astype(int)
    reds = steps[..., 0][at]
    assert round(np.abs(np.diff((reds > 0.5).astype(int))).sum() / 2) == round(2 * np.pi * 100 / 60)


@pytest.mark.parametrize(
    ("bends", "corner", "cut"), [("mitred", True, True), ("cut", False, True), ("rounded", False, False)]
)
def test_corners_are_mitred_cut_or_rounded(bends, corner, cut):
    legs = [[8.0 * n, 100 + 5 * n, 300, 1, 0, 0, 0] for n in range(40)]
    legs += [[320 + 8.0 * n, 300, 300 - 5 * n, 1, 0, 0, 0] for n in range(1, 40)]
    alpha = painted(band({"bends": bends, "most_twist": 40}), np.array(legs))[..., 3]
    assert bool(alpha[317, 317] > 0.5) is corner
    assert alpha[304, 304] == 1
    assert alpha[250, 300] == alpha[300, 200] == 1


def test_where_the_stroke_comes_back_the_later_pass_lies_over_the_earlier_one():
    cross = [[8.0 * n, 60 + 5 * n, 200, 1, 0, 0, 0] for n in range(60)]
    cross += [[480 + 8.0 * n, 360 + 100 * np.sin(n / 10), 200 + 4.0 * n, 1, 0, 0, 0] for n in range(1, 20)]
    cross += [[640 + 8.0 * n, 200, 300 - 5.0 * n, 1, 0, 0, 0] for n in range(1, 45)]
    picture = tile()
    picture[10:30, 20:40] = 0
    whole = painted(band(picture=picture), np.array(cross))
    assert whole[200, 200, 3] > 0
    hole = np.argwhere((whole[150:250, 185:215, 3] < 1) & (whole[150:250, 185:215, 3] > 0))
    assert len(hole) < 400


def test_a_tile_keeps_its_alpha_or_is_filled_and_takes_the_paint_colour():
    picture = tile()
    picture[10:30] = 0
    for alpha, want in (("as it is", 0.0), ("filled", 1.0)):
        canvas = Canvas(CanvasSpec(600, 200))
        paint_stroke(canvas, Stroke(band({"alpha": alpha}, picture=picture), LINE, "#ff0000"))
        assert canvas.layer.whole()[100, 200, 3] / 65535 == pytest.approx(want, abs=0.01)
    canvas = Canvas(CanvasSpec(600, 200))
    paint_stroke(canvas, Stroke(band(colour_from="paint"), LINE, "#3366cc"))
    assert canvas.layer.whole()[100, 200].tolist() == [0x33 * 257, 0x66 * 257, 0xCC * 257, 65535]


def test_a_ribbon_wraps_over_joined_edges():
    open_, wrapped = painted(band(), LINE, (700, 300)), painted(band(), LINE, (300, 110), joined=Joining())
    both = np.maximum(open_[90:105, 50:290], open_[90:105, 350:590])
    assert np.abs(wrapped[90:105, 50:290, 3] - both[..., 3]).max() < 0.01
    assert (wrapped[0:9, 100:200, 3] > 0.9).all()


def test_a_band_wider_than_its_tile_says_so_and_one_without_its_tile_is_refused():
    assert brush_advice(band()) == []
    assert "its tile is 40 px high" in brush_advice(band(size=90))[0]["words"]
    brush = band().brush
    with pytest.raises(BadValue, match="not at hand"):
        paint_stroke(Canvas(CanvasSpec(60, 60)), Stroke(LoadedBrush.plain(brush), LINE))


RISING = np.array([[10.0 * n, 40 + 4 * n, 100, n / 119, 0, 0, 0] for n in range(120)])
"""A line that is pressed ever harder."""


def test_colours_are_led_along_the_way():
    leads = {"brightness": {"pressure": {"does": "adds", "low": -1, "high": 0}}}
    row = painted(band(picture=np.ones((40, 60, 4), np.float32), leads=leads), RISING)[100, 70:470]
    assert np.abs(row[:, 0] - np.arange(70 - 40, 470 - 40) / 476).max() < 0.03, "black at first, white at last"
    assert row[:, 3].min() == 1
    turned = painted(band(leads={"hue": {"pressure": {"does": "adds", "low": 0, "high": 120}}}), RISING)[100]
    plain = painted(band(), RISING)[100]
    at = 40 + int(476 * 0.999)
    move = move_matrices(np.array([119.0]), np.zeros(1), np.zeros(1))[0]
    want = np.clip(plain[at - 8, :3] @ move[:, :3].T, 0, 1)
    assert np.abs(turned[at - 8, :3] - want).max() < 0.05
    assert np.abs(turned[45] - plain[45]).max() < 0.05, "hardly turned where it is hardly pressed"


@pytest.mark.parametrize("alpha", ["as it is", "filled"])
def test_the_second_colour_comes_in_along_the_way_where_the_paint_colour_is_laid(alpha):
    picture = np.ones((40, 60, 4), np.float32)
    picture[:, 30:] = 0
    leads = {"second": {"pressure": {"does": "adds", "low": 0, "high": 1}}}
    loaded = band({"alpha": alpha}, picture=picture, leads=leads, colour_from="paint")
    canvas = Canvas(CanvasSpec(600, 400))
    paint_stroke(canvas, Stroke(loaded, RISING, colour="#ff0000", second_colour="#0000ff"))
    row = canvas.layer.whole()[100].astype(float) / 65535
    for x in (60, 240, 420):
        x += 0 if row[x, 3] > 0.9 else 30
        share = (x - 40) / 476
        assert np.abs(row[x, :3] - (1 - share, 0, share)).max() < 0.03
    holes = row[60:420, 3] < 0.5
    assert holes.any() == (alpha == "as it is"), "what is clear of the tile stays so, or is filled"
