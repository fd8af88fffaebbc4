"""Pictures from outside, taken in: their colours are converted once and for all, and what was changed is said."""

from __future__ import annotations

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from orvix.pictures.profiles import described_profile
from orvix_web.canvases.models import Canvas
from orvix_web.shelf import archive
from orvix_web.tiles.models import Tile, Upload
from orvix_web.tiles.rendering import tile_pixels
from orvix_web.tiles.services import create_tile, take_upload
from tests.orvix.pictures.test_colours_in import SRGB, WHITE, saved
from tests.orvix_web.test_archive import changed

pytestmark = pytest.mark.django_db(transaction=True)

GREY = np.full((32, 48, 3), 100, np.uint8)
LINEAR = saved("PNG", GREY, described_profile(WHITE, SRGB, 1.0))
AS_SEEN = 168
"""Linear 100 of 255, as sRGB writes it."""


def file() -> dict[str, SimpleUploadedFile]:
    return {"picture": SimpleUploadedFile("kelp.png", LINEAR)}


def photo(upload: Upload) -> dict[str, str]:
    return {"file": f"upload:{upload.pk}"}


def test_a_photo_is_converted_and_its_bench_says_so(client, painter):
    page = client.post("/tiles/upload/", file(), follow=True).content.decode()
    assert "Its colours are converted to sRGB." in page
    tile = Tile.objects.get()
    assert abs(int(tile_pixels(tile.latest)[5, 5, 0]) - AS_SEEN * 257) < 257
    assert Upload.objects.get().notes == ["its colours are converted to sRGB"]


def test_a_photo_kept_before_colours_were_converted_stays_as_it_was_seen(client, painter):
    kept = Upload.objects.create(owner=painter, name="kelp.png", data=LINEAR, sha256="0" * 64, width=48, height=32)
    tile = create_tile(painter, "Kelp", {"size": [48, 32], "source": {"name": "photo", "values": photo(kept)}})
    assert tile_pixels(tile.latest)[5, 5, 0] == 100 * 257
    assert "converted" not in client.get(f"/tiles/{tile.pk}/").content.decode()


def test_an_archive_from_before_brings_a_file_as_it_was_seen_then(painter, stranger):
    take_upload(painter, "kelp.png", LINEAR)
    data = archive.archive_of(painter)
    assert archive.restore(stranger, archive.read(data)).made
    assert [one.convert for one in Upload.objects.filter(owner=stranger)] == [True]
    Upload.objects.filter(owner=stranger).delete()

    def older(told):
        for row in told["rows"]["upload"].values():
            del row["convert"], row["notes"]

    archive.restore(stranger, archive.read(changed(data, older)))
    assert [one.convert for one in Upload.objects.filter(owner=stranger)] == [False]


def test_canvases_clips_and_motifs_say_what_was_converted(client, painter):
    opened = client.post("/canvases/open/", file())
    assert "converted+to+sRGB" in opened["Location"]
    assert Canvas.objects.count() == 1
    for address in ("/canvases/clips/", "/tiles/motif/"):
        assert client.post(address, file()).json()["notes"] == ["its colours are converted to sRGB"], address


def test_inks_without_a_profile_are_refused_and_nothing_is_kept(client, painter):
    from io import BytesIO

    from PIL import Image

    data = BytesIO()
    Image.fromarray(np.zeros((16, 16, 4), np.uint8), "CMYK").save(data, "JPEG")
    answer = client.post("/tiles/upload/", {"picture": SimpleUploadedFile("inks.jpg", data.getvalue())})
    assert answer.status_code == 422
    assert "a CMYK picture without a colour profile" in answer.content.decode()
    assert not Upload.objects.exists()
