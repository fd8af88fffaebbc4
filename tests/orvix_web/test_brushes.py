"""What a painter does with brushes as things: words about them, copies, coats taken apart, deleting, fonts, files."""

from __future__ import annotations

import asyncio
import json
from io import BytesIO

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from orvix.brushes.definition import Brush as CoreBrush
from orvix.brushes.starters import STARTERS
from orvix.devices.stylus import CELLS, sheet_size
from orvix.errors import OrvixError
from orvix.formats.brush_file import load_brush, no_files
from orvix.lettering.fonts import FOLDER
from orvix.pictures.writing import png_bytes
from orvix_web.benches.answers import ask
from orvix_web.brushes.loading import as_file, load_definition, load_version
from orvix_web.brushes.models import Brush, FontFile
from orvix_web.brushes.services import create_brush, create_from_definition, starter_definition
from orvix_web.brushes.trials import SheetOrder, paint_sheet, piece_of
from orvix_web.canvases.fits import canvas_fits
from orvix_web.canvases.journal import Journal
from orvix_web.canvases.services import create_canvas
from orvix_web.chain.queries import picture_href
from orvix_web.live.messages import Batch, Begin, End
from orvix_web.live.painting import open_painting
from orvix_web.tiles.models import Tile
from orvix_web.tiles.services import create_grain
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


def test_a_brush_is_shown_by_a_picture_it_was_given_and_by_its_stroke_again(client, brush):
    stroke = picture_href("brush", brush.latest)
    red = np.zeros((60, 90, 4), np.uint8)
    red[..., 0], red[..., 3] = 200, 255
    file = SimpleUploadedFile("red.png", png_bytes(red), "image/png")
    assert client.post(f"/brushes/{brush.pk}/picture/", {"picture": file}).status_code == 200
    given = picture_href("brush", Brush.objects.get().latest)
    assert given != stroke
    shown = np.asarray(Image.open(BytesIO(client.get(given).content)).convert("RGB"))
    assert shown.shape == (96, 184, 3)
    assert (shown == (200, 0, 0)).all()
    bad = SimpleUploadedFile("red.png", b"no picture", "image/png")
    refused = client.post(f"/brushes/{brush.pk}/picture/", {"picture": bad})
    assert "red.png" in refused.content.decode()
    assert picture_href("brush", Brush.objects.get().latest) == given
    client.post(f"/brushes/{brush.pk}/picture/")
    assert picture_href("brush", Brush.objects.get().latest) == stroke


@pytest.mark.django_db(transaction=True)
@pytest.mark.parametrize("joined", [True, False])
def test_the_sheet_is_painted_over_a_piece_of_a_canvas(painter, stranger, joined):
    told = {"width": 300, "height": 200, "joined": joined, "ground": "#204060"}
    row = create_canvas(painter, "Page", told)
    painting = open_painting(row, Journal(row.pk, row.owner_id))
    dot = create_from_definition(painter, "Dot", {"coats": [{"values": {"size": 60, "flow": 1, "hardness": 1}}]})
    painting.begin(Begin(1, {"brush": dot.latest.pk, "colour": "#e0d020"}))
    painting.carry_on(Batch(1, 0, 0.0, np.array([[0, 150, 100, 1, 0, 0, 0]], float)))
    painting.end(End(1, 1))
    canvas, order = painting.canvas, SheetOrder()
    piece = piece_of(canvas, order)
    width, height = sheet_size(cell=CELLS["tall"])
    assert piece.shape == (height, width, 4)
    assert np.array_equal(piece[height // 2 - 40 : height // 2 + 40, width // 2 - 40 : width // 2 + 40],
                          canvas.view((110, 60, 190, 140)))  # fmt: skip
    yellow = (piece[..., 0] > 200).sum() / (canvas.view(canvas.spec.box)[..., 0] > 200).sum()
    assert yellow > 2 if joined else yellow == 1
    faint = load_definition(painter.pk, {"coats": [{"values": {"opacity": 0}}]})
    assert np.array_equal(paint_sheet(faint, order, piece).pixels, piece)
    facts, shown = asyncio.run(ask(painter.pk, {"what": "sheet", "definition": TWO, "over": {"canvas": row.pk}}))
    assert facts["marks"] > 0
    assert 0 < (shown != piece).mean() < 0.5
    for wrong in ({"canvas": 0}, "Page", {"canvas": row.pk, "place": -1}):
        with pytest.raises(OrvixError):
            asyncio.run(ask(painter.pk, {"what": "sheet", "definition": TWO, "over": wrong}))
    theirs = create_canvas(stranger, "Theirs", told)
    with pytest.raises(OrvixError, match="no longer exists"):
        asyncio.run(ask(painter.pk, {"what": "sheet", "definition": TWO, "over": {"canvas": theirs.pk}}))


def test_a_grains_scale_is_kept_as_the_next_version_and_bad_ones_are_refused(client, kit, stranger):
    version = kit.brush.latest
    told = {"version": version.pk, "coat": 0, "scale": "5/16"}
    assert client.post("/brushes/fit/", told).json()["number"] == 2
    definition = kit.brush.latest.definition
    assert definition["coats"][0]["grain"].pop("scale") == "5/16"
    assert definition["coats"][0]["grain"].items() <= version.definition["coats"][0]["grain"].items()
    for wrong in ({"coat": 1}, {"coat": "x"}, {"scale": "0"}, {"scale": "much"}):
        assert client.post("/brushes/fit/", told | wrong).status_code == 422
    theirs = create_from_definition(stranger, "Theirs", TWO)
    assert client.post("/brushes/fit/", told | {"version": theirs.latest.pk}).status_code == 404
    assert kit.brush.latest.number == 2


def test_a_turn_that_is_offered_for_the_grain_in_hand_closes_once_it_is_taken(client, kit):
    client.post("/brushes/fit/", {"version": kit.brush.latest.pk, "coat": 0, "scale": "0.41", "turn": "27"})
    (off,) = canvas_fits(kit.canvas, kit.brush.latest.pk)
    assert not off["closes"]
    turn = next(one for one in off["turns"] if abs(one["stretch"] - 1) < 1e-9)
    assert abs(turn["turn_deg"] - 27) < 10
    told = {"version": off["brush_version"], "coat": off["coat"], "scale": turn["scale"], "turn": turn["turn_deg"]}
    assert client.post("/brushes/fit/", told).json()["number"] == 3
    (now,) = canvas_fits(kit.canvas, kit.brush.latest.pk)
    assert now["closes"]
    assert client.post("/brushes/fit/", told | {"turn": "200"}).status_code == 422


def test_the_brushes_of_a_set_lay_one_grain_alike_and_all_others_stay(client, kit, painter):
    second = create_brush(painter, "Second", kit.grain.latest.pk)
    other_grain = create_grain(painter, kit.tile.latest.pk, "Another grain")
    third = create_brush(painter, "Third", other_grain.latest.pk)
    lone = create_brush(painter, "Lone", kit.grain.latest.pk)
    definition = kit.brush.latest.definition
    definition["coats"][0]["grain"] |= {"scale": "3/8", "turn": 30, "offset_x": 0.25, "hold": "stroke"}
    told = {"definition": json.dumps(definition), "coat": 0}
    answer = client.post(f"/brushes/{kit.brush.pk}/set-alike/", told)
    assert (answer.status_code, "is not in a set" in answer.content.decode()) == (422, True)
    Brush.objects.filter(pk__in=[kit.brush.pk, second.pk, third.pk]).update(set_name="Harbour")
    assert client.post(f"/brushes/{kit.brush.pk}/set-alike/", told).status_code == 302
    lies = {"scale": "3/8", "turn": 30, "offset_x": 0.25, "offset_y": 0, "hold": "canvas"}
    for brush, number in ((kit.brush, 2), (second, 2), (third, 1), (lone, 1)):
        grain = brush.latest.definition["coats"][0]["grain"]
        assert brush.latest.number == number
        assert (lies.items() <= grain.items()) == (number == 2)
    # Once more: nothing is new, so nothing is kept.
    client.post(f"/brushes/{kit.brush.pk}/set-alike/", told)
    assert (kit.brush.latest.number, second.latest.number) == (2, 2)
    Brush.objects.filter(pk=second.pk).update(set_name="")
    answer = client.post(f"/brushes/{kit.brush.pk}/set-alike/", told)
    assert (answer.status_code, "has no other brush" in answer.content.decode()) == (422, True)
    assert "Apply to set Harbour" in client.get(f"/brushes/{kit.brush.pk}/").content.decode()
    assert client.post(f"/brushes/{kit.brush.pk}/set-alike/", told | {"coat": 3}).status_code == 422


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


def test_a_brush_goes_to_the_trash_from_its_bench_and_what_was_painted_with_it_stays(client, painter, brush):
    canvas = create_canvas(painter, "Quay", {"width": 400, "height": 300, "joined": False, "ground": "#ffffff"})
    painting = open_painting(canvas, Journal(canvas.pk, canvas.owner_id))
    painting.begin(Begin(1, {"brush": brush.latest.pk}))
    painting.carry_on(Batch(1, 0, 0.0, LINE))
    painting.end(End(1, len(LINE)))
    assert client.post(f"/brushes/{brush.pk}/delete/").headers["Location"] == "/brushes/"
    assert list(Brush.objects.in_trash(painter)) == [brush]
    assert painting.undo()[0]
    assert painting.redo()[0]


def test_anothers_brush_is_not_there(client, stranger):
    theirs = create_from_definition(stranger, "Theirs", TWO)
    for what in ("describe", "duplicate", "apart", "delete"):
        told = {"name": "x", "definition": json.dumps(theirs.latest.definition)}
        assert client.post(f"/brushes/{theirs.pk}/{what}/", told).status_code == 404
    assert client.get(f"/brushes/{theirs.pk}/coats.json").status_code == 404


@pytest.mark.slow
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
