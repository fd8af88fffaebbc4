"""Pictures in and out: what is believed, what is refused, and what a written file holds."""

from __future__ import annotations

import struct
import zlib
from io import BytesIO

import numpy as np
import pytest
from PIL import Image

from orvix.errors import UnreadableFile, UnreadablePicture
from orvix.pictures import read_picture, write_png
from orvix.pictures.writing import png_bytes, straight_8bit

RGB = np.random.default_rng(2).integers(0, 256, (23, 31, 3)).astype(np.uint8)


def saved(kind: str, pixels: np.ndarray = RGB, **more) -> bytes:
    out = BytesIO()
    Image.fromarray(pixels).save(out, kind, **more)
    return out.getvalue()


def declared(width: int, height: int) -> bytes:
    """A PNG that says it is this large and holds next to nothing."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    head = chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0))
    return b"\x89PNG\r\n\x1a\n" + head + chunk(b"IDAT", zlib.compress(b"\0" * 100)) + chunk(b"IEND", b"")


BAD = {
    "empty": (b"", "is empty"),
    "text": (b"not a picture at all", "not a picture Orvix can read"),
    "gif": (saved("GIF"), "not a picture Orvix can read"),
    "signature only": (b"\x89PNG\r\n\x1a\n", "damaged or incomplete"),
    "truncated png": (saved("PNG")[:-700], "damaged or incomplete"),
    "truncated jpeg": (saved("JPEG")[:400], "damaged or incomplete"),
    "flipped": (saved("PNG")[:60] + b"\xff\xff\xff" + saved("PNG")[63:], "damaged or incomplete"),
    "wide": (declared(60_000, 10), "too large at 60000 × 10 px"),
    "huge": (declared(16_000, 16_000), "too large at 16000 × 16000 px"),
}


@pytest.mark.parametrize("name", BAD)
def test_bad_files_are_refused_with_their_name_and_the_rule(name):
    data, rule = BAD[name]
    with pytest.raises(UnreadablePicture, match=f"kelp.png .*{rule}"):
        read_picture(data, "kelp.png")


def test_a_png_comes_in_exactly_and_a_jpeg_nearly():
    assert np.array_equal(straight_8bit(read_picture(saved("PNG"))), RGB)
    smooth = np.linspace(0, 255, 64 * 64 * 3).reshape(64, 64, 3).astype(np.uint8)
    assert np.abs(straight_8bit(read_picture(saved("JPEG", smooth, quality=95))).astype(int) - smooth).mean() < 4


def test_alpha_is_premultiplied_and_greys_of_16_bits_keep_their_depth():
    rgba = np.full((4, 4, 4), 128, np.uint8)
    pixels = read_picture(saved("PNG", rgba))
    assert pixels[0, 0].tolist() == [16513, 16513, 16513, 32896]
    assert np.array_equal(straight_8bit(pixels), rgba)
    deep = (np.arange(64).reshape(8, 8) * 1000).astype(np.uint16)
    assert np.array_equal(read_picture(saved("PNG", deep))[..., 0], deep)


def test_what_is_written_holds_srgb_and_phys_and_the_same_pixels(tmp_path):
    data = png_bytes(RGB, 300)
    assert data.index(b"sRGB") < data.index(b"IDAT")
    x, y, unit = struct.unpack(">IIB", data[data.index(b"pHYs") + 4 :][:9])
    assert (x, y, unit) == (11811, 11811, 1)
    assert np.array_equal(np.asarray(Image.open(BytesIO(data))), RGB)
    write_png(tmp_path / "a.png", RGB)
    assert b"pHYs" not in (tmp_path / "a.png").read_bytes()


def test_nothing_is_left_where_a_file_cannot_be_written(tmp_path):
    with pytest.raises(UnreadableFile, match="cannot be written"):
        write_png(tmp_path / "no" / "a.png", RGB)
    (tmp_path / "folder.png").mkdir()
    with pytest.raises(UnreadableFile):
        write_png(tmp_path / "folder.png", RGB)
    assert [path.name for path in tmp_path.iterdir()] == ["folder.png"]


def test_webp_and_tiff_come_in_and_a_torn_one_is_refused():
    assert np.array_equal(straight_8bit(read_picture(saved("WEBP", lossless=True))), RGB)
    assert np.array_equal(straight_8bit(read_picture(saved("TIFF"))), RGB)
    for data in (saved("TIFF")[:200], saved("WEBP", lossless=True)[:60], b"RIFF1234WEBP"):
        with pytest.raises(UnreadablePicture, match="kelp"):
            read_picture(data, "kelp")


@pytest.mark.parametrize("kind", [".png", ".tiff"])
@pytest.mark.parametrize("channels", [3, 4])
def test_sixteen_bits_keep_their_depth(kind, channels):
    import cv2

    deep = np.random.default_rng(3).integers(0, 65536, (9, 7, channels)).astype(np.uint16)
    data = cv2.imencode(kind, deep)[1].tobytes()
    pixels = read_picture(data)
    if channels == 3:
        assert np.array_equal(pixels[..., :3], deep[..., ::-1])
    else:
        assert np.array_equal(pixels[..., 3], deep[..., 3])
        want = deep[..., 2::-1].astype(np.uint64) * deep[..., 3:].astype(np.uint64) / 65535
        assert np.abs(pixels[..., :3] - want).max() <= 1
