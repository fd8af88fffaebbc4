"""What a painter does with brushes as things: words about them, copies, coats taken apart, deleting, fonts, files."""

from __future__ import annotations

import json

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from orvix.brushes.definition import Brush as CoreBrush
from orvix.brushes.starters import STARTERS
from orvix.formats.brush_file import load_brush, no_files
from orvix.lettering.fonts import FOLDER
from orvix.pictures.writing import png_bytes
from orvix_web.brushes.loading import as_file, load_version
from orvix_web.brushes.models import Brush, FontFile
from orvix_web.brushes.services import create_from_definition, starter_definition
from orvix_web.brushes.trials import SheetOrder, paint_sheet
from orvix_web.canvases.services import create_canvas
from orvix_web.canvases.storage import Journal
from orvix_web.live.messages import Batch, Begin, End
from orvix_web.live.painting import open_painting
from orvix_web.tiles.models import Tile
from tests.orvix.strokes.test_rhythm import LINE

TWO = {"coats": [{"values": {"size": 60}}, {"values": {"size": 20, "mix": "screen"}}]}


@pytest.fixture
def brush(painter) -> Brush:
    return create_from_definition(painter, "Glow", TWO)


def test_a_brush_is_described_tagged_and_put_in_a_set(client, brush):
    told = {
        "name": "Quay glow",
        "description": "For lamps",
        "credit": "B. S.",
        "tags": "light, soft",
        "set_name": "Night",
    }
    page = client.post(f"/brushes/{brush.pk}/describe/", told).content.decode()
    assert "Quay glow" in page
    found = client.get("/brushes/").content.decode()
    for word in ("Quay glow", "For lamps", "light, soft", "Night"):
        assert word in found
    answer = client.post(f"/brushes/{brush.pk}/describe/", told | {"set_name": "x" * 61})
    assert answer.status_code == 422
    assert "at most 60 characters" in answer.content.decode()
    brush.refresh_from_db()
    assert brush.set_name == "Night"


def test_a_copy_is_changed_and_the_brush_stays(client, brush):
    changed = brush.latest.definition
    changed["coats"][0]["values"]["size"] = 90
    client.post(f"/brushes/{brush.pk}/duplicate/", {"definition": json.dumps(changed)})
    copy = Brush.objects.exclude(pk=brush.pk).get()
    assert copy.name == "Glow copy"
    assert [one.latest.definition["coats"][0]["values"]["size"] for one in (brush, copy)] == [60, 90]


def test_coats_are_taken_apart_and_put_into_another_brush(client, brush):
    client.post(f"/brushes/{brush.pk}/apart/", {"definition": json.dumps(brush.latest.definition)})
    parts = Brush.objects.exclude(pk=brush.pk).order_by("pk")
    assert [one.name for one in parts] == ["Glow, coat 1", "Glow, coat 2"]
    assert [len(one.latest.definition["coats"]) for one in parts] == [1, 1]
    assert client.get(f"/brushes/{brush.pk}/coats.json").json()["coats"] == brush.latest.definition["coats"]
    answer = client.post(f"/brushes/{parts[0].pk}/apart/", {"definition": json.dumps(parts[0].latest.definition)})
    assert answer.status_code == 422


def test_a_brush_that_was_painted_with_stays_and_another_goes(client, painter, brush):
    canvas = create_canvas(painter, "Quay", {"width": 400, "height": 300, "joined": False, "ground": "#ffffff"})
    painting = open_painting(canvas, Journal(canvas.pk, canvas.owner_id))
    painting.begin(Begin(1, {"brush": brush.latest.pk}))
    painting.carry_on(Batch(1, 0, 0.0, LINE))
    painting.end(End(1, len(LINE)))
    answer = client.post(f"/brushes/{brush.pk}/delete/")
    assert (answer.status_code, "Quay" in answer.content.decode()) == (422, True)
    other = create_from_definition(painter, "Spare", TWO)
    client.post(f"/brushes/{other.pk}/delete/")
    assert list(Brush.objects.all()) == [brush]


def test_anothers_brush_is_not_there(client, stranger):
    theirs = create_from_definition(stranger, "Theirs", TWO)
    for what in ("describe", "duplicate", "apart", "delete"):
        told = {"name": "x", "definition": json.dumps(theirs.latest.definition)}
        assert client.post(f"/brushes/{theirs.pk}/{what}/", told).status_code == 404
    assert client.get(f"/brushes/{theirs.pk}/coats.json").status_code == 404


@pytest.mark.parametrize("name", ["rope-strand", "barnacle-crust", "wave-comb", "ticking-tape", "ferry-names"])
def test_a_starter_becomes_the_painters_own_and_goes_out_as_it_came(painter, name):
    made = create_from_definition(painter, name, starter_definition(painter, name))
    loaded = load_version(painter.pk, made.latest.pk)
    assert loaded.brush.coats[0].values == CoreBrush.parse(STARTERS.get(name).data).coats[0].values
    outside = load_brush(as_file(painter.pk, made.latest.definition), no_files)
    here, there = (paint_sheet(one, SheetOrder()).pixels.astype(int) for one in (loaded, outside))
    assert np.abs(here - there).mean() < 0.6  # a tip that goes out as a picture has 8 bits a channel


def test_a_font_of_ones_own_is_checked_kept_and_painted_with(client, painter):
    data = (FOLDER / "NotoSansGeorgian-Regular.ttf").read_bytes()
    answer = client.post("/brushes/fonts/upload/", {"font": SimpleUploadedFile("mine.ttf", data)})
    assert (answer.status_code, answer["HX-Refresh"]) == (204, "true")
    font = FontFile.objects.get()
    tip = {"name": "lettering", "values": {"text": "ნავი"}, "source": {"font_file": font.pk}}
    made = create_from_definition(painter, "Own", {"coats": [{"tip": tip}]})
    assert made.latest.uses.get().font_file == font
    assert "mine.ttf" in client.get(f"/brushes/{made.pk}/").content.decode()
    assert "font" in as_file(painter.pk, made.latest.definition)["coats"][0]["tip"]["source"]
    bad = client.post("/brushes/fonts/upload/", {"font": SimpleUploadedFile("bad.ttf", b"nothing")})
    assert bad.status_code == 422
    assert client.get("/brushes/fonts/naskh.png")["Content-Type"] == "image/png"


def test_pictures_from_files_become_tips_all_or_none(client, painter):
    def file(name: str, data: bytes) -> SimpleUploadedFile:
        return SimpleUploadedFile(name, data, "image/png")

    mark = np.full((20, 30, 3), 255, np.uint8)
    mark[5:15, 8:22] = 20
    good = png_bytes(mark)
    answer = client.post("/brushes/tips/upload/", {"pictures": [file("a.png", good), file("b.png", good)]})
    tips = answer.json()["tips"]
    assert [one["paints"] for one in tips] == ["dark", "dark"]
    sources = [{"tile_version": one["tile_version"]} for one in tips]
    tip = {"name": "set", "sources": sources, "values": {"paints": "dark"}}
    made = create_from_definition(painter, "Two", {"coats": [{"tip": tip, "values": {"size": 30}}]})
    assert [use.tile_version_id for use in made.latest.uses.all()] == [one["tile_version"] for one in tips]
    bad = client.post("/brushes/tips/upload/", {"pictures": [file("c.png", good), file("d.png", b"nothing")]})
    assert (bad.status_code, "d.png" in bad.content.decode()) == (422, True)
    assert Tile.objects.count() == 2
