"""Large pictures, written a band at a time, as other readers see them: the same px as written whole."""

from __future__ import annotations

import io

import cv2
import numpy as np
import pytest
import tifffile
from PIL import Image

from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.formats.pictures_out import OUT_FORMATS, Credit, Outgoing, straight_16bit
from orvix.formats.streamed import Streamed, stream_png, stream_tiff
from orvix.pictures import read_picture
from orvix.pictures.reading import read_ppi
from orvix.progress import Stopped, Watch

CREDIT = Credit("A. Painter", "All rights reserved")


def picture(clear: bool, size=(700, 530)) -> tuple[np.ndarray, Streamed]:
    pixels = np.random.default_rng(4).integers(0, 65536, (size[1], size[0], 4)).astype(np.uint16)
    pixels[..., 3] = pixels[..., 3] if clear else 65535
    pixels[..., :3] = np.minimum(pixels[..., :3], pixels[..., 3:])
    pixels[100:400, 200:500] = 0 if clear else 65535
    return pixels, Streamed(*size, 254.0, lambda top, bottom: pixels[top:bottom], clear, CREDIT)


@pytest.mark.parametrize("clear", [False, True])
def test_a_deep_png_comes_back_as_it_is_and_as_written_whole(clear):
    pixels, told = picture(clear)
    out = io.BytesIO()
    stream_png(out, told, deep=True)
    assert np.array_equal(read_picture(out.getvalue()), pixels)
    other = cv2.imdecode(np.frombuffer(out.getvalue(), np.uint8), cv2.IMREAD_UNCHANGED)
    order = [2, 1, 0, 3] if clear else [2, 1, 0]
    assert np.array_equal(other[..., order], straight_16bit(pixels)[..., : len(order)])
    whole = OUT_FORMATS["png16"].write(Outgoing(pixels, 254.0, credit=CREDIT))
    assert np.array_equal(read_picture(whole), read_picture(out.getvalue()))
    assert read_ppi(out.getvalue()) == pytest.approx(254, abs=0.1)


@pytest.mark.parametrize("clear", [False, True])
def test_a_png_of_8_bits_and_its_credit(clear):
    pixels, told = picture(clear)
    out = io.BytesIO()
    stream_png(out, told, deep=False)
    whole = OUT_FORMATS["png"].write(Outgoing(pixels, 254.0, credit=CREDIT))
    with Image.open(io.BytesIO(out.getvalue())) as mine, Image.open(io.BytesIO(whole)) as other:
        assert np.array_equal(np.asarray(mine), np.asarray(other))
        assert (mine.text["Author"], mine.text["Copyright"]) == (CREDIT.maker, CREDIT.licence)
        assert mine.info["dpi"] == pytest.approx((254, 254), abs=0.1)


@pytest.mark.parametrize("clear", [False, True])
def test_a_tiff_comes_back_as_it_is(clear, tmp_path):
    pixels, told = picture(clear)
    with (tmp_path / "out.tif").open("w+b") as file:
        stream_tiff(file, told)
    straight = straight_16bit(pixels)
    with tifffile.TiffFile(tmp_path / "out.tif") as read:
        page = read.pages[0]
        assert np.array_equal(page.asarray(), straight if clear else straight[..., :3])
        assert page.tags["XResolution"].value[0] / page.tags["XResolution"].value[1] == 254
        assert page.tags["Artist"].value == CREDIT.maker
    assert np.array_equal(read_picture((tmp_path / "out.tif").read_bytes()), pixels)


def test_what_is_seen_is_written_as_it_is_seen_and_of_a_canvas_any_part_is_that_part_of_the_whole():
    canvas = Canvas(CanvasSpec(520, 300, ground="#c2553b"))
    block = np.zeros((256, 256, 4), np.uint16)
    block[20:200, 30:90] = (9000, 4000, 2000, 30000)
    for key in ((0, 0), (1, 1), (0, 2)):
        canvas.layer.put(key, block)
    whole = canvas.pixels()
    for box in ((0, 0, 520, 256), (0, 256, 520, 300), (100, 40, 420, 270)):
        assert np.array_equal(canvas.pixels(box), whole[box[1] : box[3], box[0] : box[2]])
    told = Streamed(520, 300, 300.0, lambda top, bottom: canvas.view((0, top, 520, bottom))[..., :3], False)
    out = io.BytesIO()
    stream_png(out, told, deep=False)
    with Image.open(io.BytesIO(out.getvalue())) as image:
        assert np.array_equal(np.asarray(image), canvas.view(canvas.spec.box)[..., :3])


def test_writing_is_told_and_stopped():
    told = []
    _, out = picture(False)
    stream_png(io.BytesIO(), out, deep=True, watch=Watch(lambda share, words: told.append(share)))
    assert told == pytest.approx([0, 256 / 530, 512 / 530])
    with pytest.raises(Stopped):
        stream_tiff(io.BytesIO(), out, Watch(asked_to_stop=lambda: True))
