"""Tiles as tips of brushes: made in one press, kept with the brush, whole in its file, and nobody else's."""

from __future__ import annotations

import json

import numpy as np
import pytest

from orvix.brushes.definition import Brush as CoreBrush
from orvix.errors import BadValue
from orvix.formats.brush_file import load_brush, no_files
from orvix.pictures.writing import png_bytes
from orvix_web.brushes.loading import as_file, load_definition, load_version
from orvix_web.brushes.models import Brush
from orvix_web.brushes.trials import SheetOrder, paint_sheet
from orvix_web.chain.queries import SLOTS, strip
from orvix_web.tiles.services import create_tile, take_upload

SPARK = {"size": [96, 96], "source": {"name": "sparks"}}


@pytest.fixture
def tile(painter):
    return create_tile(painter, "Glow", SPARK)


@pytest.fixture
def brush(client, tile) -> Brush:
    response = client.post("/brushes/new/", {"tile_version": tile.latest.pk})
    assert response.status_code == 302
    return Brush.objects.get()


def test_one_press_makes_a_brush_that_stamps_the_tile(client, brush, tile):
    assert brush.name == "Glow stamps"
    version = brush.latest
    assert version.tip_version == tile.latest
    assert version.grain_version is None
    tip = version.definition["coats"][0]["tip"]
    assert (tip["name"], tip["source"]) == ("picture", {"tile_version": tile.latest.pk})
    assert tip["values"]["paints"] == "opaque"
    assert [use.tile_version for use in version.uses.all()] == [tile.latest]
    page = client.get(f"/brushes/{brush.pk}/").content.decode()
    assert "Glow v1" in page
    sheet = paint_sheet(load_version(brush.owner_id, version.pk), SheetOrder())
    assert sheet.pixels[..., 0].min() < 120


def test_the_brush_file_paints_the_same_without_the_database(brush):
    told = json.loads(json.dumps(as_file(brush.owner_id, brush.latest.definition)))
    assert told["coats"][0]["tip"]["source"]["recipe"]["source"]["name"] == "sparks"
    alone, here = load_brush(told, no_files), load_version(brush.owner_id, brush.latest.pk)
    assert np.array_equal(paint_sheet(alone, SheetOrder()).pixels, paint_sheet(here, SheetOrder()).pixels)


def test_a_tip_from_a_file_is_in_the_brush_file_as_a_picture(client, painter):
    leaf = np.full((40, 60, 3), 255, np.uint8)
    leaf[10:30, 20:40] = (30, 90, 60)
    tile = take_upload(painter, "leaf.png", png_bytes(leaf))
    client.post("/brushes/new/", {"tile_version": tile.latest.pk})
    brush = Brush.objects.get()
    told = as_file(painter.pk, brush.latest.definition)
    assert list(told["coats"][0]["tip"]["source"]) == ["png"]
    alone, here = load_brush(told, no_files), load_version(painter.pk, brush.latest.pk)
    assert (
        np.abs(paint_sheet(alone, SheetOrder()).pixels.astype(int) - paint_sheet(here, SheetOrder()).pixels).max() <= 1
    )


def test_the_strip_leads_from_the_tile_to_its_stamps_and_back(painter, brush, tile):
    create_tile(painter, "Another", SPARK)
    for kind, pk, at, name in (("tile", tile.pk, "brush", "Glow stamps"), ("brush", brush.pk, "tile", "Glow")):
        link = strip(painter, kind, pk)[SLOTS.index(at)]
        assert link is not None
        assert link.name == name


def test_another_tip_is_kept_as_another_version(client, painter, brush):
    other = create_tile(painter, "Drop", SPARK | {"seed": 4})
    definition = brush.latest.definition
    definition["coats"][0]["tip"]["source"] = {"tile_version": other.latest.pk}
    definition["coats"][0]["tip"]["values"] = {"paints": "light"}
    assert client.post(f"/brushes/{brush.pk}/keep/", {"definition": json.dumps(definition)}).status_code == 200
    assert [one.tip_version.tile.name for one in brush.versions.order_by("number")] == ["Glow", "Drop"]


def test_nobody_stamps_with_anothers_tile(client, painter, stranger, brush):
    theirs = create_tile(stranger, "Secret", SPARK).latest
    assert client.post("/brushes/new/", {"tile_version": theirs.pk}).status_code == 404
    definition = brush.latest.definition
    definition["coats"][0]["tip"]["source"] = {"tile_version": theirs.pk}
    refused = client.post(f"/brushes/{brush.pk}/keep/", {"definition": json.dumps(definition)})
    assert refused.status_code == 422
    assert "no longer exists" in refused.content.decode()
    for source in ({"tile_version": True}, {"tile_version": "1"}, {"recipe": SPARK}):
        definition["coats"][0]["tip"]["source"] = source
        with pytest.raises(BadValue, match="no longer exists"):
            load_definition(painter.pk, CoreBrush.parse(definition).as_dict())
    assert "Secret" not in client.get(f"/brushes/{brush.pk}/").content.decode()
