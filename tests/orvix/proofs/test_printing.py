"""Checks before an order, the file that is sent, and the proof sheet."""

from __future__ import annotations

import io
from dataclasses import replace

import numpy as np
import pytest
from PIL import Image
from pypdf import PdfReader

from orvix.devices.print_desk import GOODS, Parcel, refusals
from orvix.errors import BadValue
from orvix.proofs.lines import smallest_line_px
from orvix.proofs.printing import Facts, checks, print_file, proof_sheet
from orvix.tiles.repeats import Repeat, cloth

GREY = np.full((64, 64, 4), 255, np.uint8)
GOOD = Facts((1024, 1024), 300.0, ("seamless", 0.9), True, GREY, None)


def found(goods: str, facts: Facts):
    return {one.name: one for one in checks(GOODS.get(goods), facts)}


def test_the_smallest_line_is_measured_in_px_of_the_picture():
    page = np.full((200, 200, 3), 240, np.uint8)
    assert smallest_line_px(page) is None
    page[20:180, 20:120] = 20
    assert smallest_line_px(page) is None, "a large patch is no line"
    for width in (1, 3, 6):
        lined = page.copy()
        for x in range(130, 190, 16):
            lined[10:190, x : x + width] = 20
        assert smallest_line_px(lined) == width
        assert smallest_line_px(255 - lined) == width, "light lines count as dark ones do"
    tone = np.random.default_rng(1).integers(120, 135, (80, 80, 3)).astype(np.uint8)
    assert smallest_line_px(tone) is None, "faint grain is no line"


def test_a_good_tile_passes_for_all_goods_that_are_covered():
    for goods in GOODS:
        if goods.repeats:
            assert all(one.ok for one in checks(goods, replace(GOOD, ppi=goods.least_ppi))), goods.name


def test_each_check_refuses_and_says_what_mends_it():
    half = GREY.copy()
    half[:32, :, 3] = 0
    strong = GREY.copy()
    strong[..., :3] = [255, 0, 255]
    cases = [
        ("tote", {"ppi": 100.0}, "resolution", "ppi", 200),
        ("tote", {"ppi": 100.0, "enlargeable": True}, "resolution", "enlarge", "32/16"),
        ("tote", {"seam": ("visible", 2.4)}, "seam", "open", None),
        ("tote", {"seam": ("visible", 2.4), "enlargeable": True, "joined": False}, "seam", "join", None),
        ("tote", {"fits": False, "sizes": ((512, 512),)}, "seam", "canvas", None),
        ("tote", {"sample": half}, "alpha", "ground", None),
        ("tote", {"sample": strong}, "colour", "accept", None),
        ("tote", {"line_px": 2.0}, "lines", "accept", None),
        ("cloth", {"ppi": 600.0}, "bytes", "ppi", 120),
        ("print", {"ppi": 300.0}, "size", "ppi", 85.0),
    ]
    for goods, change, name, mend, value in cases:
        told = found(goods, replace(GOOD, **change))
        assert not told[name].ok, (goods, change)
        assert told[name].reason
        assert (told[name].mend, told[name].value) == (mend, value)
    assert found("tote", replace(GOOD, sample=half, ground="#ffffff"))["alpha"].ok
    assert found("sticker", replace(GOOD, sample=half))["alpha"].ok
    assert found("print", replace(GOOD, seam=("visible", 3.0)))["seam"].ok, "shown once"


@pytest.mark.slow
@pytest.mark.parametrize("kind", ["straight", "brick", "half-drop"])
def test_the_file_is_the_tiles_own_px_with_its_bleed_and_the_desk_takes_it(kind):
    goods = GOODS.get("tote")
    tile = np.full((90, 120, 4), 255, np.uint8)
    tile[..., :3] = np.random.default_rng(4).integers(0, 256, (90, 120, 3))
    data = print_file(goods, tile, Repeat(kind), 200, None)
    with Image.open(io.BytesIO(data)) as image:
        px, dpi = np.asarray(image), image.info["dpi"][0]
    width, height = goods.size_px(200)
    assert px.shape == (height, width, 3)
    assert round(dpi) == 200
    bleed = round(goods.bleed_mm / 25.4 * 200)
    assert np.array_equal(px[bleed : bleed + 90, bleed : bleed + 120], tile[..., :3]), (
        "a whole tile at the trim's corner"
    )
    assert np.array_equal(px, cloth(tile, Repeat(kind), -bleed, -bleed, height, width)[..., :3])
    assert refusals(Parcel("t", "tote", 1, width, height, 200, len(data), False)) == ()


def test_what_is_clear_lies_on_the_ground_that_is_told_or_stays_clear_where_it_may():
    tile = np.zeros((700, 1000, 4), np.uint8)
    tile[100:, :, :] = [200, 100, 50, 128]
    with Image.open(io.BytesIO(print_file(GOODS.get("tote"), tile, Repeat(), 200, "#102030"))) as image:
        assert image.mode == "RGB"
        assert image.getpixel((24, 24)) == (0x10, 0x20, 0x30)
        assert image.getpixel((24, 24 + 200)) == ((200 * 128 + 16 * 127 + 127) // 255, 66, 49)
    large = np.tile(tile, (2, 2, 1))
    with Image.open(io.BytesIO(print_file(GOODS.get("sticker"), large, Repeat(), 300, None))) as image:
        assert image.mode == "RGBA"
    with pytest.raises(BadValue, match="at least"):
        print_file(GOODS.get("print"), tile, Repeat(), 200, None)
    with pytest.raises(BadValue, match="16384"):
        print_file(GOODS.get("cloth"), tile, Repeat(), 600, None)


def test_the_proof_sheet_is_a_page_that_others_read():
    goods = GOODS.get("tin")
    tile = np.full((300, 300, 4), 200, np.uint8)
    data = print_file(goods, tile, Repeat(), 300, "#ffffff")
    pdf, png = proof_sheet("Tin: Harbour endpaper", ["Order 7, 60 copies", "Size: 2.20 × 3.10 repeats"], data, goods)
    page = PdfReader(io.BytesIO(pdf)).pages[0]
    text = page.extract_text()
    assert "Tin: Harbour endpaper" in text
    assert "2.20 × 3.10 repeats" in text
    assert "1 : 1.86" in text
    assert len(page.images) == 1
    assert [round(float(side) / 72 * 25.4) for side in page.mediabox[2:]] == [210, 297]
    with Image.open(io.BytesIO(png)) as image:
        assert image.size[0] == 1600
    assert (
        proof_sheet("Tin: Harbour endpaper", ["Order 7, 60 copies", "Size: 2.20 × 3.10 repeats"], data, goods)[0] == pdf
    )
