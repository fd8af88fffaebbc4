"""The sheets that begin a tile and a canvas: pictures, diagrams, sizes on paper; and tiles that came with a brush."""

from __future__ import annotations

import importlib
import io
import re

import numpy as np
import pytest
from django.apps import apps
from PIL import Image

from orvix.errors import BadValue
from orvix.tiles.joining import NEIGHBOURS
from orvix.tiles.repeats import REPEATS
from orvix_web.brushes.services import create_from_definition, starter_definition
from orvix_web.canvases.models import Canvas
from orvix_web.tiles import beginning, diagrams, services
from orvix_web.tiles.models import Grain, Tile

pytestmark = pytest.mark.django_db


def shown(client, show: str) -> set[str]:
    """The names of tiles and grains that the place lists under a filter."""
    page = client.get(f"/tiles/?show={show}").content.decode()
    return set(re.findall(r'<a class="thing".*?<b>(.*?)</b>', page))


def test_every_generated_source_has_a_picture_of_its_own(client, painter):
    page = client.get("/tiles/?new").content.decode()
    assert "data-opens" in page
    assert "data-opens" not in client.get("/tiles/").content.decode()
    names = re.findall(r'<button name="source" value="([\w-]+)"', page)
    assert set(names) == {one.name for _, group in beginning.sheet(painter)["sources"] for one in group}
    made = {name: client.get(f"/tiles/sources/{name}.png").content for name in names}
    for name, data in made.items():
        picture = np.asarray(Image.open(io.BytesIO(data)).convert("RGB"))
        assert picture.shape == (*beginning.PICTURE[::-1], 3)
        assert picture.std() > 2, f"{name} shows something"
    assert len(set(made.values())) == len(names) > 10
    assert client.get("/tiles/sources/nothing.png").status_code == 422


@pytest.mark.parametrize("repeat", REPEATS)
@pytest.mark.parametrize("neighbours", NEIGHBOURS)
def test_a_diagram_has_the_part_in_its_middle_and_covers_its_view(repeat, neighbours):
    try:
        found = diagrams.flags(repeat, neighbours)
    except BadValue:
        assert (repeat, neighbours) != ("straight", "plain")
        return
    wide, high = diagrams.PART
    (first,) = [one for one in found if one.first]
    assert (first.x + wide / 2, first.y + high / 2) == (diagrams.VIEW[0] / 2, diagrams.VIEW[1] / 2)
    covered = np.zeros(diagrams.VIEW[::-1], int)
    for one in found:
        left, top = (one.x - wide * (one.across < 0), one.y - high * (one.down < 0))
        columns, rows = (slice(max(round(at), 0), max(round(at + side), 0)) for at, side in ((left, wide), (top, high)))
        covered[rows, columns] += 1
    assert set(np.unique(covered)) == {1}, "without a hole, and no copy lies over another"


def test_a_drawing_and_a_layout_begin_at_a_size_on_paper(client, painter):
    told = {"width": "5.08", "height": "2.54", "unit": "cm", "ppi": "100", "name": "Kelp"}
    client.post("/tiles/draw/", {**told, "repeat": "half-drop", "stagger": "1/3"})
    drawing = Tile.objects.get(name="Kelp").drawing
    assert (drawing.width, drawing.height, drawing.ppi, drawing.repeat) == (200, 100, 100.0, "half-drop")
    client.post("/tiles/layout/", {**told, "name": "Catch", "repeat": "honeycomb"})
    recipe = Tile.objects.get(name="Catch").latest.recipe
    assert (recipe["size"], recipe["repeat"]) == ([200, 100], "half-drop")
    client.post("/canvases/new/", {**told, "unit": "inch", "width": "2", "height": "1", "name": "Sheet"})
    canvas = Canvas.objects.get(name="Sheet")
    assert (canvas.width, canvas.height) == (200, 100)
    for field, wrong, why in (("width", "-3", "width"), ("unit", "furlong", "unit"), ("height", "tall", "height")):
        answer = client.post("/tiles/draw/", {**told, field: wrong})
        assert answer.status_code == 422
        assert why in answer.content.decode()
    assert Tile.objects.count() == 2


def test_the_sheet_offers_the_last_drawings_size(client, painter):
    client.post("/tiles/draw/", {"width": "301", "height": "257", "ppi": "150"})
    page = client.get("/tiles/?new").content.decode()
    for field, value in (("width", "301"), ("height", "257"), ("ppi", "150")):
        assert re.search(rf'name="{field}"[^>]* value="{value}"', page), field


def test_tiles_are_listed_by_kind_and_what_came_with_a_brush_stands_apart(client, kit):
    create_from_definition(kit.owner, "Salt", starter_definition(kit.owner, "sailcloth-chalk"))
    client.post("/tiles/draw/", {"width": "64", "height": "64", "name": "Kelp"})
    client.post("/tiles/layout/", {"name": "Catch"})
    services.take_photo(kit.owner, "quay-wall")
    came = {one.name for one in [*Tile.objects.filter(of_brush=True), *Grain.objects.filter(of_brush=True)]}
    assert came
    assert shown(client, "mine") == {"Cloth", "Cloth grain", "Kelp", "Catch", "Quay wall"}
    assert shown(client, "brushes") == came
    kinds = {kind: shown(client, kind) - {"Cloth grain"} for kind in ("drawn", "layouts", "photos", "generated")}
    assert kinds == {"drawn": {"Kelp"}, "layouts": {"Catch"}, "photos": {"Quay wall"}, "generated": {"Cloth"}}
    assert shown(client, "no-such") == shown(client, "mine")


def test_what_came_with_a_brush_is_the_painters_own_once_it_is_published(client, kit):
    create_from_definition(kit.owner, "Salt", starter_definition(kit.owner, "sailcloth-chalk"))
    tile = Tile.objects.filter(of_brush=True).first()
    services.keep_tile(kit.owner, tile.pk, {**tile.latest.recipe, "seed": 77})
    tile.refresh_from_db()
    assert not tile.of_brush
    assert tile.name in shown(client, "mine")


def test_tiles_of_before_are_told_apart_by_their_brush(kit):
    brush = create_from_definition(kit.owner, "Sailcloth chalk", starter_definition(kit.owner, "sailcloth-chalk"))
    came = set(Tile.objects.filter(of_brush=True).values_list("pk", flat=True))
    assert came
    assert brush.latest.uses.exists()
    Tile.objects.update(of_brush=False)
    Grain.objects.update(of_brush=False)
    importlib.import_module("orvix_web.tiles.migrations.0008_of_brush").find(apps, None)
    assert set(Tile.objects.filter(of_brush=True).values_list("pk", flat=True)) == came
    assert not Tile.objects.get(pk=kit.tile.pk).of_brush
    assert not Grain.objects.get(pk=kit.grain.pk).of_brush
