"""Effects at the edges of layers: against geometry, across blocks and joined borders, live, kept, refused."""

from __future__ import annotations

from fractions import Fraction
from itertools import pairwise

import numpy as np
import pytest

from orvix.canvases.blocks import Blocks
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.effects import EFFECTS, Effect
from orvix.canvases.layers import Layer, effects_reach, parse_stack
from orvix.canvases.outlines import Outline, ellipse
from orvix.canvases.shaping import shape_pixels
from orvix.canvases.strokes import Stroke, StrokeRun, paint_stroke
from orvix.canvases.typesetting import no_font
from orvix.errors import OrvixError
from orvix.tiles.joining import Joining

W, H = 560, 420
RED = {"colour": "#c2553b"}


def disc(effects, x=260.0, y=256.0, radius=90.0, joined=None) -> Canvas:
    """A white disc over four blocks, on nothing."""
    canvas = Canvas(CanvasSpec(W, H, joined=joined, ground=None))
    pixels = shape_pixels(canvas.spec, Outline((ellipse(x, y, radius, radius),), fill="#ffffff"), no_font)[0]
    canvas.blocks[1] = pixels
    canvas.restack((Layer(effects=tuple(Effect.parse(one) for one in effects)),))
    return canvas


def plain(canvas) -> np.ndarray:
    return canvas.pixels() / 65535


def away(x=260.0, y=256.0) -> np.ndarray:
    rows, columns = np.mgrid[:H, :W] + 0.5
    return np.hypot(columns - x, rows - y)


def test_an_outline_is_as_wide_as_it_says_on_each_side():
    for place, low, high in (("outside", 90, 102), ("inside", 78, 90), ("middle", 84, 96)):
        got = plain(disc([{"kind": "outline", "width": 12, "place": place, **RED}]))
        line = (got[..., 0] > 0.7) & (got[..., 1] < 0.6) & (got[..., 3] > 0.9)
        distance = away()[line]
        assert distance.min() == pytest.approx(low, abs=1.6), place
        assert distance.max() == pytest.approx(high, abs=1.6), place
    assert (plain(disc([]))[away() > 92] == 0).all()


def test_a_glow_fades_out_and_one_inwards_stays_within():
    got = plain(disc([{"kind": "glow", "size": 24, **RED}]))
    along = got[256, 350:420, 3]
    assert along[0] > 0.9
    assert along[-1] < 0.02
    assert (np.diff(along[2:]) <= 1e-3).all()
    inner = plain(disc([{"kind": "glow", "size": 24, "place": "inside", **RED}]))
    assert (inner[..., 3] == plain(disc([]))[..., 3]).all(), "nothing outside"
    assert inner[256, 260, 1] > 0.95, "the middle stays as it was"
    assert inner[256, 345, 1] < 0.75


def test_a_shade_lies_where_it_is_thrown_under_the_layer():
    got = plain(disc([{"kind": "shade", "right": 40, "down": 0, "size": 4, "strength": 0.5}]))
    assert got[256, 375, 3] == pytest.approx(0.5, abs=0.02)
    assert got[256, 165, 3] == 0, "nothing on the other side"
    assert (got[256, 260] == 1).all(), "the layer lies over it"


def test_relief_is_light_towards_the_light_and_dark_away_from_it():
    canvas = disc([{"kind": "relief", "size": 14, "from": 0, "strength": 1.0}])
    canvas.blocks[1] = shape_pixels(canvas.spec, Outline((ellipse(260, 256, 90, 90),), fill="#808080"), no_font)[0]
    got = plain(canvas)
    grey = got[256, 260, 0]
    assert got[170, 260, 0] > grey + 0.1, "the upper edge is lit"
    assert got[342, 260, 0] < grey - 0.1
    assert got[..., 3].max() == 1
    assert (got[away() > 92] == 0).all()


def test_over_joined_borders_it_is_the_same_as_in_the_middle():
    told = [{"kind": "glow", "size": 20, **RED}, {"kind": "outline", "width": 5}]
    still = disc(told, 280, 210, 60, Joining()).pixels()
    moved = disc(told, 560, 420, 60, Joining()).pixels()
    assert np.abs(np.roll(still, (210, 280), axis=(0, 1)).astype(int) - moved).max() <= 300


def test_blocks_and_parts_of_them_show_no_edge_between():
    told = [{"kind": "shade"}, {"kind": "glow", "size": 40, **RED}, {"kind": "relief"}]
    canvas = disc(told)
    whole = canvas.view(canvas.spec.box)
    for box in ((200, 230, 330, 280), (255, 255, 300, 300), (0, 0, W, 256)):
        left, top, right, bottom = box
        assert (canvas.view(box) == whole[top:bottom, left:right]).all()
    left, right = whole[250:262, 230:280, 3].astype(int), whole[250:262, 231:281, 3].astype(int)
    assert np.abs(left - right).max() < 40


def test_while_a_stroke_is_painted_its_effects_follow_and_undo_takes_them_away(brush_with):
    canvas = Canvas(CanvasSpec(W, H, ground=None))
    canvas.restack((Layer(effects=(Effect.parse({"kind": "outline", "width": 8, **RED}),)),))
    samples = np.array([[8.0 * n, 150 + 6 * n, 250, 0.8, 0, 0, 0] for n in range(40)])
    run = StrokeRun(canvas, Stroke(brush_with(size=40), samples))
    seen = [canvas.pixels()]
    for at in range(0, 40, 10):
        run.feed(samples[at : at + 10], last=at == 30)
        seen.append(canvas.pixels())
    assert all((a[..., 0] != b[..., 0]).any() for a, b in pairwise(seen))
    run.finish()
    fresh = Canvas(canvas.spec)
    fresh.restack(canvas.stack)
    paint_stroke(fresh, Stroke(brush_with(size=40), samples))
    assert (fresh.pixels() == canvas.pixels()).all()


def test_a_mask_hides_the_edge_and_a_group_has_one_round_all_that_is_in_it():
    canvas = disc([{"kind": "outline", "width": 6, **RED}])
    mask = np.zeros((H, W, 4), np.uint16)
    mask[:, 260:, 3] = 65535
    canvas.blocks[9] = Blocks.from_array(mask)
    canvas.restack((Layer(mask=9, effects=canvas.stack[0].effects),))
    got = plain(canvas)
    assert got[256, 262, 0] > 0.7, "the outline goes along the mask"
    assert got[256, 262, 1] < 0.5
    assert not got[256, 280:].any()
    grouped = disc([])
    effects = (Effect.parse({"kind": "outline", "width": 6, **RED}),)
    grouped.restack((Layer(parent=5), Layer(5, "G", kind="group", effects=effects)))
    alone = disc([{"kind": "outline", "width": 6, **RED}])
    assert (grouped.pixels() == alone.pixels()).all()


def test_they_are_kept_with_the_layer_and_scaled_with_it():
    stack = disc([{"kind": "glow", "size": 24}, {"kind": "shade", "right": -9}]).stack
    assert parse_stack([one.as_dict() for one in stack]) == stack
    assert effects_reach(stack) == 38
    larger = stack[0].at_times(Fraction(2))
    assert dict(larger.effects[0].values)["size"] == 48
    assert dict(larger.effects[1].values)["right"] == -18
    assert dict(stack[0].at_times(Fraction(100)).effects[0].values)["size"] == 256


@pytest.mark.parametrize(
    ("told", "why"),
    [
        ({"kind": "halo"}, "effect"),
        ({"kind": "outline", "width": 0}, "width=0"),
        ({"kind": "glow", "size": 10**6}, "size=1000000"),
        ({"kind": "shade", "colour": "red"}, "colour"),
        ({"kind": "relief", "depth": 2}, "value of relief"),
        ("outline", "must be an object"),
    ],
)
def test_bad_effects_are_refused(told, why):
    with pytest.raises(OrvixError, match=why):
        parse_stack([{"id": 1, "name": "a", "effects": [told]}])
    with pytest.raises(OrvixError, match="at most 8"):
        parse_stack([{"id": 1, "name": "a", "effects": [{"kind": "glow"}] * 9}])
    assert set(EFFECTS.names()) == {"glow", "outline", "relief", "shade"}
