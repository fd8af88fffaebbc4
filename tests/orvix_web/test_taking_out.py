"""Files out and in: what is seen, bit for bit; layers; jobs for what is large; and each painter's own."""

from __future__ import annotations

import io

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.http import Http404
from PIL import Image

from orvix.brushes.starters import STARTERS
from orvix.canvases.layers import Layer
from orvix.errors import OrvixError, UnreadableFile
from orvix.formats import openraster
from orvix.formats.brush_file import load_brush, no_files
from orvix.formats.strokes_file import load_strokes
from orvix.pictures import read_picture
from orvix_web.canvases.models import Canvas
from orvix_web.canvases.opening import open_file
from orvix_web.canvases.services import create_canvas
from orvix_web.canvases.storage import load
from orvix_web.jobs.models import Job
from orvix_web.jobs.tasks import run_job
from orvix_web.proofs import exporting
from orvix_web.proofs.exporting import ask_to_take_out, asked_of, taken_out
from orvix_web.proofs.sources import Of
from orvix_web.tiles.rendering import tile_pixels
from orvix_web.tiles.services import create_tile
from tests.orvix_web.files import sent
from tests.orvix_web.test_painting import opened, store, stroke

pytestmark = pytest.mark.django_db


@pytest.fixture
def painted(painter, kit, wavy):
    """A canvas with two painted layers over a ground."""
    painting, journal = opened(kit.canvas)
    stroke(painting, wavy, 1)
    layers = [{"id": 1, "name": "Low"}, {"id": 2, "name": "High", "opacity": 0.5, "mode": "multiply"}]
    painting.edit({"what": "layers", "layers": layers})
    stroke(painting, wavy + np.array([0, 0, 20, 0, 0, 0, 0]), 2, layer=2, colour="#2f6f93")
    store(painting, journal)
    kit.canvas.refresh_from_db()
    return kit.canvas, painting


def out(row, **told) -> bytes:
    of = Of("canvas", row)
    return taken_out(of, asked_of(of, told))[2]


def test_a_canvas_goes_out_as_it_is_seen_and_its_pixels_exactly(painted):
    row, painting = painted
    seen = painting.canvas.view(painting.canvas.spec.box)[..., :3]
    for name in ("png", "webp"):
        with Image.open(io.BytesIO(out(row, format=name))) as image:
            assert np.array_equal(np.asarray(image), seen), name
    for name in ("png16", "tiff"):
        assert np.array_equal(read_picture(out(row, format=name)), painting.canvas.pixels())
        clear = painting.canvas.over(None).pixels()
        assert np.array_equal(read_picture(out(row, format=name, clear="1")), clear)
    small = read_picture(out(row, format="png", height="100"))
    assert small.shape[0] == 100
    mm = read_picture(out(row, format="png", height="10", unit="mm"))
    assert mm.shape[0] == round(10 / 25.4 * row.ppi)


def test_layers_in_hand_and_what_is_selected_go_out_alone(painted):
    row, painting = painted
    alone = read_picture(out(row, format="png16", what="layers", layers="2"))
    assert alone[..., 3].any()
    assert not np.array_equal(alone, painting.canvas.over(None).pixels())
    trimmed = read_picture(out(row, format="png16", what="layers", layers="2", trim="1"))
    assert trimmed.shape[0] < alone.shape[0]
    with pytest.raises(OrvixError, match="Select an area first"):
        out(row, format="png", what="selection")


def test_layered_files_come_back_as_a_canvas_that_is_painted_on_undone_and_replayed(painted, painter, wavy):
    row, painting = painted
    made, notes = open_file(painter, "lid.ora", out(row, format="openraster"))
    assert notes == []
    again, journal = opened(made)
    assert [one.name for one in again.canvas.stack] == ["Ground", "Low", "High"]
    assert np.array_equal(again.canvas.pixels(), painting.canvas.pixels())
    assert float(made.ppi) == float(row.ppi)
    stroke(again, wavy, 1, layer=2)
    store(again, journal)
    again.undo()
    again.undo()
    assert not again.canvas.pixels().any()
    again.redo()
    assert np.array_equal(again.canvas.pixels(), painting.canvas.pixels())
    assert np.array_equal(load(made).canvas.pixels()[..., 3] > 0, again.canvas.pixels()[..., 3] > 0)


def test_a_picture_opens_as_a_layer_and_what_is_no_picture_changes_nothing(painter, client):
    png = io.BytesIO()
    Image.new("RGBA", (40, 30), (200, 100, 50, 128)).save(png, "PNG", dpi=(150, 150))
    row, _ = open_file(painter, "shell.png", png.getvalue())
    assert (row.width, row.height, float(row.ppi), row.name) == (40, 30, 150.0, "shell")
    before = Of("canvas", row).thing.__class__.objects.count()
    for name, data in (("a.ora", b"PK\x03\x04 broken"), ("a.png", b"MZ" * 50), ("tiny.png", None)):
        if data is None:
            small = io.BytesIO()
            Image.new("RGB", (4, 4)).save(small, "PNG")
            data = small.getvalue()
        with pytest.raises((UnreadableFile, OrvixError), match=name.split(".")[0]):
            open_file(painter, name, data)
        answer = client.post("/canvases/open/", {"picture": io.BytesIO(data)})
        assert answer.status_code == 422
    assert row.__class__.objects.count() == before


def test_what_is_not_known_is_told_on_the_page(painter, client):
    canvas = load(create_canvas(painter, "Bare", {"width": 32, "height": 32})).canvas
    canvas.restack((Layer(1, "A", mode="multiply"),))
    openraster.put_pixels(canvas, 1, np.full((8, 8, 4), 65535, np.uint16), 0, 0)
    data = openraster.write(canvas)[0]
    import zipfile

    changed = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(data)) as old, zipfile.ZipFile(changed, "w") as new:
        for entry in old.infolist():
            new.writestr(entry.filename, old.read(entry).replace(b"svg:multiply", b"svg:dissolved"))
    upload = io.BytesIO(changed.getvalue())
    upload.name = "odd.ora"
    answer = client.post("/canvases/open/", {"picture": upload})
    assert answer.status_code == 302
    assert "told=" in answer["Location"]
    assert "dissolved" in answer["Location"]


def test_strokes_go_out_as_the_command_line_reads_them(painted):
    import json

    told = json.loads(out(painted[0], format="strokes"))
    brush = load_brush(STARTERS.get("sailcloth-chalk").data, no_files)
    strokes = load_strokes(told, brush)
    assert len(strokes) == 2
    assert strokes[1].colour == "#2f6f93"


def test_a_tile_goes_out_as_it_is_unrolled_and_as_a_pattern(painter):
    recipe = {"size": [40, 30], "repeat": "brick", "source": {"name": "noise", "values": {"cells": 2}}}
    tile = create_tile(painter, "Cloud", recipe)
    of = Of("tile", tile)
    name, kind, data = taken_out(of, asked_of(of, {"format": "png16", "ppi": "150"}))
    assert (name, kind) == ("cloud-v1-16bit.png", "image/png")
    assert np.array_equal(read_picture(data), tile_pixels(tile.latest))
    unrolled = read_picture(taken_out(of, asked_of(of, {"format": "png", "what": "unrolled"}))[2])
    assert unrolled.shape == (60, 40, 4)
    assert b"<pattern" in taken_out(of, asked_of(of, {"format": "svg"}))[2]
    for told in ({"format": "openraster"}, {"format": "png", "what": "selection"}, {"format": "png", "height": "tall"}):
        with pytest.raises(OrvixError):
            asked_of(of, told)


def test_large_ones_are_made_by_a_job_and_all_are_the_painters_own(painted, painter, stranger, client, monkeypatch):
    row, _ = painted
    address = f"/out/canvas/{row.pk}/"
    answer = client.post(address, {"format": "png", "maker": "Brindle Skerry"}).json()
    fetched = client.get(answer["href"])
    assert fetched["Content-Type"] == "image/png"
    with Image.open(io.BytesIO(fetched.content)) as image:
        assert image.text["Author"] == "Brindle Skerry"
    monkeypatch.setattr(exporting, "OFTEN_PX", 100)
    job = Job.objects.get(pk=client.post(address, {"format": "openraster"}).json()["job"])
    run_job(job.pk)
    product = client.get(f"/work/{job.pk}/file/")
    assert openraster.read(sent(product)).width == row.width
    assert int(product["Content-Length"]) == Job.objects.get(pk=job.pk).product.size
    # A PNG and a TIFF are written band by band; what comes out is what is written at once.
    for told in ({"format": "png16"}, {"format": "png"}, {"format": "png16", "clear": "1"}, {"format": "tiff"}):
        job = Job.objects.get(pk=client.post(address, told).json()["job"])
        run_job(job.pk)
        made = sent(client.get(f"/work/{job.pk}/file/"))
        of = Of("canvas", row)
        at_once = taken_out(of, asked_of(of, told))[2]
        assert made != at_once
        assert np.array_equal(read_picture(made), read_picture(at_once))
    assert client.post(address, {"format": "bmp"}, headers={"accept": "application/json"}).status_code == 422
    with pytest.raises(Http404):
        ask_to_take_out(stranger, "canvas", row.pk, {"format": "png"})
    row.owner = stranger
    row.save()
    assert client.get(f"{address}?format=png").status_code == 404


def test_files_of_one_picture_lie_side_by_side_and_a_jpeg_has_a_quality(painted, client):
    of = Of("canvas", painted[0])
    told = [{"format": name} for name in ("png", "png16", "height", "normal")]
    told += [
        {"format": "png", "what": "layers", "layers": "1"},
        {"format": "jpeg", "quality": "40"},
        {"format": "jpeg"},
    ]
    made = [taken_out(of, asked_of(of, one)) for one in told]
    assert len({name for name, _, _ in made[:-1]}) == len(made) - 1
    assert made[0][0].endswith(".png")
    assert made[1][0].endswith("-16bit.png")
    assert len(made[-2][2]) < len(made[-1][2])
    with pytest.raises(OrvixError, match="quality"):
        asked_of(of, {"format": "jpeg", "quality": "300"})


def test_a_file_is_opened_under_the_name_that_was_typed_and_the_address_alone_leads_to_the_place(client, painter):
    data = io.BytesIO()
    Image.new("RGB", (64, 48), "#c8b48c").save(data, "PNG")
    for typed, name in (("Harbour", "Harbour"), ("  ", "scan")):
        file = SimpleUploadedFile("scan.png", data.getvalue(), "image/png")
        answer = client.post("/canvases/open/", {"picture": file, "name": typed})
        assert Canvas.objects.get(pk=int(answer.headers["Location"].split("/")[2])).name == name
    assert client.get("/canvases/open/").headers["Location"] == "/canvases/"
    refused = client.get("/tiles/new/", headers={"accept": "text/html"})
    assert refused.status_code == 405
    assert "only works from its button" in refused.content.decode()
    assert refused.headers["Allow"] == "POST"
