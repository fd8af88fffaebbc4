"""Files of every depth and arrangement: what TIFF and PNG can hold comes in as it is meant, compared with the array
that was written."""

from __future__ import annotations

import struct
from contextlib import suppress
from io import BytesIO

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image, ImageOps

from orvix.errors import UnreadablePicture
from orvix.pictures.reading import read_picture, read_with_notes
from tests.orvix.pictures.test_colours_in import chunk, png, tiff

RNG = np.random.default_rng(8)
DEEP = RNG.integers(0, 65536, (21, 34, 4)).astype(np.uint16)
FLAT = {"photometric": "rgb", "extrasamples": ["unassalpha"]}


def over(straight: np.ndarray, alpha: np.ndarray) -> np.ndarray:
    return np.rint(straight.astype(float) * alpha[..., None] / 65535)


@pytest.mark.parametrize("deep", [True, False])
@pytest.mark.parametrize("planar", ["contig", "separate"])
@pytest.mark.parametrize("how", ["assocalpha", "unassalpha"])
def test_alpha_of_a_tiff_comes_in_as_it_was_meant(deep, planar, how):
    pixels = DEEP if deep else (DEEP >> 8).astype(np.uint8)
    if how == "assocalpha":
        pixels = np.dstack([np.minimum(pixels[..., :3], pixels[..., 3:]), pixels[..., 3]])
    stored = pixels if planar == "contig" else np.moveaxis(pixels, -1, 0)
    read = read_picture(tiff(stored, photometric="rgb", planarconfig=planar, extrasamples=[how]))
    whole = pixels.astype(np.uint16) * (1 if deep else 257)
    want = whole[..., :3] if how == "assocalpha" else over(whole[..., :3], whole[..., 3])
    assert np.abs(read[..., :3] - want).max() <= 1
    assert np.array_equal(read[..., 3], whole[..., 3])


def test_an_associated_alpha_is_taken_off_before_colours_are_converted():
    from orvix.pictures.profiles import described_profile
    from tests.orvix.pictures.test_colours_in import SRGB, WHITE

    alpha = np.full((16, 16), 32768, np.uint16)
    grey = np.full((16, 16, 3), 16384, np.uint16)
    profile = described_profile(WHITE, SRGB, 1.0)
    read = read_picture(
        tiff(np.dstack([grey, alpha]), photometric="rgb", extrasamples=["assocalpha"], iccprofile=profile)
    )
    # Half of 0.5 linear, which sRGB writes as 0.735.
    assert abs(read[0, 0, 0] / 65535 - 0.735 / 2) < 0.002


@pytest.mark.parametrize("dtype", ["bool", "u1", "u2", "u4", "f2", "f4", "f8"])
@pytest.mark.parametrize("kind", ["miniswhite", "minisblack"])
def test_greys_of_a_tiff_of_every_depth(dtype, kind):
    light = np.round(RNG.random((16, 24)) * (1 if dtype == "bool" else 255)) / (1 if dtype == "bool" else 255)
    # Half floats hold 11 bits.
    sorts = {"bool": bool, "u1": np.uint8, "u2": np.uint16, "u4": np.uint32}
    most = {"bool": 1, "u1": 255, "u2": 65535, "u4": 2**32 - 1}.get(dtype, 1)
    values = 1 - light if kind == "miniswhite" else light
    stored = np.rint(values * most).astype(sorts[dtype]) if dtype in sorts else values.astype(dtype)
    read = read_with_notes(tiff(stored, photometric=kind))
    assert np.abs(read.pixels[..., 1] / 65535 - light).max() < 5e-4
    assert not read.notes
    assert (read.pixels[..., 3] == 65535).all()


def test_floats_beyond_white_are_clipped_and_that_is_said():
    bright = np.full((16, 16, 3), 0.5, np.float32)
    bright[:4] = 3
    read = read_with_notes(tiff(bright, photometric="rgb", compression="zlib", predictor=True))
    assert read.pixels[0, 0, 0] == 65535
    assert abs(int(read.pixels[9, 9, 0]) - 32768) <= 1
    assert read.notes == ("25 % of its floating point values lie outside 0 (black) to 1 (white) and are clipped",)


@pytest.mark.parametrize("dtype", [np.uint8, np.uint16])
def test_grey_with_alpha_of_a_tiff(dtype):
    pixels = (DEEP[..., :2] >> (8 if dtype == np.uint8 else 0)).astype(dtype)
    read = read_picture(tiff(pixels, photometric="minisblack", planarconfig="contig", extrasamples=["unassalpha"]))
    whole = pixels.astype(np.uint16) * (257 if dtype == np.uint8 else 1)
    assert np.abs(read[..., :3] - over(whole[..., :1], whole[..., 1])).max() <= 1
    assert np.array_equal(read[..., 3], whole[..., 1])


def test_what_is_not_colour_in_a_tiff_is_left_out_or_refused():
    stored = np.dstack([DEEP, DEEP[..., 0]])
    read = read_picture(tiff(stored, photometric="rgb", extrasamples=["unspecified", "unspecified"]))
    assert np.array_equal(read[..., :3], DEEP[..., :3])
    for values, more in ((DEEP[..., :3].astype(np.int16), {"photometric": "rgb"}),
                         (DEEP[..., :3], {"photometric": "cielab"})):  # fmt: skip
        with pytest.raises(UnreadablePicture, match=r"kelp: (has signed|TIFF in CIE)"):
            read_picture(tiff(values, **more), "kelp")


@pytest.mark.parametrize("turn", range(1, 9))
@pytest.mark.parametrize("file", ["png16", "tiff16", "png", "jpeg"])
def test_every_turn_of_exif_is_applied(turn, file):
    """Against Pillow, which turns pictures of 8 bits."""
    ramp = np.linspace(0, 255, 24 * 16 * 3).reshape(16, 24, 3).astype(np.uint8)
    exif = Image.Exif()
    exif[0x0112] = turn
    out = BytesIO()
    Image.fromarray(ramp).save(out, "JPEG" if file == "jpeg" else "PNG", exif=exif, quality=100, subsampling=0)
    eight = Image.open(BytesIO(out.getvalue()))
    want = np.asarray(ImageOps.exif_transpose(eight).convert("RGB"))
    deep = ramp.astype(np.uint16) * 257
    data = {
        "png16": lambda: png(deep, chunk(b"eXIf", exif.tobytes().removeprefix(b"Exif\0\0"))),
        "tiff16": lambda: tiff(deep, photometric="rgb", extratags=[(274, 3, 1, turn, True)]),
    }.get(file, out.getvalue)()
    assert np.abs(read_picture(data)[..., :3] / 257 - want).max() <= 0.5


def test_one_clear_colour_of_a_png_of_16_bits():
    grey, rgb = DEEP[..., :1], DEEP[..., :3]
    for pixels, at in ((grey, (3, 4)), (rgb, (5, 6))):
        clear = pixels[at]
        read = read_picture(png(pixels, chunk(b"tRNS", clear.astype(">u2").tobytes())))
        gone = (pixels == clear).all(axis=2)
        assert gone.any()
        assert np.array_equal(read[..., 3] == 0, gone)
        assert np.array_equal(read[~gone][:, :3], np.broadcast_to(pixels, rgb.shape)[~gone])


def test_grey_with_alpha_of_16_bits_in_a_png():
    read = read_picture(png(DEEP[..., :2]))
    assert np.abs(read[..., :3] - over(DEEP[..., :1], DEEP[..., 1])).max() <= 1


def test_what_other_programs_write_of_16_bits():
    assert np.array_equal(read_picture(cv2.imencode(".tiff", DEEP)[1].tobytes())[..., 3], DEEP[..., 3])


FILES = [
    tiff(DEEP, compression="zlib", **FLAT), tiff(DEEP[..., :3].astype(np.float32), photometric="rgb"),
    tiff(DEEP[..., 0], photometric="miniswhite", compression="lzw"), png(DEEP, chunk(b"gAMA", struct.pack(">I", 9000))),
]  # fmt: skip


@pytest.mark.filterwarnings("ignore::UserWarning")
@settings(max_examples=120, deadline=None)
@given(st.sampled_from(FILES), st.data())
def test_a_damaged_file_is_read_or_refused_and_nothing_else(data, drawn):
    torn = bytearray(data)
    for _ in range(drawn.draw(st.integers(1, 6))):
        at = drawn.draw(st.integers(4, min(len(torn) - 1, 400)))
        torn[at] = drawn.draw(st.integers(0, 255))
    with suppress(UnreadablePicture):
        pixels = read_picture(bytes(torn[: drawn.draw(st.integers(100, len(torn)))]), "kelp")
        assert pixels.dtype == np.uint16
        assert pixels.shape[2] == 4
