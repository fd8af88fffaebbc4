"""Tips of a picture: laid as the slow reference lays them, at any size, block by block, and read from a brush file."""

from __future__ import annotations

import base64
from fractions import Fraction

import numpy as np
import pytest
from scipy import ndimage

from orvix.brushes.definition import Brush
from orvix.brushes.tips import TIPS, picture
from orvix.brushes.tips.picture import likely_paints, tip_picture
from orvix.brushes.tips.registry import MOST_SIDE
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.strokes import Stroke, StrokeRun, paint_stroke
from orvix.errors import BadValue, UnknownName
from orvix.formats.brush_file import load_brush, no_files
from orvix.pictures.writing import png_bytes
from orvix.registry import check_values
from orvix.strokes.loaded import LoadedBrush, LoadedCoat, LoadedGrain
from orvix.tiles.joining import Joining
from orvix.tiles.repeats import Repeat
from tests.orvix.strokes import reference


def picture_brush(mask, *, grain: bool = False, leads=None, tip=None, **values) -> LoadedBrush:
    """A brush whose tip is a mask, (rows, columns), or a picture in premultiplied colour, (rows, columns, 4)."""
    tip = {"name": "picture", "source": {"file": "t.png"}, "values": tip or {}}
    coat = {"tip": tip, "values": {"spacing": 0.6, "flow": 0.8, **values}, "leads": leads or {}}
    if grain:
        coat["grain"] = {"source": {"file": "g.png"}, "scale": "3/2"}
    plane = np.random.default_rng(3).random((30, 40), np.float32)
    loaded = LoadedGrain(plane, Repeat("straight")) if grain else None
    colours = mask if mask.ndim == 3 else np.repeat(mask[..., None], 4, axis=2)
    brush = Brush.parse({"coats": [coat]})
    return LoadedBrush(brush, (LoadedCoat(brush.coats[0], loaded, (colours.astype(np.float32),)),))


def buffer_of(canvas: Canvas, loaded: LoadedBrush, samples, seed=5) -> np.ndarray:
    run = StrokeRun(canvas, Stroke(loaded, samples[:0], seed=seed))
    run.feed(samples, last=True)
    out = np.zeros((canvas.spec.height, canvas.spec.width), np.float32)
    for (row, column), plane in run.painters[0].planes.items():
        part = out[row * 256 : row * 256 + 256, column * 256 : column * 256 + 256]
        part[:] = plane[: part.shape[0], : part.shape[1]]
    return out


def blob(x, y):
    """A lopsided soft mark inside the square from -0.5 to 0.5."""
    first = np.exp(-((x + 0.12) ** 2 / 0.02 + (y - 0.08) ** 2 / 0.03))
    return first + 0.6 * np.exp(-((x - 0.2) ** 2 + (y + 0.1) ** 2) / 0.014) * (1 - first)


def sampled(side: int) -> np.ndarray:
    at = (np.arange(side) + 0.5) / side - 0.5
    return blob(at[None, :], at[:, None]).astype(np.float32)


def test_at_its_own_size_a_picture_is_read_bilinearly():
    mask = np.random.default_rng(1).random((21, 33)).astype(np.float32)
    loaded = picture_brush(mask, size=33, spacing=5, flow=1.0)
    at = (61.37, 48.81)
    got = buffer_of(Canvas(CanvasSpec(120, 100)), loaded, np.array([[0, *at, 1, 0, 0, 0]]))
    y, x = np.mgrid[0:100, 0:120] + 0.5
    places = np.stack([y - at[1] + 21 / 2 - 0.5, x - at[0] + 33 / 2 - 0.5])
    want = ndimage.map_coordinates(np.pad(mask, 2), places + 2, order=1)
    assert np.abs(got - want).max() < 2e-4


@pytest.mark.slow
@pytest.mark.parametrize("side", [48, 200, 700])
@pytest.mark.parametrize("size", [40, 57.3, 130])
@pytest.mark.parametrize("way", [{}, {"follows": "heading", "turn": 25}, {"flip_across": "in turn", "roundness": 0.7}])
def test_at_any_size_and_turn_it_is_the_picture_as_the_slow_reference_has_it(side, size, way, wavy):
    leads = {"size": {"pressure": {"low": 0.6}}}
    loaded = picture_brush(sampled(side), size=size, spaced_by="px", spacing_px=0.6 * size, **way, leads=leads)
    got = buffer_of(Canvas(CanvasSpec(360, 240)), loaded, wavy)
    want = reference.coverage(loaded.brush, wavy, 5, 360, 240, tip=blob)
    assert want.max() > 0.5
    # A level differs from the size by less than a fifth, and a px is averaged: at 24 px a mark loses that much.
    assert np.abs(got - want).max() < 0.05
    assert abs(float(got.sum()) / float(want.sum()) - 1) < 0.015


def test_a_stroke_of_pictures_is_the_same_in_any_batches_and_moves_by_whole_px(wavy):
    leads = {"size": {"chance_stamp": {"low": 0.5}}}
    loaded = picture_brush(sampled(64), size=70, scatter_across=1.0, follows="heading", leads=leads)
    here, there = Canvas(CanvasSpec(900, 700)), Canvas(CanvasSpec(900, 700))
    paint_stroke(here, Stroke(loaded, wavy, seed=3))
    run = StrokeRun(there, Stroke(loaded, wavy[:0], seed=3))
    moved = wavy + np.array([0, 256 + 17, 131, 0, 0, 0, 0])
    for part in np.split(moved, 7 * np.arange(1, 8)):
        run.feed(part)
    run.feed(moved[:0], last=True)
    run.finish()
    assert here.layer.whole().any()
    assert np.array_equal(here.layer.whole()[:500, :600], there.layer.whole()[131:631, 273:873])


def test_twice_as_large_is_the_same_picture_with_more_detail(wavy):
    loaded = picture_brush(sampled(300), size=60)
    small, large = Canvas(CanvasSpec(320, 200)), Canvas(CanvasSpec(640, 400))
    paint_stroke(small, Stroke(loaded, wavy))
    paint_stroke(large, Stroke(loaded, wavy), times=Fraction(2))
    halved = large.layer.whole().reshape(200, 2, 320, 2, 4).astype(float).mean(axis=(1, 3))
    assert np.abs(halved - small.layer.whole()).max() < 0.03 * 65535


def test_joined_edges_bring_a_picture_back_on_the_other_side():
    loaded = picture_brush(np.ones((20, 20), np.float32), size=20, spacing=3, flow=1.0)
    canvas = Canvas(CanvasSpec(100, 60, joined=Joining(Repeat("brick", Fraction(1, 2)))))
    paint_stroke(canvas, Stroke(loaded, np.array([[0, 50.0, 60.0, 1, 0, 0, 0]])))
    alpha = canvas.layer.whole()[..., 3]
    assert (alpha[52:, 42:58] == 65535).all()
    wrapped = np.concatenate([alpha[:8, 92:], alpha[:8, :8]], axis=1)  # half a tile aside in the next row
    assert (wrapped == 65535).all()
    assert np.count_nonzero(alpha > 40000) == 400


def test_a_grain_lies_under_a_picture_tip(wavy):
    mask = np.ones((16, 16), np.float32)
    plain = buffer_of(Canvas(CanvasSpec(320, 200)), picture_brush(mask, size=40, spacing=2, flow=1.0), wavy)
    bitten = buffer_of(
        Canvas(CanvasSpec(320, 200)), picture_brush(mask, size=40, spacing=2, flow=1.0, grain=True), wavy
    )
    inside = plain == 1
    assert inside.sum() > 1000
    assert bitten[inside].std() > 0.1
    assert (bitten <= plain + 1e-6).all()


def tipped(pixels, **values):
    return tip_picture(pixels, check_values(picture.VALUES, values, "tip"))


def test_where_a_picture_paints():
    pixels = np.zeros((4, 6, 4), np.uint16)
    pixels[:, :3] = (0, 0, 0, 65535)
    pixels[:, 3:5] = 65535
    ways = ("opaque", "dark", "light")
    opaque, dark, light = (tipped(pixels, paints=way, trimmed=False)[0, :, 3].tolist() for way in ways)
    assert opaque == [1, 1, 1, 1, 1, 0]
    assert dark == pytest.approx([1, 1, 1, 0, 0, 0], abs=1e-4)
    assert light == pytest.approx([0, 0, 0, 1, 1, 0], abs=1e-4)
    assert likely_paints(pixels) == "opaque"
    full = np.full((9, 9, 4), 65535, np.uint16)
    full[3:6, 3:6, :3] = 0
    assert likely_paints(full) == "dark"
    full[..., :3] = 65535 - full[..., :3]
    assert likely_paints(full) == "light"


def test_a_tip_is_trimmed_flipped_turned_and_squeezed():
    pixels = np.zeros((12, 20, 4), np.uint16)
    pixels[3:5, 6:13, 3] = 65535
    pixels[3:5, 6:8, 0] = 65535
    assert tipped(pixels).shape == (2, 7, 4)
    assert tipped(pixels, trimmed=False).shape == (12, 20, 4)
    assert tipped(pixels, tip_flip=True)[0, :, 0].tolist() == [0, 0, 0, 0, 0, 1, 1]
    assert tipped(pixels, tip_turn=90)[:, 0, 0].tolist() == [1, 1, 0, 0, 0, 0, 0]
    assert tipped(pixels, squeeze=-0.5, trimmed=False).shape == (12, 10, 4)
    turned = tipped(pixels, tip_turn=45)
    assert turned[..., 3].sum() == pytest.approx(14, rel=0.03)
    with pytest.raises(BadValue, match="paints nothing"):
        tipped(np.zeros((4, 4, 4), np.uint16))


def test_a_picture_larger_than_any_mark_is_taken_down():
    mask = tipped(np.full((16, MOST_SIDE * 2, 4), 65535, np.uint16))[..., 3]
    assert mask.shape == (8, MOST_SIDE)
    assert mask.min() == 1


def test_a_brush_file_carries_the_picture_of_its_tip(wavy):
    straight = np.zeros((12, 20, 4), np.uint8)
    straight[2:10, 3:17] = (200, 30, 30, 255)
    png = base64.b64encode(png_bytes(straight)).decode()
    tip = {"name": "picture", "source": {"png": png}, "values": {"trimmed": False}}
    loaded = load_brush({"coats": [{"tip": tip, "values": {"size": 20, "spacing": 4, "flow": 1.0}}]}, no_files)
    canvas = Canvas(CanvasSpec(60, 60))
    paint_stroke(canvas, Stroke(loaded, np.array([[0, 30.0, 30.0, 1, 0, 0, 0]])))
    assert np.count_nonzero(canvas.layer.whole()[..., 3]) == 8 * 14
    again = Brush.parse(loaded.brush.as_dict())
    assert again == loaded.brush


@pytest.mark.parametrize(
    ("tip", "error", "words"),
    [
        ({"name": "picture"}, BadValue, "must say which picture"),
        ({"name": "set", "sources": []}, BadValue, "1 to 64 pictures"),
        ({"name": "picture", "source": {"file": "a"}, "values": {"paints": "grey"}}, BadValue, "opaque"),
        ({"name": "picture", "source": {"file": "a"}, "values": {"hardness": 1}}, UnknownName, "hardness"),
        ({"name": "round", "source": {"file": "a"}}, UnknownName, "source"),
        ({"name": "oval"}, UnknownName, "picture"),
        ("round", BadValue, "JSON object"),
    ],
)
def test_a_bad_tip_is_refused_with_the_rule(tip, error, words):
    with pytest.raises(error, match=words):
        Brush.parse({"coats": [{"tip": tip}]})


def test_a_picture_tip_without_its_picture_says_so(wavy):
    brush = Brush.parse({"coats": [{"tip": {"name": "picture", "source": {"file": "a.png"}}}]})
    with pytest.raises(BadValue, match="not at hand"):
        paint_stroke(Canvas(CanvasSpec(40, 40)), Stroke(LoadedBrush.plain(brush), wavy))


def test_a_set_takes_its_pictures_in_order_by_chance_by_heading_and_by_pressure():
    pictures = tuple(np.full((8, 8, 4), n + 1, np.float32) / 4 for n in range(3))
    line = np.array([[10.0 * n, 20 + 5 * n, 30, n / 40, 0, 0, 0] for n in range(41)])

    def taken(how: str, samples=line) -> list[float]:
        tip = {"name": "set", "sources": [1, 2, 3], "values": {"taken": how}}
        brush = Brush.parse({"coats": [{"tip": tip, "values": {"size": 8, "spacing": 2, "flow": 1}}]})
        loaded = LoadedBrush(brush, (LoadedCoat(brush.coats[0], pictures=pictures),))
        cover = buffer_of(Canvas(CanvasSpec(260, 60)), loaded, samples)
        return [round(float(cover[30, 20 + 16 * n]) * 4) for n in range(12)]

    assert taken("in order") == [1, 2, 3] * 4
    assert len(set(taken("by chance"))) > 1
    assert taken("by heading") == [1] * 12
    assert taken("by pressure") == sorted(taken("by pressure"))
    assert set(taken("by pressure")) == {1, 2, 3}


@pytest.mark.parametrize("kind", [kind for kind in TIPS if kind.draw], ids=lambda kind: kind.name)
def test_a_drawn_tip_fills_its_square_and_has_crisp_edges_at_any_size(kind):
    cover = kind.draw(check_values(kind.values, {}, "tip"))
    assert 0.2 < cover.mean() < 0.9
    assert cover.max() == 1
    brush = Brush.parse({"coats": [{"tip": {"name": kind.name}, "values": {"size": 1500, "largest": 2048, "flow": 1}}]})
    got = buffer_of(Canvas(CanvasSpec(1600, 1600)), LoadedBrush.plain(brush), np.array([[0, 800.0, 800.0, 1, 0, 0, 0]]))
    soft = (got > 0.05) & (got < 0.95)
    assert soft.sum() < 2.5 * 4 * 1500


def test_a_picture_in_its_own_colours_keeps_them_and_hue_moves_them():
    picture = np.zeros((20, 20, 4), np.float32)
    picture[..., 0], picture[..., 3] = 0.8, 1
    spot = np.array([[0, 30.0, 30.0, 1, 0, 0, 0]])

    def painted(**values):
        leads = values.pop("leads", {})
        loaded = picture_brush(picture, size=20, flow=1.0, colour_from="tip", leads=leads, **values)
        canvas = Canvas(CanvasSpec(60, 60))
        paint_stroke(canvas, Stroke(loaded, spot, "#00ff00"))
        return canvas.layer.whole()[30, 30] / 65535

    assert painted() == pytest.approx([0.8, 0, 0, 1], abs=1e-3)
    turned = painted(hue=120)
    assert turned[1] > turned[0]
    assert painted(saturation=-1)[:3] == pytest.approx([0.8 * 0.213] * 3, abs=2e-3)
    assert painted(brightness=1)[:3] == pytest.approx([1, 1, 1], abs=1e-3)
    assert painted(moved_by="light and dark")[:3] == pytest.approx([0, 1, 0], abs=2e-3)
    greened = painted(moved_by="hue")
    assert greened[1] > max(greened[0], greened[2])


@pytest.mark.parametrize("builds", ["adds up", "stays level"])
def test_colours_laid_over_one_another_never_pass_the_opacity(builds):
    picture = np.zeros((20, 20, 4), np.float32)
    picture[..., 2], picture[..., 3] = 0.5, 1
    leads = {"hue": {"chance_stamp": {"does": "adds"}}}
    loaded = picture_brush(
        picture, size=30, flow=0.7, opacity=0.5, spacing=0.1, colour_from="tip", leads=leads, builds=builds
    )
    line = np.array([[10.0 * n, 30 + 3 * n, 40, 1, 0, 0, 0] for n in range(40)])
    canvas = Canvas(CanvasSpec(200, 80))
    paint_stroke(canvas, Stroke(loaded, line))
    whole = canvas.layer.whole()
    most = 0.5 if builds == "adds up" else 0.35
    assert whole[..., 3].max() == pytest.approx(most * 65535, abs=2)
    assert (whole[..., :3] <= whole[..., 3:]).all()
