"""What the tile bench asks: cards, photos, clean parts, periods, stains, squinting, previews, one trial stroke."""

from __future__ import annotations

import asyncio
import json

import numpy as np
import pytest

from orvix.devices.photo_tray import develop
from orvix.errors import BadValue, OrvixError, UnreadablePicture
from orvix.pictures.writing import png_bytes, straight_8bit
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import cloth
from orvix.tiles.sources import SOURCES
from orvix.tiles.steps import STEPS
from orvix_web.benches.answers import ask
from orvix_web.errors import NotYours
from orvix_web.tiles.cards import rows_of, source_groups
from orvix_web.tiles.services import create_tile, take_upload

pytestmark = pytest.mark.django_db(transaction=True)


def asked(owner, **told):
    return asyncio.run(ask(owner.pk, told))


@pytest.fixture
def photo(painter) -> str:
    tile = take_upload(painter, "wall.png", png_bytes(develop("quay-wall", 320, 240)))
    return tile.latest.recipe["source"]["values"]["file"]


def test_a_photo_is_shown_and_its_cleanest_parts_are_told(painter, stranger, photo):
    facts, pixels = asked(painter, what="photo", file=photo)
    assert facts["photo"] == [320, 240]
    assert np.array_equal(pixels[..., :3], develop("quay-wall", 320, 240))
    parts = asked(painter, what="cleanest", file=photo, width=0.5, height=0.5)[0]["parts"]
    assert 1 <= len(parts) <= 3
    assert [part["cost"] for part in parts] == sorted(part["cost"] for part in parts)
    for wrong in ({"width": 2, "height": 0.5}, {"width": "half", "height": 0.5}, {"height": 0.5}):
        with pytest.raises(BadValue, match="width"):
            asked(painter, what="cleanest", file=photo, **wrong)
    for what in ("photo", "cleanest", "period"):
        with pytest.raises(UnreadablePicture, match="no longer exists"):
            asked(stranger, what=what, file=photo, width=0.5, height=0.5)


def test_a_period_is_told_as_the_source_takes_it(painter):
    recipe = Recipe.parse({"size": [90, 70], "repeat": "half-drop", "source": {"name": "noise"}})
    large = cloth(recipe.render(), recipe.repeat, 0, 0, 360, 400)
    tile = take_upload(painter, "cloth.png", png_bytes(straight_8bit(large)))
    file = tile.latest.recipe["source"]["values"]["file"]
    facts, _ = asked(painter, what="period", file=file)
    assert (facts["size"], facts["repeat"], facts["stagger"]) == ((90, 70), "half-drop", "1/2")
    values = {"file": file, "period": [facts["start"], facts["across"], facts["down"]]}
    told = {"size": facts["size"], "repeat": facts["repeat"], "stagger": facts["stagger"]}
    read, _ = asked(painter, what="tile-readings", recipe={**told, "source": {"name": "picture", "values": values}})
    assert read["seam"]["verdict"] == "seamless"


def test_stains_are_told_in_shares_of_the_tile(painter, photo):
    recipe = {"size": [320, 240], "source": {"name": "photo", "values": {"file": photo}}}
    stains = asked(painter, what="stains", recipe=recipe)[0]["stains"]
    assert all(0 <= one["x"] < 1 and 0 <= one["y"] < 1 and 0 < one["r"] <= 0.2 for one in stains)


def test_a_tile_is_squinted_at_from_known_distances_only(painter):
    recipe = {"size": [256, 256], "source": {"name": "screen", "values": {"ruling": 60}}}
    near, far = (asked(painter, what="tile", recipe=recipe, squint=mm)[1] for mm in (0, 4000))
    assert far[..., :3].std() < 0.1 * near[..., :3].std()
    with pytest.raises(BadValue, match="squint=7: must be 0 or one of 600, 4000 mm"):
        asked(painter, what="tile", recipe=recipe, squint=7)


def test_what_takes_long_is_seen_small_and_says_so(painter):
    recipe = {"size": [4000, 3000], "repeat": "half-drop", "source": {"name": "noise", "values": {"octaves": 1}}}
    facts, pixels = asked(painter, what="tile", recipe=recipe, level=0)
    assert facts["preview"]
    assert facts["size"] == [4000, 3000]
    assert facts["stagger_px"] == 1500
    assert facts["shown"] == [1024, 768]
    assert pixels.shape[:2] == (768, 1024)
    assert not asked(painter, what="tile", recipe={**recipe, "size": [400, 300]})[0]["preview"]


def test_readings_come_quick_or_full_with_what_would_mend(painter, photo):
    recipe = {"size": [320, 240], "source": {"name": "photo", "values": {"file": photo}}}
    quick, full = (asked(painter, what="tile-readings", recipe=recipe, quick=quick)[0] for quick in (True, False))
    assert (quick["full"], full["full"]) == (False, True)
    assert "mend-border" in [one["step"] for one in full["advice"]]
    mended = {**recipe, "steps": [{"name": "even-light"}, {"name": "mend-border"}]}
    assert asked(painter, what="tile-readings", recipe=mended)[0]["advice"] == []


def test_what_was_given_beside_what_was_asked_is_told(painter):
    recipe = {"size": [300, 300], "source": {"name": "screen", "values": {"ruling": 12, "angle": 33}}}
    given = asked(painter, what="tile", recipe=recipe)[0]["given"]
    assert [one["title"] for one in given] == ["Ruling", "Angle"]
    assert given[1]["asked"] == 33


def test_one_stroke_is_painted_through_a_grain(painter, stranger):
    tile = create_tile(painter, "Fog", {"size": [64, 64], "source": {"name": "screen", "values": {"ruling": 8}}})
    number = tile.latest.pk
    facts, stroke = asked(painter, what="grain-stroke", tile_version=number, tone={}, scale="1/1")
    assert (facts["width"], facts["height"]) == (420, 120)
    paint = (stroke[..., 0] < 128).mean()
    bare = asked(painter, what="grain-stroke", tile_version=number, tone={"brightness": 1}, scale="1/1")[1]
    assert 0.02 < paint < (bare[..., 0] < 128).mean()
    with pytest.raises(BadValue, match="scale"):
        asked(painter, what="grain-stroke", tile_version=number, tone={}, scale="0")
    with pytest.raises(NotYours):
        asked(stranger, what="grain-stroke", tile_version=number, tone={}, scale="1")


def every_kind() -> dict:
    steps = [{"name": name, "on": n % 2 == 0} for n, name in enumerate(STEPS.names())]
    return {"size": [64, 64], "source": {"name": "mix"}, "steps": steps}


def test_every_step_and_value_has_a_card(client, painter):
    answer = client.post("/tiles/cards/", {"recipe": json.dumps(every_kind())})
    page = answer.content.decode()
    for n, name in enumerate(STEPS.names()):
        assert f'data-step="{n}"' in page
        for value in STEPS.get(name).values:
            shown = f"steps.{n}.values.{value.name}" in page or value.kind == "points"
            assert shown, (name, value.name)
    assert "source.values.under.values.octaves" in page
    refused = client.post("/tiles/cards/", {"recipe": "{"}, headers={"HX-Request": "true"})
    assert refused.status_code == 422
    assert "must be JSON" in refused.content.decode()


@pytest.mark.slow
@pytest.mark.parametrize("source", list(SOURCES), ids=lambda source: source.name)
def test_every_source_has_cards_that_hold_its_recipe(client, painter, source):
    values = {"file": "upload:1"} if any(value.name == "file" for value in source.values) else {}
    recipe = {"size": [64, 64], "source": {"name": source.name, "values": values}}
    page = client.post("/tiles/cards/", {"recipe": json.dumps(recipe)}).content.decode()
    held = page.split('<script id="recipe" type="application/json">')[1].split("</script>")[0]
    assert json.loads(held) == Recipe.parse(recipe).as_dict()
    assert f'value="{source.name}" selected' in page


def test_rows_follow_sources_inside_sources():
    recipe = Recipe.parse({"source": {"name": "gradient"}})
    rows = rows_of(recipe.source.values, recipe.values, "source.values")
    assert [row.path for row in rows] == ["source.values.of", "source.values.colours"]
    assert rows[0].rows[0].path == "source.values.of.values.kind"
    assert "given" not in [group for group, _ in source_groups(False)]
    assert "given" in [group for group, _ in source_groups(True)]


def test_tiles_start_from_any_source_and_from_the_tray(client, painter):
    address = client.post("/tiles/new/", {"source": "knit"}).headers["Location"]
    assert "Knit 1" in client.get(address).content.decode()
    assert client.post("/tiles/new/", {"source": "wool"}).status_code == 422
    assert client.post("/tiles/photo/", {"photo": "moon"}).status_code == 422
    preview = client.get("/tiles/photos/sailcloth.png")
    assert preview["Content-Type"] == "image/png"
    assert client.get("/tiles/photos/moon.png").status_code == 422
    with pytest.raises(OrvixError):
        take_upload(painter, "x", b"")


def test_while_a_value_moves_what_is_seen_small_is_made_small(painter):
    recipe = {"size": [512, 512], "repeat": "half-drop", "source": {"name": "courses"}}
    settled, pixels = asked(painter, what="tile", recipe=recipe, level=1)
    moving, fewer = asked(painter, what="tile", recipe=recipe, level=1, moving=True)
    assert (settled["moving"], moving["moving"]) == (False, True)
    for name in ("size", "repeat", "stagger_px", "level"):
        assert moving[name] == settled[name], name
    assert pixels.shape == fewer.shape == (256, 256, 4)
    assert np.corrcoef(pixels[..., 0].ravel(), fewer[..., 0].ravel())[0, 1] > 0.9
    close, _ = asked(painter, what="tile", recipe=recipe, level=0, moving=True)
    assert close["moving"] is False
