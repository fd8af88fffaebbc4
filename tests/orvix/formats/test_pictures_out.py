"""Pictures out: others open each format and agree on pixels, resolution and who made it."""

from __future__ import annotations

import io
import re

import cv2
import numpy as np
import pytest
import resvg_py
import tifffile
from PIL import Image
from pypdf import PdfReader

from orvix.errors import BadValue
from orvix.formats.pictures_out import (
    OUT_FORMATS,
    Credit,
    Outgoing,
    at_height,
    straight_16bit,
    trimmed,
)
from orvix.pictures import read_picture
from orvix.pictures.packing import flat_rgba8
from orvix.pictures.reading import read_ppi
from orvix.pictures.writing import straight_8bit
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import Repeat, cloth

CREDIT = Credit("Brindle Skerry", "CC BY 4.0, märchenhaft")


def noise(opaque: bool = False):
    px = np.random.default_rng(1).integers(0, 65536, (30, 40, 4)).astype(np.uint16)
    if opaque:
        px[..., 3] = 65535
    px[..., :3] = np.minimum(px[..., :3], px[..., 3:])
    return px


def out(name: str, px, ppi: float = 254.0, **more) -> bytes:
    return OUT_FORMATS[name].write(Outgoing(px, ppi, "Cloud <1>", credit=CREDIT, **more))


@pytest.mark.parametrize("opaque", [False, True])
def test_sixteen_bit_files_come_back_exactly(opaque):
    px = noise(opaque)
    for name in ("png16", "tiff"):
        assert np.array_equal(read_picture(out(name, px)), px), name
    decoded = cv2.imdecode(np.frombuffer(out("png16", px), np.uint8), cv2.IMREAD_UNCHANGED)
    assert decoded.shape[2] == (3 if opaque else 4)
    assert np.array_equal(decoded[..., 2::-1], straight_16bit(px)[..., :3])
    assert np.array_equal(tifffile.imread(io.BytesIO(out("tiff", px)))[..., :3], straight_16bit(px)[..., :3])


def test_eight_bit_files_hold_the_documented_rounding():
    px = noise()
    for name in ("png", "webp"):
        with Image.open(io.BytesIO(out(name, px))) as image:
            assert np.array_equal(np.asarray(image), straight_8bit(px)), name
    with Image.open(io.BytesIO(out("jpeg", px, ground="#000000"))) as image:
        want = flat_rgba8(px, (0.0, 0.0, 0.0))[..., :3]
        assert image.mode == "RGB"
        assert np.abs(np.asarray(image).astype(int) - want).mean() < 6


def test_resolution_maker_and_licence_are_in_the_file():
    px = noise()
    for name in ("png", "png16", "tiff", "jpeg"):
        assert read_ppi(out(name, px)) == 254, name
    for name in ("png", "png16"):
        with Image.open(io.BytesIO(out(name, px))) as image:
            image.load()
            assert image.text["Author"] == CREDIT.maker
            assert image.text["Copyright"] == CREDIT.licence
            assert image.info["srgb"] == 0
    for name in ("jpeg", "webp"):
        with Image.open(io.BytesIO(out(name, px))) as image:
            exif = image.getexif()
            assert exif[0x013B] == CREDIT.maker
            assert exif[0x8298].encode("latin-1").decode() == CREDIT.licence
    with tifffile.TiffFile(io.BytesIO(out("tiff", px))) as file:
        assert file.pages[0].tags["Artist"].value == CREDIT.maker
    assert CREDIT.maker in out("svg", px).decode()
    assert "Cloud &lt;1&gt;" in out("css", px).decode()
    with pytest.raises(BadValue, match="maker"):
        Credit("two\nlines")


@pytest.mark.parametrize("kind", ["straight", "brick", "half-drop"])
def test_an_svg_pattern_draws_the_cloth(kind):
    px = noise(opaque=True)
    repeat = Repeat(kind)
    text = out("svg", px, repeat=repeat).decode()
    width, height = repeat.unrolled_size(40, 30)
    assert f'width="{3 * width / 254 * 25.4:.3f}mm"' in text
    flat = re.sub(r'width="[\d.]+mm" height="[\d.]+mm"', f'width="{3 * width}" height="{3 * height}"', text)
    drawn = np.asarray(Image.open(io.BytesIO(bytes(resvg_py.svg_to_bytes(svg_string=flat)))).convert("RGB"))
    want = cloth(straight_8bit(px), repeat, 0, 0, 3 * height, 3 * width)
    assert drawn.shape == want.shape
    assert np.abs(drawn.astype(int) - want).max() <= 2


def lines_where_copies_meet(picture: np.ndarray, step: float) -> float:
    """The strongest column step within 2 px of where copies meet, over the strongest elsewhere."""
    steps = np.abs(np.diff(picture[..., :3].astype(float), axis=1)).sum(axis=2).mean(axis=0)
    near = np.zeros(len(steps), bool)
    for n in (1, 2):
        near[max(round(n * step) - 2, 0) : round(n * step) + 2] = True
    return float(steps[near].max() / steps[4:-4][~near[4:-4]].max())


@pytest.mark.slow
@pytest.mark.parametrize("clear", [False, True])
@pytest.mark.parametrize("kind", ["straight", "brick", "half-drop"])
@pytest.mark.parametrize("scale", [0.3, 0.37, 0.77, 1.3, 2.41, 4.0])
def test_an_svg_pattern_shows_no_hairlines_at_any_scale(kind, scale, clear):
    told = {"size": [78, 60], "repeat": kind, "seed": 3, "source": {"name": "noise", "values": {"cells": 4}}}
    px = Recipe.parse(told).render().copy()
    if clear:
        px //= 2
    repeat = Repeat(kind)
    width, height = (3 * side * scale for side in repeat.unrolled_size(78, 60))
    text = out("svg", px, repeat=repeat).decode()
    sized = re.sub(r'width="[\d.]+mm" height="[\d.]+mm"', f'width="{width}" height="{height}"', text)
    drawn = np.asarray(Image.open(io.BytesIO(bytes(resvg_py.svg_to_bytes(svg_string=sized)))).convert("RGBA"))
    inside = drawn[2:-2, 2:-2, 3]
    assert inside.min() >= inside.max() - 2, "no px is clearer than the others"
    assert lines_where_copies_meet(drawn, 78 * scale) < 1.2
    assert lines_where_copies_meet(drawn.transpose(1, 0, 2), 60 * scale) < 1.2


def test_a_pdf_with_alpha_says_that_it_needs_1_4_and_a_jpeg_holds_its_resolution_exactly():
    assert out("pdf", noise(opaque=False)).startswith(b"%PDF-1.4")
    for ppi in (72.5, 300.0, 254.37):
        data = out("jpeg", noise(opaque=True), ppi=ppi)
        image = Image.open(io.BytesIO(data))
        assert float(image.getexif()[0x011A]) == pytest.approx(ppi, abs=1e-4)
        assert float(image.info["dpi"][0]) == pytest.approx(ppi, abs=1e-4)
        assert read_ppi(data) == pytest.approx(ppi, abs=1e-3)


def test_a_style_sheet_repeats_the_unrolled_tile_at_its_true_size():
    text = out("css", noise(opaque=True), repeat=Repeat("brick")).decode()
    assert "background-size: 4.000mm 6.000mm" in text
    assert "data:image/png;base64," in text


def test_a_pdf_is_a_page_of_true_size_that_others_read():
    page = PdfReader(io.BytesIO(out("pdf", noise(opaque=True)))).pages[0]
    assert [round(float(side) / 72 * 25.4, 2) for side in page.mediabox[2:]] == [4.0, 3.0]
    (image,) = page.images
    assert np.array_equal(np.asarray(image.image.convert("RGB")), straight_8bit(noise(opaque=True)))
    assert PdfReader(io.BytesIO(out("pdf", noise()))).metadata.author == CREDIT.maker
    with pytest.raises(BadValue, match="200"):
        OUT_FORMATS["pdf"].write(Outgoing(np.zeros((4, 3000, 4), np.uint16), 10.0))


def test_heights_and_normals_of_a_grey_tile_go_on_in_the_next_repeat():
    n = np.arange(32)
    wave = (32768 + 30000 * np.sin(2 * np.pi * n / 32)).astype(np.uint16)
    px = np.full((16, 32, 4), 65535, np.uint16)
    px[..., :3] = wave[None, :, None]
    high = cv2.imdecode(np.frombuffer(out("height", px), np.uint8), cv2.IMREAD_UNCHANGED)
    assert high.dtype == np.uint16
    assert np.abs(high.astype(int) - wave).max() <= 1
    with Image.open(io.BytesIO(out("normal", px))) as image:
        normal = np.asarray(image).astype(float) / 255 * 2 - 1
    slope = 8 * 30000 / 65535 * 2 * np.pi / 32 * np.cos(2 * np.pi * n / 32)
    assert np.abs(normal[8, :, 0] - -slope / np.hypot(slope, 1)).max() < 0.02
    assert np.abs(normal[..., 1]).max() < 0.01
    half = Repeat("half-drop")
    edge = np.asarray(Image.open(io.BytesIO(out("normal", noise(opaque=True), repeat=half))))
    whole = Outgoing(cloth(noise(opaque=True), half, 0, 0, 30, 80), 254.0)
    assert np.array_equal(
        edge[:, 1:-1], np.asarray(Image.open(io.BytesIO(OUT_FORMATS["normal"].write(whole))))[:, 1:39]
    )


def test_trimming_and_another_height_keep_what_is_seen():
    px = np.zeros((50, 60, 4), np.uint16)
    px[10:20, 5:35] = [20000, 10000, 0, 40000]
    assert trimmed(px).shape == (10, 30, 4)
    assert np.array_equal(trimmed(px), px[10:20, 5:35])
    assert trimmed(px * 0).shape == px.shape
    small = at_height(px, 25)
    assert small.shape == (25, 30, 4)
    assert np.array_equal(small[7, 10], [20000, 10000, 0, 40000])
    large = at_height(px, 100)
    assert (large[..., :3] <= large[..., 3:]).all()
    assert at_height(px, 50) is px
    with pytest.raises(BadValue, match="16384"):
        at_height(px, 16000)


def test_heights_are_one_grey_channel_and_neither_they_nor_normals_are_colours():
    px = noise(opaque=True)
    for name, mode, shape in (("height", "I;16", (30, 40)), ("normal", "RGB", (30, 40, 3))):
        data = out(name, px)
        assert b"sRGB" not in data[:200]
        assert b"pHYs" in data[:200]
        with Image.open(io.BytesIO(data)) as image:
            assert image.mode == mode
            assert np.asarray(image).shape == shape


def test_the_quality_of_a_jpeg_is_asked_for_and_each_format_has_names_of_its_own():
    px = noise(opaque=True)
    small, large = (OUT_FORMATS["jpeg"].write(Outgoing(px, 300.0, quality=quality)) for quality in (10, 100))
    assert len(small) < len(large) / 2
    names = [(one.suffix, one.ending) for one in OUT_FORMATS.values()]
    assert len(set(names)) == len(names)
