"""Embedded colour: every file comes in as its own description says it looks, against formulas written out here."""

from __future__ import annotations

import struct
import zlib
from io import BytesIO

import numpy as np
import pytest
import tifffile
from PIL import Image

from orvix.errors import UnreadablePicture
from orvix.pictures.profiles import described_profile, to_srgb
from orvix.pictures.reading import read_picture, read_with_notes

WHITE = (0.3127, 0.3290)
SRGB = ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06))
WIDE = ((0.70, 0.29), (0.19, 0.76), (0.14, 0.05))
P3 = ((0.680, 0.320), (0.265, 0.690), (0.150, 0.060))
RGB = np.random.default_rng(5).integers(0, 256, (33, 41, 3)).astype(np.uint8)
DEEP = np.random.default_rng(6).integers(0, 65536, (33, 41, 3)).astype(np.uint16)
KINDS = {"wide": (WIDE, 1.8), "p3": (P3, None), "linear": (SRGB, 1.0)}


def to_xyz(primaries) -> np.ndarray:
    """The matrix from linear RGB to XYZ, from the chromaticities (SMPTE RP 177-1993)."""
    columns = np.array([(x / y, 1, (1 - x - y) / y) for x, y in primaries]).T
    x, y = WHITE
    return columns * np.linalg.solve(columns, np.array([x / y, 1, (1 - x - y) / y]))


def wanted(encoded: np.ndarray, primaries, gamma) -> np.ndarray:
    """Colours in 0 to 1 as sRGB, not held to 0 to 1: the same white, so no adaptation."""
    if gamma is None:
        linear = np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)
    else:
        linear = encoded**gamma
    found = linear @ (np.linalg.inv(to_xyz(SRGB)) @ to_xyz(primaries)).T
    return np.where(found <= 0.0031308, found * 12.92, 1.055 * np.maximum(found, 1e-9) ** (1 / 2.4) - 0.055)


def chunk(kind: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))


def png(pixels: np.ndarray, *chunks: bytes) -> bytes:
    """A PNG by hand, 8 or 16 bits, grey, RGB or with alpha, with more chunks before its pixels."""
    rows, columns = pixels.shape[:2]
    kind = {1: 0, 2: 4, 3: 2, 4: 6}[pixels.shape[2]]
    deep = pixels.dtype == np.uint16
    lines = b"".join(b"\0" + line.astype(">u2" if deep else "u1").tobytes() for line in pixels)
    head = chunk(b"IHDR", struct.pack(">IIBBBBB", columns, rows, 16 if deep else 8, kind, 0, 0, 0))
    body = b"".join(chunks) + chunk(b"IDAT", zlib.compress(lines))
    return b"\x89PNG\r\n\x1a\n" + head + body + chunk(b"IEND", b"")


def iccp(profile: bytes) -> bytes:
    return chunk(b"iCCP", b"p\0\0" + zlib.compress(profile))


def saved(kind: str, pixels: np.ndarray, profile: bytes, **more) -> bytes:
    out = BytesIO()
    Image.fromarray(pixels).save(out, kind, icc_profile=profile, **more)
    return out.getvalue()


def tiff(pixels: np.ndarray, **more) -> bytes:
    out = BytesIO()
    tifffile.imwrite(out, pixels, **more)
    return out.getvalue()


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("file", ["png", "webp", "tiff", "png16", "tiff16"])
def test_a_profile_is_followed_to_half_a_level(kind, file):
    primaries, gamma = KINDS[kind]
    profile = described_profile(WHITE, primaries, gamma)
    data = {
        "png": lambda: saved("PNG", RGB, profile), "webp": lambda: saved("WEBP", RGB, profile, lossless=True),
        "tiff": lambda: saved("TIFF", RGB, profile), "png16": lambda: png(DEEP, iccp(profile)),
        "tiff16": lambda: tiff(DEEP, photometric="rgb", iccprofile=profile),
    }[file]()  # fmt: skip
    read = read_with_notes(data, "kelp")
    want = wanted(DEEP / 65535 if "16" in file else RGB / 255, primaries, gamma)
    assert np.abs(read.pixels[..., :3] / 65535 - np.clip(want, 0, 1)).max() < 0.5 / 255
    assert "converted to sRGB" in read.notes[0]
    beyond = ((want < -0.01) | (want > 1.01)).any(axis=2).mean()
    assert (read.misfit is None) == (beyond == 0)
    if read.misfit:
        assert abs(read.misfit.share - beyond) < 0.02


def test_a_jpeg_follows_its_profile_as_far_as_a_jpeg_can():
    smooth = np.linspace(40, 200, 64 * 64 * 3).reshape(64, 64, 3).astype(np.uint8)
    data = saved("JPEG", smooth, described_profile(WHITE, SRGB, 1.0), quality=98)
    want = wanted(smooth / 255, SRGB, 1.0)
    assert np.abs(read_picture(data)[..., :3] / 65535 - want).mean() < 2 / 255


def test_where_colours_do_not_fit_is_said():
    plain = np.full((64, 96, 3), 120, np.uint8)
    plain[50:60, 70:90] = (0, 255, 0)
    read = read_with_notes(saved("PNG", plain, described_profile(WHITE, WIDE, 2.2)), "kelp")
    assert abs(read.misfit.share - 200 / plain[..., 0].size) < 1e-6
    assert 70 / 96 < read.misfit.at[0] < 90 / 96
    assert 50 / 64 < read.misfit.at[1] < 60 / 64
    assert "sRGB cannot hold" in read.notes[1]
    assert "from the left" in read.notes[1]


@pytest.mark.parametrize("profile", [described_profile(WHITE, SRGB, None), b"no profile at all" * 20])
def test_srgb_by_another_name_changes_nothing_and_a_broken_profile_is_said(profile):
    read = read_with_notes(saved("TIFF", RGB, profile), "kelp")
    assert np.array_equal(read.pixels[..., :3], RGB.astype(np.uint16) * 257)
    assert len(read.notes) == (profile[:2] == b"no")
    assert all("taken as sRGB" in note for note in read.notes)


@pytest.mark.parametrize("pixels", [RGB, DEEP])
def test_gamma_and_primaries_of_a_png_are_followed(pixels):
    numbers = [*WHITE, *(part for pair in WIDE for part in pair)]
    chrm = chunk(b"cHRM", struct.pack(">8I", *(round(100_000 * one) for one in numbers)))
    gama = chunk(b"gAMA", struct.pack(">I", 50_000))
    whole = np.iinfo(pixels.dtype).max
    read = read_with_notes(png(pixels, gama, chrm), "kelp")
    want = np.clip(wanted(pixels / whole, WIDE, 2.0), 0, 1)
    assert np.abs(read.pixels[..., :3] / 65535 - want).max() < 0.5 / 255
    assert read.notes[0] == "its colours are converted to sRGB"
    # sRGB goes before them, and 1/2.2 alone is how programs write sRGB.
    for more in ((chunk(b"sRGB", b"\0"), gama, chrm), (chunk(b"gAMA", struct.pack(">I", 45_455)),)):
        assert not read_with_notes(png(pixels, *more)).notes
    mad = read_with_notes(png(pixels, chunk(b"gAMA", struct.pack(">I", 3))))
    assert "taken as sRGB" in mad.notes[0]


def test_colour_codes_of_a_png_go_before_all_else():
    read = read_picture(png(DEEP, chunk(b"cICP", bytes([12, 13, 0, 1])), chunk(b"sRGB", b"\0")))
    assert np.abs(read[..., :3] / 65535 - np.clip(wanted(DEEP / 65535, P3, None), 0, 1)).max() < 0.5 / 255
    told = read_with_notes(png(DEEP, chunk(b"cICP", bytes([9, 16, 0, 1]))))
    assert "codes that are not read (9, 16)" in told.notes[0]


def test_alpha_is_no_part_of_the_conversion():
    rgba = np.dstack([RGB, np.random.default_rng(7).integers(0, 256, RGB.shape[:2]).astype(np.uint8)])
    profile = described_profile(WHITE, P3, None)
    pixels = read_picture(saved("PNG", rgba, profile))
    want = np.clip(wanted(RGB / 255, P3, None), 0, 1) * rgba[..., 3:] / 255
    assert np.abs(pixels[..., :3] / 65535 - want).max() < 0.5 / 255
    assert np.array_equal(pixels[..., 3], rgba[..., 3].astype(np.uint16) * 257)


def test_taken_as_it_stands_nothing_is_converted():
    data = saved("PNG", RGB, described_profile(WHITE, WIDE, 1.8))
    assert np.array_equal(read_picture(data, convert=False)[..., :3], RGB.astype(np.uint16) * 257)


def test_a_grey_picture_follows_a_grey_profile_and_one_for_rgb():
    import imagecodecs

    grey = np.arange(256, dtype=np.uint8).reshape(16, 16)
    linear = (grey / 255) ** 1.8
    want = np.where(linear <= 0.0031308, linear * 12.92, 1.055 * np.maximum(linear, 1e-9) ** (1 / 2.4) - 0.055)
    for profile in (bytes(imagecodecs.cms_profile("gray", gamma=1.8)), described_profile(WHITE, SRGB, 1.8)):
        pixels = read_picture(saved("PNG", grey, profile))
        assert np.abs(pixels[..., :3] / 65535 - want[..., None]).max() < 1 / 255


def inks_profile() -> bytes:
    """A printer's profile (ICC.1:2001-04, 6.5.9, lut16Type) whose L* falls by each ink: two steps a channel."""
    lab = np.zeros((2, 2, 2, 2, 3))
    for c, m, y, k in np.ndindex(2, 2, 2, 2):
        lab[c, m, y, k] = (100 - 20 * c - 15 * m - 5 * y - 60 * k, -20 * c + 25 * m, -25 * c + 30 * y)
    encoded = np.stack([lab[..., 0] / 100 * 65280, (lab[..., 1] + 128) * 256, (lab[..., 2] + 128) * 256], axis=-1)
    ends = struct.pack(">2H", 0, 65535)
    table = b"mft2" + bytes(4) + bytes([4, 3, 2, 0]) + struct.pack(">9i", 65536, 0, 0, 0, 65536, 0, 0, 0, 65536)
    table += struct.pack(">2H", 2, 2) + ends * 4 + np.rint(encoded).astype(">u2").tobytes() + ends * 3
    tags = {b"A2B0": table, b"wtpt": b"XYZ " + bytes(4) + struct.pack(">3i", 63190, 65536, 54061),
            b"desc": b"desc" + bytes(4) + struct.pack(">I", 10) + b"Wool inks\0" + bytes(78)}  # fmt: skip
    body, index = b"", b""
    for name, data in tags.items():
        index += name + struct.pack(">2I", 128 + 4 + 12 * len(tags) + len(body), len(data))
        body += data + bytes(-len(data) % 4)
    size = 128 + 4 + len(index) + len(body)
    head = struct.pack(">I4xI", size, 0x02400000) + b"prtrCMYKLab " + bytes(12) + b"acsp" + bytes(28)
    head += struct.pack(">3i", 63190, 65536, 54061)
    return head.ljust(128, b"\0") + struct.pack(">I", len(tags)) + index + body


def test_inks_are_seen_through_their_profile_and_refused_without_one():
    inks = np.zeros((16, 16, 4), np.uint8)
    inks[:, 8:, 3] = 255
    inks[8:, :8, 0] = 255
    data = BytesIO()
    Image.fromarray(inks, "CMYK").save(data, "TIFF", icc_profile=inks_profile())
    read = read_with_notes(data.getvalue(), "kelp")
    assert read.notes[0] == "its colours are converted to sRGB from Wool inks"
    paper, black, cyan = (read.pixels[at][:3] / 257 for at in ((2, 2), (2, 12), (12, 2)))
    assert np.allclose(paper, 255, atol=1)
    assert np.allclose(black, 94.2, atol=1), "L* 40 is 94 of 255"
    assert cyan[2] > cyan[0] + 60, "cyan ink is bluer than red"
    bare = BytesIO()
    Image.fromarray(inks, "CMYK").save(bare, "JPEG")
    with pytest.raises(UnreadablePicture, match="kelp: a CMYK picture without a colour profile"):
        read_picture(bare.getvalue(), "kelp")
    assert np.abs(read_picture(bare.getvalue(), convert=False)[2, 2, :3].astype(int) - 65535).max() < 600


def test_a_profile_with_a_table_is_followed_too():
    """Through the table no channel can be added up alone: the slow way, and the same as LittleCMS says for a pixel."""
    profile = inks_profile()
    one = to_srgb(np.full((1, 1, 4), 20_000, np.uint16), profile)[0]
    many = to_srgb(np.full((300, 300, 4), 20_000, np.uint16), profile)[0]
    assert (many == one).all()
