"""Tips of a picture: laid as the slow reference lays them, at any size, block by block, and read from a brush file."""

from __future__ import annotations

import base64
from fractions import Fraction

import numpy as np
import pytest
from scipy import ndimage

from orvix.brushes.definition import Brush
from orvix.brushes.tips import MOST_SIDE, likely_paints, tip_mask
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.strokes import LoadedBrush, LoadedGrain, Stroke, StrokeRun, paint_stroke
from orvix.errors import BadValue, UnknownName
from orvix.formats.brush_file import load_brush, no_files
from orvix.pictures.writing import png_bytes
from orvix.strokes.dabs import PictureDabs
from orvix.tiles.joining import Joining
from orvix.tiles.repeats import Repeat
from tests.orvix.strokes import reference


def picture_brush(mask, *, grain: bool = False, leads=None, paints="opaque", **values) -> LoadedBrush:
    tip = {"name": "picture", "source": {"file": "t.png"}, "values": {"paints": paints}}
    coat = {"tip": tip, "values": {"spacing": 0.6, "flow": 0.8, **values}, "leads": leads or {}}
    if grain:
        coat["grain"] = {"source": {"file": "g.png"}, "scale": "3/2"}
    plane = np.random.default_rng(3).random((30, 40), np.float32)
    return LoadedBrush(
        Brush.parse({"coats": [coat]}), LoadedGrain(plane, Repeat("straight")) if grain else None, PictureDabs(mask)
    )


def buffer_of(canvas: Canvas, loaded: LoadedBrush, samples, seed=5) -> np.ndarray:
    run = StrokeRun(canvas, Stroke(loaded, samples[:0], seed=seed))
    run.feed(samples, last=True)
    out = np.zeros((canvas.spec.height, canvas.spec.width), np.float32)
    for (row, column), plane in run.painter.planes.items():
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


@pytest.mark.parametrize("side", [48, 200, 700])
@pytest.mark.parametrize("size", [40, 57.3, 130])
def test_at_any_size_it_is_the_picture_as_the_slow_reference_has_it(side, size, wavy):
    loaded = picture_brush(sampled(side), size=size, leads={"size": {"response": [0.6, 1.0, 0.0]}})
    got = buffer_of(Canvas(CanvasSpec(360, 240)), loaded, wavy)
    want = reference.picture_coverage(loaded.brush, wavy, 5, 360, 240, blob)
    assert want.max() > 0.5
    # A level differs from the size by less than a fifth, and a px is averaged: at 24 px a mark loses that much.
    assert np.abs(got - want).max() < 0.04
    assert abs(float(got.sum()) / float(want.sum()) - 1) < 0.01


def test_a_stroke_of_pictures_is_the_same_in_any_batches_and_moves_by_whole_px(wavy):
    loaded = picture_brush(sampled(64), size=70, grain=False, size_jitter=0.5, scatter=1.0)
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


def test_where_a_picture_paints():
    pixels = np.zeros((4, 6, 4), np.uint16)
    pixels[:, :3] = (0, 0, 0, 65535)
    pixels[:, 3:5] = 65535
    opaque, dark, light = (tip_mask(pixels, paints)[0].tolist() for paints in ("opaque", "dark", "light"))
    assert opaque == [1, 1, 1, 1, 1, 0]
    assert dark == pytest.approx([1, 1, 1, 0, 0, 0], abs=1e-4)
    assert light == pytest.approx([0, 0, 0, 1, 1, 0], abs=1e-4)
    assert likely_paints(pixels) == "opaque"
    full = np.full((9, 9, 4), 65535, np.uint16)
    full[3:6, 3:6, :3] = 0
    assert likely_paints(full) == "dark"
    full[..., :3] = 65535 - full[..., :3]
    assert likely_paints(full) == "light"


def test_a_picture_larger_than_any_mark_is_taken_down():
    mask = tip_mask(np.full((16, MOST_SIDE * 2, 4), 65535, np.uint16), "opaque")
    assert mask.shape == (8, MOST_SIDE)
    assert mask.min() == 1


def test_a_brush_file_carries_the_picture_of_its_tip(wavy):
    straight = np.zeros((12, 20, 4), np.uint8)
    straight[2:10, 3:17] = (200, 30, 30, 255)
    png = base64.b64encode(png_bytes(straight)).decode()
    tip = {"name": "picture", "source": {"png": png}}
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
        ({"name": "picture", "source": {"file": "a"}, "values": {"paints": "grey"}}, BadValue, "opaque"),
        ({"name": "picture", "source": {"file": "a"}, "values": {"hardness": 1}}, UnknownName, "hardness"),
        ({"name": "round", "source": {"file": "a"}}, UnknownName, "source"),
        ({"name": "oval"}, UnknownName, "picture, round"),
        ("round", BadValue, "JSON object"),
    ],
)
def test_a_bad_tip_is_refused_with_the_rule(tip, error, words):
    with pytest.raises(error, match=words):
        Brush.parse({"coats": [{"tip": tip}]})


def test_a_picture_tip_without_its_picture_says_so(wavy):
    brush = Brush.parse({"coats": [{"tip": {"name": "picture", "source": {"file": "a.png"}}}]})
    with pytest.raises(BadValue, match="not at hand"):
        paint_stroke(Canvas(CanvasSpec(40, 40)), Stroke(LoadedBrush(brush), wavy))
