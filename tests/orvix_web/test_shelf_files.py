"""Several things at once as a file; palettes and files from outside on the shelf."""

from __future__ import annotations

import io
import json
import zipfile

import numpy as np
import pytest
from PIL import Image
from pypdf import PdfReader

from orvix.errors import BadValue, UnknownName
from orvix.pictures import read_picture
from orvix_web.canvases.models import Canvas, Palette
from orvix_web.errors import InUse, NotYours
from orvix_web.jobs.models import Job
from orvix_web.jobs.tasks import run_job
from orvix_web.shelf.files import ask_for_file
from orvix_web.shelf.queries import Asked, shelf, uses
from orvix_web.shelf.services import do
from orvix_web.tiles.layouts import create_layout, kept_motif, take_motif
from orvix_web.tiles.models import Upload
from orvix_web.tiles.rendering import tile_pixels
from orvix_web.tiles.services import create_tile

pytestmark = pytest.mark.django_db(transaction=True)
SVG = (
    b'<svg xmlns="http://www.w3.org/2000/svg" width="40" height="20">'
    b'<rect width="40" height="20" fill="#d29b42"/></svg>'
)


def made(owner, what, things, **told):
    job = ask_for_file(owner, what, things, told)
    run_job(job.pk)
    job.refresh_from_db()
    assert job.state == "done", job.error
    return bytes(job.product.data)


def test_several_pictures_come_in_one_zip_with_names_of_their_own(kit):
    other = create_tile(kit.owner, "Cloth", {"size": [64, 32], "source": {"name": "noise"}})
    things = [f"tile-{kit.tile.pk}", f"tile-{other.pk}", f"canvas-{kit.canvas.pk}"]
    data = made(kit.owner, "pictures", things, format="png16", maker="A. Painter")
    with zipfile.ZipFile(io.BytesIO(data)) as file:
        assert file.namelist() == ["cloth-v1-16bit.png", "cloth-v1-16bit-2.png", "page-v0-16bit.png"]
        back = read_picture(file.read("cloth-v1-16bit.png"))
        assert np.array_equal(back, tile_pixels(kit.tile.latest)), "bit for bit"
        with Image.open(io.BytesIO(file.read("cloth-v1-16bit-2.png"))) as image:
            assert image.text["Author"] == "A. Painter"
    small = made(kit.owner, "pictures", things[:2], format="jpeg", height="16", unit="px")
    with zipfile.ZipFile(io.BytesIO(small)) as file, Image.open(io.BytesIO(file.read("cloth-v1-2.jpg"))) as image:
        assert image.size == (32, 16)


def test_a_contact_sheet_shows_all_that_is_chosen(kit):
    keys = [f"{kind}-{getattr(kit, kind).pk}" for kind in ("tile", "grain", "brush", "canvas")]
    page = PdfReader(io.BytesIO(made(kit.owner, "sheet", keys))).pages[0]
    assert len(page.images) == 4
    assert all(name in page.extract_text() for name in ("Cloth", "Cloth grain", "Chalk", "Page", "640 × 384 px"))


@pytest.mark.parametrize(
    ("what", "things", "told", "error", "rule"),
    [
        ("pictures", ["brush"], {"format": "png"}, BadValue, "is not a picture"),
        ("pictures", ["tile"], {"format": "scroll"}, UnknownName, "format"),
        ("pictures", ["tile"], {"format": "png", "height": "99999"}, BadValue, "16384"),
        ("sheet", ["tile"], {"maker": "x\ny"}, BadValue, "one line"),
        ("pictures", [], {}, BadValue, "choose 1 to"),
        ("scroll", ["tile"], {}, UnknownName, "what to make"),
    ],
)
def test_what_cannot_be_made_is_refused_before_anything_is_queued(kit, what, things, told, error, rule):
    keys = [f"{kind}-{getattr(kit, kind).pk}" for kind in things]
    with pytest.raises(error, match=rule):
        ask_for_file(kit.owner, what, keys, told)
    assert not Job.objects.exists()


def test_only_ones_own_is_made_into_a_file(kit, stranger):
    with pytest.raises(NotYours):
        ask_for_file(stranger, "pictures", [f"tile-{kit.tile.pk}"], {"format": "png"})


def test_a_palette_is_kept_from_one_canvas_used_on_another_and_goes_out_as_text(client, kit):
    rows = [["tar", "#1c1e21"], ["rope", "#d29b42"]]
    at = f"/canvases/{kit.canvas.pk}/palette/"
    client.post(at, {"palette": json.dumps(rows)})
    told = client.post(f"{at}keep/", {"name": "Ropes"}).json()
    other = Canvas.objects.create(owner=kit.owner, name="Other", width=64, height=64, ppi=300)
    assert client.post(f"/canvases/{other.pk}/palette/", {"kept": told["palette"]}).json()["palette"] == rows
    text = client.get(f"/canvases/palettes/{told['palette']}.txt").content.decode()
    assert text == "#1c1e21 tar\n#d29b42 rope\n"
    brought = io.BytesIO(text.encode())
    brought.name = "From afar.txt"
    client.post("/canvases/palettes/take-in/", {"picture": brought})
    assert set(Palette.objects.values_list("name", flat=True)) == {"Ropes", "From afar"}
    entry = shelf(kit.owner, Asked(kind="palette"))[0]
    assert entry.about == "2 colours"
    with Image.open(io.BytesIO(client.get(entry.picture).content)) as image:
        assert image.getpixel((4, 60)) == (0x1C, 0x1E, 0x21)
        assert image.getpixel((image.width - 4, 60)) == (0xD2, 0x9B, 0x42)
    bad = io.BytesIO(b"no colour at all")
    bad.name = "bad.txt"
    assert client.post("/canvases/palettes/take-in/", {"picture": bad}).status_code == 422
    assert Palette.objects.count() == 2


def test_files_from_outside_are_on_the_shelf_laid_out_again_and_kept_while_used(client, painter):
    motif = take_motif(painter, "Float.svg", SVG)[0]
    upload = Upload.objects.get()
    assert kept_motif(painter, upload.pk) == motif
    assert client.post("/tiles/motif/", {"kept": upload.pk}).json()["motif"] == motif
    tile = create_layout(painter, "Floats", {"size": [64, 64]}, motif)
    entry = shelf(painter, Asked(kind="motif"))[0]
    assert (entry.thing.name, entry.about) == ("Float.svg", "40 × 20 px")
    with Image.open(io.BytesIO(client.get(entry.picture).content)) as image:
        assert image.getpixel((96, 64)) == (0xD2, 0x9B, 0x42)
    told = client.get(entry.href)
    assert told.content == SVG
    assert told.headers["Content-Type"] == "application/octet-stream"
    assert told.headers["Content-Disposition"].startswith("attachment")
    assert [one.thing.name for one in uses("motif", upload)[1]] == ["Floats"]
    key = [f"motif-{upload.pk}"]
    do(painter, "trash", key)
    with pytest.raises(InUse, match="Floats"):
        do(painter, "delete", key)
    do(painter, "trash", [f"tile-{tile.pk}"])
    do(painter, "delete", [f"tile-{tile.pk}"])
    do(painter, "delete", key)
    assert not Upload.objects.exists()


def test_lists_do_not_ask_for_files_as_they_came(painter, django_assert_num_queries):
    take_motif(painter, "Float.svg", SVG)
    entries = shelf(painter, Asked(kind="motif"))
    assert entries[0].thing.get_deferred_fields() == {"data"}
    with django_assert_num_queries(0):
        assert entries[0].about == "40 × 20 px"
