"""Grains: kept in sets, renamed, duplicated, taken from files, and put in the trash."""

from __future__ import annotations

import io

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from orvix_web.brushes.services import create_brush
from orvix_web.tiles.models import Grain, Tile
from orvix_web.tiles.services import create_grain, create_tile

SMALL = {"size": [64, 64], "source": {"name": "noise"}}


@pytest.fixture
def grain(painter) -> Grain:
    return create_grain(painter, create_tile(painter, "Fog", SMALL).latest.pk, "Fog grain", {"contrast": 0.3})


def test_a_grain_is_renamed_put_in_a_set_and_listed_there(client, grain):
    response = client.post(f"/grains/{grain.pk}/name/", {"name": "Soft fog", "set": "Weather"})
    assert response.headers["Location"] == f"/grains/{grain.pk}/"
    page = client.get("/tiles/").content.decode()
    assert '<h3 class="section">Weather</h3>' in page
    assert page.rindex("Weather") < page.rindex("Soft fog")
    client.post(f"/grains/{grain.pk}/name/", {"name": "Soft fog", "set": "  "})
    assert "Weather" not in client.get("/tiles/").content.decode()
    refused = client.post(f"/grains/{grain.pk}/name/", {"name": " ", "set": ""})
    assert refused.status_code == 422


def test_a_copy_starts_like_the_newest_and_is_changed_by_itself(client, grain):
    tone = '{"negative": true, "contrast": 0.6, "brightness": 0}'
    kept = {"tone": tone, "scale": "5/17", "tile_version": grain.latest.tile_version_id}
    client.post(f"/grains/{grain.pk}/keep/", kept)
    client.post(f"/grains/{grain.pk}/duplicate/")
    copy = Grain.objects.get(name="Fog grain copy")
    assert copy.latest.tone == grain.latest.tone
    assert copy.latest.scale == "5/17"
    client.post(f"/grains/{copy.pk}/keep/", {**kept, "tone": "{}"})
    assert (copy.versions.count(), grain.versions.count()) == (2, 2)
    refused = client.post(f"/grains/{grain.pk}/keep/", {**kept, "scale": "99"})
    assert "Scale cannot be 99. It must be a decimal or a fraction" in refused.content.decode().replace("&#x27;", "'")


def test_a_brush_takes_the_grain_at_its_scale(client, painter, grain):
    client.post(
        f"/grains/{grain.pk}/keep/", {"tone": "{}", "scale": "1/4", "tile_version": grain.latest.tile_version_id}
    )
    brush = create_brush(painter, "Fog brush", grain.latest.pk)
    assert brush.latest.definition["coats"][0]["grain"]["scale"] in ("1/4", 0.25)


def test_a_grain_says_what_uses_it_and_goes_to_the_trash(client, painter, grain):
    create_brush(painter, "Fog brush", grain.latest.pk)
    assert "Used by Fog brush v1" in client.get(f"/grains/{grain.pk}/").content.decode()
    assert client.post(f"/grains/{grain.pk}/delete/").headers["Location"] == "/tiles/"
    assert list(Grain.objects.in_trash(painter)) == [grain]


def test_a_file_becomes_a_grain_in_one_step(client, painter):
    data = io.BytesIO()
    Image.fromarray(np.random.default_rng(1).integers(0, 255, (60, 80)).astype(np.uint8)).save(data, "WEBP")
    client.post("/grains/upload/", {"picture": SimpleUploadedFile("felt.webp", data.getvalue())})
    assert Grain.objects.get().name == "felt"
    assert Tile.objects.get().latest.recipe["source"]["name"] == "photo"
    assert client.post("/grains/upload/").status_code == 422


def test_other_peoples_grains_are_not_there(client, painter, stranger):
    theirs = create_grain(stranger, create_tile(stranger, "S", SMALL).latest.pk, "Secret")
    for what in ("name", "duplicate", "delete"):
        assert client.post(f"/grains/{theirs.pk}/{what}/", {"name": "x", "set": ""}).status_code == 404
    assert "Secret" not in client.get("/tiles/").content.decode()
