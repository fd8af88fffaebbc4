"""How layers lie over one another: against an independent renderer, and the same however it is worked out."""

from __future__ import annotations

import numpy as np
import pytest
import skia
from hypothesis import given
from hypothesis import strategies as st

from orvix.canvases.blocks import Blocks
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.compositing import lay_over
from orvix.canvases.fills import FillTile
from orvix.canvases.layers import Layer, parse_stack
from orvix.canvases.strokes import GrainLayer, Stroke, StrokeRun
from orvix.colour.blending import MODES
from orvix.errors import BadValue, OrvixError
from orvix.tiles.repeats import Repeat

SIDE = 24
W3C = {mode: "k" + "".join(part.title() for part in mode.split("-")) for mode in MODES[:17]}
W3C |= {"normal": "kSrcOver", "plus-lighter": "kPlus"}
GROUND = "#c8b496"


def blot(chance: np.random.Generator) -> np.ndarray:
    """A random picture, premultiplied, 16 bits: parts of it clear, parts opaque."""
    alpha = np.clip(chance.random((SIDE, SIDE)) * 1.6 - 0.3, 0, 1)
    pixels = np.concatenate([chance.random((SIDE, SIDE, 3)) * alpha[..., None], alpha[..., None]], axis=2)
    return np.round(pixels * 65535).astype(np.uint16)


def canvas_of(stack, pictures, ground=None, side=SIDE) -> Canvas:
    canvas = Canvas(CanvasSpec(side, side, ground=ground))
    canvas.restack(parse_stack(stack))
    for number, pixels in pictures.items():
        canvas.blocks[number] = Blocks.from_array(pixels)
    return canvas


def seen(canvas: Canvas) -> np.ndarray:
    """What is seen of a small canvas, over its ground: 0 to 1."""
    return canvas.pixels().astype(np.float64) / 65535


def as_image(pixels: np.ndarray) -> skia.Image:
    data = np.ascontiguousarray(pixels.astype(np.float32) / 65535)
    return skia.Image.fromarray(data, skia.ColorType.kRGBA_F32_ColorType, skia.AlphaType.kPremul_AlphaType, copy=True)


def mode_paint(mode: str, opacity: float = 1.0) -> skia.Paint:
    return skia.Paint(BlendMode=getattr(skia.BlendMode, W3C[mode]), Alphaf=opacity)


def draw(out: skia.Canvas, stack: list[dict], pictures: dict, parent: int = 0) -> None:
    """A stack drawn by a library that knows groups and modes; what is clipped goes into a layer with its base."""
    bases: list[list[dict]] = []
    for one in stack:
        if one.get("parent", 0) == parent:
            if one.get("clipped") and bases:
                bases[-1].append(one)
            else:
                bases.append([one])
    for base, *clips in bases:
        out.saveLayer(None, mode_paint(base.get("mode", "normal"), base["opacity"]))
        if base.get("kind") == "group":
            draw(out, stack, pictures, base["id"])
        else:
            below = pictures[base["id"]]
            straight = below.astype(np.float64)
            straight[..., :3] *= 65535 / np.maximum(straight[..., 3:], 1)
            straight[..., 3] = 65535
            out.drawImage(as_image(np.minimum(straight, 65535)) if clips else as_image(below), 0, 0)
            for one in clips:
                image, paint = as_image(pictures[one["id"]]), mode_paint(one.get("mode", "normal"), one["opacity"])
                out.drawImage(image, 0, 0, skia.SamplingOptions(), paint)
            if clips:
                out.drawImage(
                    as_image(below), 0, 0, skia.SamplingOptions(), skia.Paint(BlendMode=skia.BlendMode.kDstIn)
                )
        out.restore()


def drawn(stack: list[dict], pictures: dict, ground: str | None = None) -> np.ndarray:
    info = skia.ImageInfo.Make(SIDE, SIDE, skia.ColorType.kRGBA_F32_ColorType, skia.AlphaType.kPremul_AlphaType)
    out = np.zeros((SIDE, SIDE, 4), np.float32)
    surface = skia.Surface.MakeRasterDirect(info, out)
    with surface as canvas:
        if ground:
            canvas.clear(skia.Color4f(*(int(ground[n : n + 2], 16) / 255 for n in (1, 3, 5)), 1))
        draw(canvas, stack, pictures)
    return out


@pytest.mark.parametrize("mode", list(W3C))
@pytest.mark.parametrize("ground", [None, GROUND])
def test_every_mode_agrees_with_an_independent_renderer(mode, ground):
    chance = np.random.default_rng(MODES.index(mode))
    stack = [
        {"id": 1, "name": "under", "opacity": 0.8},
        {"id": 2, "name": "over", "opacity": 0.7, "mode": mode},
        {"id": 3, "name": "atop", "opacity": 0.9, "mode": mode, "clipped": True},
        {"id": 4, "name": "last", "opacity": 1.0, "mode": mode},
    ]
    pictures = {n: blot(chance) for n in (1, 2, 3, 4)}
    assert np.abs(seen(canvas_of(stack, pictures, ground)) - drawn(stack, pictures, ground)).max() < 1 / 1024


def random_stack(chance: np.random.Generator, count: int) -> list[dict]:
    stack: list[dict] = []
    groups = [0]
    for n in range(1, count + 1):
        told = {"id": n, "name": str(n), "opacity": float(chance.choice([1, 0.3, 0.75]))}
        told["parent"] = int(chance.choice(groups))
        told["mode"] = str(chance.choice(list(W3C))) if chance.random() < 0.5 else "normal"
        if chance.random() < 0.25:
            told["kind"] = "group"
            groups.append(n)
        elif chance.random() < 0.3 and any(one["parent"] == told["parent"] for one in stack):
            siblings = [one for one in stack if one["parent"] == told["parent"]]
            told["clipped"] = siblings[-1].get("kind") != "group" and not any(one.get("clipped") for one in siblings)
        stack.append(told)
    return stack


@pytest.mark.parametrize("seed", range(12))
def test_groups_in_groups_with_clipped_layers_agree_with_it_too(seed):
    chance = np.random.default_rng(seed)
    stack = random_stack(chance, 12)
    pictures = {one["id"]: blot(chance) for one in stack if one.get("kind") != "group"}
    ground = GROUND if seed % 2 else None
    assert np.abs(seen(canvas_of(stack, pictures, ground)) - drawn(stack, pictures, ground)).max() < 1.5 / 1024


def test_what_is_seen_does_not_depend_on_what_was_looked_at_or_painted_before(brush_with, wavy):
    """Kept halves are told by their blocks: after any changes a fresh canvas with the same blocks shows the same."""
    chance = np.random.default_rng(5)
    stack = [{"id": n, "name": str(n), "opacity": 1.0 if n % 3 else 0.6} for n in range(1, 12)]
    stack[7]["mode"] = "multiply"
    pictures = {}
    for n in range(1, 12):
        alpha = chance.random((300, 300, 1)) * (chance.random((300, 300, 1)) > 0.4)
        pictures[n] = np.round(np.concatenate([chance.random((300, 300, 3)) * alpha, alpha], 2) * 65535).astype(
            np.uint16
        )
    canvas = canvas_of(stack, pictures, GROUND, 300)
    canvas.view(canvas.spec.box)
    loaded, box = brush_with(size=30, spacing=0.1, flow=0.5), (0, 0, 300, 300)
    for layer in (3, 8, 11, 3):
        run = StrokeRun(canvas, Stroke(loaded, wavy, "#8a2f5c", layer=layer), GrainLayer(canvas))
        for at in range(0, len(wavy), 12):
            for left, top, right, bottom in run.feed(wavy[at : at + 12], last=at + 12 >= len(wavy)):
                part = canvas.view((left, top, right, bottom))
                assert np.array_equal(part, canvas.view(box)[top:bottom, left:right])
        under_way = canvas.view(box)
        # Under a hand that paints a value may be off by one, where there are many layers; nothing of that is kept.
        swift = canvas.view(box, swift=True)
        assert canvas.was_swift == (layer == 3)
        assert np.abs(swift.astype(int) - under_way).max() <= 1
        assert np.array_equal(canvas.view(box), under_way)
        assert not canvas.was_swift
        run.finish()
        fresh = canvas_of(stack, {n: canvas.layer_blocks(n).whole() for n in range(1, 12)}, GROUND, 300)
        assert np.array_equal(canvas.view(box), fresh.view(box))
        assert np.array_equal(under_way, fresh.view(box))


def test_a_stroke_taken_away_leaves_nothing_of_itself_in_what_is_kept(brush_with, wavy):
    chance = np.random.default_rng(8)
    stack = [{"id": n, "name": str(n), "opacity": 1.0} for n in range(1, 10)]
    canvas = canvas_of(stack, {n: blot(chance) for n in range(1, 10)}, GROUND, 300)
    box = canvas.spec.box
    before = canvas.view(box)
    for layer in (5, 5, 2):
        run = StrokeRun(canvas, Stroke(brush_with(size=40), wavy, "#8a2f5c", layer=layer), GrainLayer(canvas))
        run.feed(wavy, last=True)
        assert not np.array_equal(canvas.view(box, swift=True), before)
        run.drop()
        assert np.array_equal(canvas.view(box), before)
        assert np.array_equal(canvas.view(box, swift=True), before)


@given(
    st.tuples(*[st.integers(0, 7)] * 4),
    st.tuples(*[st.integers(1, 8)] * 2),
    st.sampled_from([1.0, 0.37]),
    st.booleans(),
)
def test_laying_over_is_the_formula_to_the_last_bit_from_wherever_it_is_read(at, size, opacity, in_place):
    chance = np.random.default_rng(sum(at))
    under, above = (chance.integers(0, 65536, (16, 16, 4)).astype(np.uint16) for _ in range(2))
    for one in (under, above):
        one[..., :3] = np.minimum(one[..., :3], one[..., 3:])
    below, over = (
        one[y : y + size[0], x : x + size[1]].astype(np.int64) for one, y, x in ((under, *at[:2]), (above, *at[2:]))
    )
    out = np.ascontiguousarray(below.astype(np.uint16)) if in_place else np.empty((*size, 4), np.uint16)
    lay_over(out, *((out, 0, 0) if in_place else (under, *at[:2])), above, *at[2:], np.float32(opacity))
    if opacity == 1:
        assert np.array_equal(out, over + (2 * below * (65535 - over[..., 3:]) + 65535) // (2 * 65535))
    else:
        exact = over * opacity + below * (1 - over[..., 3:] * opacity / 65535)
        assert np.abs(out - exact).max() <= 0.51


def test_colours_above_their_alpha_stay_within_what_16_bits_hold():
    """No such px is made here, but one from outside must not spill into the channel beside it."""
    out = np.full((1, 2, 4), 65535, np.uint16)
    over = np.array([[[65535, 9, 9, 100], [0, 65535, 0, 0]]], np.uint16)
    lay_over(out, out, 0, 0, over, 0, 0, np.float32(1))
    assert out[0].tolist() == [[65535, 65444, 65444, 65535], [65535, 65535, 65535, 65535]]


def test_a_mask_hides_what_is_under_its_paint_and_nothing_else():
    chance = np.random.default_rng(3)
    pictures = {1: blot(chance), 2: blot(chance), 3: np.zeros((SIDE, SIDE, 4), np.uint16)}
    pictures[3][:12, :, 3] = 65535
    pictures[3][12:, :4, 3] = 32768
    stack = [{"id": 1, "name": "a"}, {"id": 2, "name": "b", "mask": 3}]
    got = canvas_of(stack, pictures).pixels().astype(int)
    without = canvas_of(stack[:1], {1: pictures[1]}).pixels()
    full = canvas_of([{"id": 1, "name": "a"}, {"id": 2, "name": "b"}], pictures).pixels()
    assert np.array_equal(got[:12], without[:12])
    assert np.array_equal(got[12:, 4:], full[12:, 4:])
    assert not np.array_equal(got[12:, :4], full[12:, :4])


def test_a_fill_shows_its_tile_as_it_is_now_and_lies_where_it_was_put():
    tile = np.zeros((8, 12, 4), np.float32)
    tile[..., 3] = 1
    tile[:4, :6, 0] = 1
    kept = FillTile(tile, Repeat("straight"))
    fill = {"tile": 7, "scale": "1", "x": 3, "y": 2}
    canvas = canvas_of([{"id": 1, "name": "fill", "kind": "fill", "fill": fill}], {})
    assert not canvas.pixels()[..., :3].any() or canvas.spec.ground, "a tile that is gone shows nothing"
    canvas.fills.tile_of = lambda number: kept if number == 7 else None
    got = canvas.pixels()
    want = np.roll(np.tile(tile, (3, 2, 1)), (2, 3), (0, 1))
    assert np.array_equal(got, np.round(want * 65535).astype(np.uint16))
    changed = FillTile(tile[::-1].copy(), Repeat("straight"))
    canvas.fills.tile_of = lambda number: changed
    assert not np.array_equal(canvas.pixels(), got)
    # A colour costs nothing and needs no tile.
    colour = canvas_of([{"id": 1, "name": "sea", "kind": "fill", "fill": {"colour": "#204060"}}], {})
    assert (colour.pixels() == np.array([0x2020, 0x4040, 0x6060, 0xFFFF])).all()


@pytest.mark.parametrize(
    ("stack", "named"),
    [
        ([{"id": 1, "name": "a", "parent": 1, "kind": "group"}], "parent"),
        ([{"id": n, "name": "a", "kind": "group", "parent": 3 - n} for n in (1, 2)], "parent"),
        ([{"id": 1, "name": "a", "parent": 9}], "parent"),
        ([{"id": 1, "name": "a"}, {"id": 2, "name": "b", "parent": 1}], "parent"),
        ([{"id": 1, "name": "a", "mask": 2}, {"id": 2, "name": "b"}], "layers"),
        ([{"id": 1, "name": "a", "mode": "shiny"}], "shiny"),
        ([{"id": 1, "name": "a", "kind": "fill"}], "fill"),
        ([{"id": 1, "name": "a", "kind": "fill", "fill": {"tile": 3, "scale": "0"}}], "scale"),
        ([{"id": 1, "name": "a", "kind": "fill", "fill": {"tile": 3, "turn": 1e6}}], "turn"),
        ([{"id": 1, "name": "a", "kind": "mirror"}], "mirror"),
        ([{"id": 1, "name": "a", "locked": "yes"}], "locked"),
        ([{"id": 1, "name": "a", "shine": 1}], "shine"),
    ],
)
def test_stacks_that_cannot_be_are_refused_by_their_rule(stack, named):
    with pytest.raises(OrvixError, match=named):
        parse_stack(stack)


def test_layers_come_back_from_what_is_written_of_them():
    told = [
        {"id": 1, "name": "all", "kind": "group", "opacity": 0.5, "visible": False},
        {"id": 2, "name": "b", "mode": "color-dodge", "locked": True, "alpha_locked": True, "parent": 1, "mask": 4},
        {"id": 3, "name": "c", "kind": "fill", "clipped": True, "linked": 2},
    ]
    told[2]["fill"] = {"tile": 5, "scale": "5/17", "turn": 390.0}
    stack = parse_stack(told)
    assert parse_stack([one.as_dict() for one in stack]) == stack
    assert stack[2].fill is not None
    assert stack[2].fill.turn == 30.0
    assert Layer().as_dict() == {"id": 1, "name": "Layer 1", "opacity": 1.0, "visible": True}


FILLED = {"kind": "fill", "fill": {"colour": "#102030"}}


@pytest.mark.parametrize(
    ("change", "named"), [({"locked": True}, "locked"), (FILLED, "fill"), ({"kind": "group"}, "group")]
)
def test_paint_goes_only_where_it_can_lie(brush_with, wavy, change, named):
    canvas = canvas_of([{"id": 1, "name": "a", **change}, {"id": 2, "name": "b"}], {})
    with pytest.raises(BadValue, match=named):
        StrokeRun(canvas, Stroke(brush_with(), wavy, layer=1))
    with pytest.raises(BadValue, match="must be one of 1, 2"):
        StrokeRun(canvas, Stroke(brush_with(), wavy, layer=7))
