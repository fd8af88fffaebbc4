"""Tiles drawn by hand, through the services: published, split off, dropped; and what follows a tile when it changes."""

from __future__ import annotations

import asyncio
import json
from fractions import Fraction
from io import BytesIO

import numpy as np
import pytest
from django.http import Http404
from PIL import Image

from orvix.errors import OrvixError
from orvix.tiles.joining import NEIGHBOURS
from orvix.tiles.repeats import Repeat, cloth
from orvix_web.benches import answers as benches
from orvix_web.brushes.services import create_brush, create_from_definition, create_tip_brush, starter_definition
from orvix_web.canvases.drawings import create_drawing, owned_drawing, publish_drawing, split_off_drawing
from orvix_web.canvases.models import Canvas, KeptState
from orvix_web.canvases.storage import load
from orvix_web.chain.following import follow, followers, publish
from orvix_web.errors import NotYours
from orvix_web.tiles.models import Snapshot, Tile
from orvix_web.tiles.rendering import tile_state
from orvix_web.tiles.services import create_grain, create_tile, keep_tile, split_off
from tests.drafting import put, shown
from tests.orvix_web.test_painting import opened, stroke

pytestmark = pytest.mark.django_db


@pytest.fixture
def drawing(painter):
    create_from_definition(painter, "Liner", starter_definition(painter, "harbour-liner"))
    told = {"width": 180, "height": 150, "repeat": "half-drop", "stagger": "1/2", "ground": "#f2efe6"}
    return create_drawing(painter, "Kelp", told)


@pytest.fixture
def wavy(wavy):
    """The wave in eighths of a px, so that whole px can be added to it without rounding."""
    return np.round(wavy * 8) / 8


def painted(tile, wavy, **told):
    painting, journal = opened(tile.drawing)
    stroke(painting, wavy, 1, **told)
    return painting, journal


def published(tile, painter):
    row = owned_drawing(painter, tile.pk)
    return publish_drawing(row, load(row).canvas, row.revision)


@pytest.mark.slow
@pytest.mark.parametrize("neighbours", NEIGHBOURS)
def test_a_drawn_tile_closes_wherever_the_marks_are_proven_by_moving_it(painter, wavy, neighbours):
    create_from_definition(painter, "Liner", starter_definition(painter, "harbour-liner"))
    told = {"width": 90, "height": 70, "repeat": "straight", "neighbours": neighbours}
    tile = create_drawing(painter, "Kelp", told)
    painting, _ = painted(tile, wavy)
    state = tile_state(published(tile, painter))
    assert state.proven
    joining = painting.canvas.spec.joined
    assert (state.width, state.height) == joining.whole_size(90, 70)
    part = painting.canvas.pixels()
    assert np.array_equal(state.pixels, joining.unfold(part))
    # The same stroke made on the cloth anywhere else gives the same cloth.
    other = create_drawing(painter, "Kelp again", told)
    again, _ = opened(other.drawing)
    (ax, ay), (bx, by) = joining.basis(90, 70)
    stroke(again, wavy + np.array([0, 2 * ax - bx, 2 * ay - by, 0, 0, 0, 0]), 1)
    assert np.array_equal(again.canvas.pixels(), part)


def test_publishing_keeps_the_pixels_the_steps_and_a_state_to_come_back_to(drawing, painter, wavy):
    recipe = drawing.latest.recipe | {"steps": [{"name": "negative", "values": {}, "on": True}]}
    keep_tile(painter, drawing.pk, recipe)
    painting, _ = painted(drawing, wavy)
    version = published(drawing, painter)
    assert [one["name"] for one in version.recipe["steps"]] == ["negative"]
    assert version.recipe["repeat"] == "half-drop"
    assert version.readings["seam"]["by_construction"]
    want = painting.canvas.pixels()
    assert np.abs(tile_state(version).pixels[..., :3].astype(int) - (65535 - want[..., :3].astype(int))).max() <= 1
    assert Snapshot.objects.count() == 2
    kept = [one.tile_version.number for one in KeptState.objects.filter(canvas=drawing.drawing)]
    assert kept == [1, 3]
    row = owned_drawing(painter, drawing.pk)
    assert row.published == row.revision


def test_a_drawing_read_under_another_repeat_or_from_a_file_is_not_called_proven(drawing, painter, wavy):
    painted(drawing, wavy)
    version = published(drawing, painter)
    other = keep_tile(painter, drawing.pk, version.recipe | {"repeat": "straight"})
    assert not other.readings["seam"]["by_construction"]
    assert not tile_state(keep_tile(painter, drawing.pk, version.recipe | {"size": [360, 300]})).proven


def test_the_frame_says_which_part_of_the_cloth_is_the_tile(drawing, painter, wavy):
    painting, _ = painted(drawing, wavy)
    Canvas.objects.filter(tile=drawing).update(settings={"frame_x": 37, "frame_y": -20})
    pixels = tile_state(published(drawing, painter)).pixels
    want = cloth(painting.canvas.pixels(), Repeat("half-drop", Fraction(1, 2)), -20, 37, 150, 180)
    assert np.array_equal(pixels, want)


def test_a_drawing_split_off_is_drawn_on_layers_and_all(drawing, painter, wavy):
    painting, _ = painted(drawing, wavy)
    first = painting.canvas.stack[0].as_dict()
    painting.edit({"what": "layers", "layers": [first, {"id": 2, "name": "Over"}]})
    stroke(painting, wavy + np.array([0, 60, 0, 0, 0, 0, 0]), 2, layer=2)
    row = owned_drawing(painter, drawing.pk)
    tile = split_off_drawing(row, painting.canvas, "Kelp, dense")
    assert (tile.name, tile.latest.number, drawing.latest.number) == ("Kelp, dense", 1, 1)
    other = load(tile.drawing).canvas
    assert [one.name for one in other.stack] == ["Layer 1", "Over"]
    assert np.array_equal(other.pixels(), painting.canvas.pixels())
    assert np.array_equal(tile_state(tile.latest).pixels, painting.canvas.pixels())
    painting, _ = opened(tile.drawing)
    stroke(painting, wavy, 1, layer=2)
    assert painting.undo()[0] == 1


def test_pages_of_a_drawing(client, painter, drawing):
    draw = f"/tiles/{drawing.pk}/draw/"
    assert "closes" not in client.get(draw).content.decode()[:40]
    assert "Half move" in client.get(draw).content.decode()
    assert draw in client.get("/tiles/").content.decode()
    assert draw in client.get(f"/tiles/{drawing.pk}/").content.decode()
    told = {"height": "200", "width": "999", "repeat": "honeycomb", "name": "Cells", "bare": "1"}
    response = client.post("/tiles/draw/", told, follow=True)
    row = Canvas.objects.get(tile__name="Cells")
    assert response.redirect_chain[0][0] == f"/tiles/{row.tile_id}/draw/"
    assert (row.width, row.repeat, row.stagger, row.ground) == (173, "half-drop", "1/2", "")
    response = client.post(f"{draw}settings/", {"settings": json.dumps({"grid": True, "columns": 5})})
    assert response.json()["columns"] == 5
    assert Canvas.objects.get(tile=drawing).settings["grid"]
    assert client.post(f"{draw}publish/").status_code == 200
    assert drawing.latest.number == 2
    answer = client.post(f"{draw}split/", {"name": "Half"}).json()
    assert answer["state"] == 2
    assert client.get(answer["href"]).status_code == 200
    assert Tile.objects.filter(name="Half").exists()
    assert client.get("/tiles/999/draw/").status_code == 404


@pytest.mark.parametrize(
    ("settings", "words"),
    [
        ({"columns": 0}, "Columns cannot be 0"),
        ({"colour": 1}, "named colour"),
        ({"outline": [[0, 0], [1, 0.5], [0.5, 1]]}, "cover a corner"),
        ({"outline": [[0.2, 0.2], [0.8, 0.8], [0.8, 0.2], [0.2, 0.8]]}, "cross itself"),
        ([], "an object of named values"),
    ],
)
def test_bad_guides_are_refused_with_the_rule(client, painter, drawing, settings, words):
    response = client.post(f"/tiles/{drawing.pk}/draw/settings/", {"settings": json.dumps(settings)})
    assert response.status_code == 422
    assert words in response.content.decode().replace("&#x27;", "'")


def test_a_drawing_too_large_when_unfolded_or_torn_by_its_stagger_is_refused(painter):
    for told, words in (
        ({"width": 4096, "height": 4096, "neighbours": "mirror-across"}, "a whole tile has at most"),
        (
            {"width": 64, "height": 60, "repeat": "half-drop", "stagger": "1/3", "neighbours": "glide-across"},
            "does not work",
        ),
    ):
        with pytest.raises(OrvixError, match=words):
            create_drawing(painter, "Large", told)
    assert not Tile.objects.exists()
    assert not Canvas.objects.exists()


def test_a_version_is_unrolled_or_the_sizes_are_named_that_would_allow_it(client, painter, drawing, wavy):
    painted(drawing, wavy)
    version = published(drawing, painter)
    response = client.get(f"/tiles/{drawing.pk}/unrolled.png")
    assert response["Content-Disposition"] == 'attachment; filename="kelp-v2.png"'
    got = np.asarray(Image.open(BytesIO(response.content)))
    state = tile_state(version)
    want = cloth(state.pixels, state.repeat, 0, 0, 150, 360)[..., :3]
    assert np.abs(got.astype(int) - want.astype(int) / 257).max() <= 1
    keep_tile(painter, drawing.pk, version.recipe | {"stagger": "1/7"})
    response = client.get(f"/tiles/{drawing.pk}/unrolled.png")
    assert response.status_code == 422
    assert "a height of 147 or 154 px" in response.content.decode()
    assert "Needs a height of 147 or 154 px" in client.get(f"/tiles/{drawing.pk}/").content.decode()


@pytest.mark.django_db(transaction=True)
def test_bench_questions_about_a_drawing_and_nobody_elses(painter, stranger, drawing, wavy):
    painting, journal = painted(drawing, wavy)
    journal.keep(painting.keep_state()[0], b"")
    row = drawing.drawing.pk

    def ask(owner, **told):
        return asyncio.run(benches.ask(owner.pk, told | {"canvas": row}))

    facts, _ = ask(painter, what="drawing-readings", quick=False)
    assert facts["full"]
    assert facts["seam"]["by_construction"]
    facts, rgba = ask(painter, what="kept-state", state=2, level=0)
    assert (facts["width"], facts["height"], facts["stagger_px"]) == (180, 150, 75)
    assert np.array_equal(rgba[..., :3], painting.canvas.view((0, 0, 180, 150))[..., :3])
    assert ask(painter, what="layer", layer=1)[1].shape[2] == 4
    for told in ({"what": "drawing-readings"}, {"what": "kept-state", "state": 1}, {"what": "layer", "layer": 1}):
        with pytest.raises(OrvixError, match="no longer exists"):
            ask(stranger, **told)
    with pytest.raises(OrvixError, match="no longer exists"):
        ask(painter, what="kept-state", state=7)


@pytest.fixture
def chain(painter):
    """A tile, two grains read from it, a brush through one of them, a brush that stamps it, and a brush of its own."""
    tile = create_tile(painter, "Cork", {"size": [64, 64], "source": {"name": "noise", "values": {"cells": 6}}})
    grains = [create_grain(painter, tile.latest.pk, name, {"negative": name == "Dark"}) for name in ("Light", "Dark")]
    through = create_brush(painter, "Through", grains[0].latest.pk)
    stamps = create_tip_brush(painter, tile.latest.pk)
    return tile, grains, through, stamps, create_brush(painter, "Plain")


CHANGED = {"size": [64, 64], "source": {"name": "noise", "values": {"cells": 9}}}


def test_everything_that_follows_a_tile_follows_and_old_versions_stay(painter, chain):
    tile, (light, dark), through, stamps, plain = chain
    assert [one.thing.name for one in followers(tile)] == ["Dark", "Light", "Cork stamps", "Through"]
    version = publish(painter, tile.pk, CHANGED)
    assert version.number == 2
    for grain in (light, dark):
        assert grain.latest.number == 2
        assert grain.latest.tile_version == version
        assert grain.latest.tone == grain.versions.get(number=1).tone
    assert through.latest.grain_version == light.latest
    assert through.latest.definition["coats"][0]["grain"]["source"] == {"grain_version": light.latest.pk}
    assert stamps.latest.tip_version == version
    assert (through.latest.number, stamps.latest.number, plain.latest.number) == (2, 2, 1)
    assert bytes(light.latest.thumbnail) != bytes(light.versions.get(number=1).thumbnail)


def test_only_what_is_chosen_follows(painter, chain):
    tile, (light, dark), through, stamps, _ = chain
    publish(painter, tile.pk, CHANGED, [f"grain:{dark.pk}", f"brush:{through.pk}"])
    # The brush was chosen, but its grain stays: it has nothing to follow.
    assert (light.latest.number, dark.latest.number, through.latest.number, stamps.latest.number) == (1, 2, 1, 1)
    with pytest.raises(OrvixError, match="does not use the tile"):
        publish(painter, tile.pk, CHANGED, ["brush:99999"])
    assert tile.latest.number == 2


def test_nobody_elses_things_follow(painter, stranger, chain):
    tile, *_ = chain
    with pytest.raises(Http404):
        publish(stranger, tile.pk, CHANGED)
    with pytest.raises(Http404):
        follow(stranger, tile.latest, None)
    assert all(one.thing.latest.number == 1 for one in followers(tile))


def test_a_draft_is_kept_until_it_is_published_split_off_or_dropped(client, painter, chain):
    tile, *_ = chain
    put(painter, "tile", tile.pk, CHANGED)
    page = client.get(f"/tiles/{tile.pk}/").content.decode()
    assert '"cells": 9' in page
    assert "Cork stamps" in page
    assert '"cells": 9' not in client.get(f"/tiles/{tile.pk}/?version=1").content.decode()
    answer = client.post(f"/tiles/{tile.pk}/split/", {"name": "Cork, fine", "recipe": json.dumps(CHANGED)}).json()
    fresh = Tile.objects.get(name="Cork, fine")
    assert answer["href"] == f"/tiles/{fresh.pk}/"
    assert fresh.latest.recipe["source"]["values"]["cells"] == 9
    assert (shown(painter, "tile", tile.pk).changed, tile.latest.number) == (False, 1)
    put(painter, "tile", tile.pk, CHANGED)
    publish(painter, tile.pk, CHANGED)
    assert not shown(painter, "tile", tile.pk).changed


def test_only_the_owner_splits_a_tile_off(painter, stranger, chain):
    tile, *_ = chain
    with pytest.raises(NotYours):
        split_off(stranger, tile.pk, "Mine", CHANGED)
    assert Tile.objects.count() == 1
