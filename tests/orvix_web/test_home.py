"""The home page: the last works with what they wait for, the ways to begin, and what a painter prefers."""

from __future__ import annotations

import io

import pytest
from PIL import Image

from orvix.errors import BadValue, UnknownName
from orvix_web.accounts.preferences import prefer, preferences_of
from orvix_web.canvases.services import create_canvas
from orvix_web.home.works import last_works
from orvix_web.tiles.models import Tile
from tests.drafting import put

pytestmark = pytest.mark.django_db

CANVAS = {"width": 300, "height": 200, "ppi": 300.0, "joined": True, "repeat": "straight", "ground": "#ffffff"}


def test_the_last_works_come_first_and_say_what_they_wait_for(kit, stranger):
    create_canvas(stranger, "Theirs", CANVAS)
    newest = create_canvas(kit.owner, "Pennants", CANVAS)
    works = last_works(kit.owner)
    assert works[0].name == "Pennants"
    assert works[0].about == "Canvas, 25 × 17 mm"
    assert works[0].repeats
    assert works[0].waits == ""
    assert "Theirs" not in {work.name for work in works}
    assert [work.touched for work in works] == sorted((work.touched for work in works), reverse=True)
    recipe = kit.tile.latest.recipe
    put(kit.owner, "tile", kit.tile.pk, {**recipe, "seed": recipe["seed"] + 1})
    waits = {work.name: work.waits for work in last_works(kit.owner, 12)}
    assert waits[kit.tile.name] == "Changed since v1. Publish it when it is ready."
    newest.delete()
    assert "Pennants" not in {work.name for work in last_works(kit.owner)}


def test_a_drawing_that_was_painted_last_is_its_tile(painter):
    from orvix_web.canvases.drawings import create_drawing

    tile = create_drawing(painter, "Kelp", {"width": 64, "height": 48})
    work = last_works(painter)[0]
    assert (work.kind, work.name, work.href) == ("tile", "Kelp", f"/tiles/{tile.pk}/draw/")


def test_the_page_shows_them_and_every_picture_can_be_fetched_by_its_owner_only(
    client, kit, stranger, django_user_model
):
    page = client.get("/").content.decode()
    assert page.count("data-door=") == 6
    for work in last_works(kit.owner):
        assert f'href="{work.href}"' in page
        answer = client.get(work.picture)
        assert answer.status_code == 200
        assert Image.open(io.BytesIO(answer.content)).size[0] <= 640
    assert client.get(f"/works/grain/{kit.grain.pk}/x.png").status_code == 404
    theirs = create_canvas(stranger, "Theirs", CANVAS)
    assert client.get(f"/works/canvas/{theirs.pk}/x.png").status_code == 404


def test_an_empty_shelf_shows_the_ways_to_begin_only(client, painter):
    page = client.get("/").content.decode()
    assert "Continue" not in page
    assert "home empty" in page
    assert page.count("data-door=") == 6
    assert not Tile.objects.exists()


def test_a_preference_is_kept_for_one_painter_and_bad_ones_are_refused(client, painter, stranger):
    assert preferences_of(None) == {"theme": "light"}
    assert client.post("/preferences/", {"name": "theme", "value": "dim"}).status_code == 200
    assert preferences_of(painter.pk)["theme"] == "dim"
    assert preferences_of(stranger.pk)["theme"] == "light"
    assert '<html lang="en" data-theme="dim">' in client.get("/canvases/").content.decode()
    with pytest.raises(BadValue):
        prefer(painter, "theme", "neon")
    with pytest.raises(UnknownName):
        prefer(painter, "volume", "loud")
    assert preferences_of(painter.pk)["theme"] == "dim"
