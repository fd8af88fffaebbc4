"""Motif layouts through services and questions: motifs from files, edits, layers; each painter's own."""

from __future__ import annotations

import asyncio

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from orvix.errors import BadValue, OrvixError
from orvix.pictures.writing import png_bytes
from orvix.tiles.motifs.svg import UnreadableSvg
from orvix_web.benches.answers import ask
from orvix_web.tiles.layouts import create_layout, take_motif
from orvix_web.tiles.models import Tile, Upload
from orvix_web.tiles.services import create_tile, keep_tile

pytestmark = pytest.mark.django_db(transaction=True)

LEAF = b"""<svg xmlns="http://www.w3.org/2000/svg" width="60" height="90">
<path fill="#5f7a3f" d="M30 0L60 45 30 90 0 45Z"/></svg>"""


def asked(owner, **told):
    return asyncio.run(ask(owner.pk, told))


@pytest.fixture
def tile(painter):
    return create_layout(painter, "Catch", {"size": [300, 200], "repeat": "brick"})


def with_items(tile, *items, motifs=(), **more):
    recipe = tile.latest.recipe
    layout = recipe["source"]["values"]["layout"]
    layout["motifs"] += list(motifs)
    layout["items"] = list(items)
    layout |= more
    return recipe


FISH = {"motif": "herring", "x": 80, "y": 60}


def test_a_new_layout_has_the_starter_set_at_hand_and_is_kept_like_any_tile(client, painter):
    response = client.post("/tiles/layout/", {"name": "Catch", "width": "300", "height": "200"}, follow=True)
    tile = Tile.objects.get()
    assert response.redirect_chain[0][0] == f"/tiles/{tile.pk}/layout/"
    page = response.content.decode()
    assert page.count('"kind": "starter"') >= 8
    assert f"/tiles/{tile.pk}/layout/" in client.get("/tiles/").content.decode()
    assert f"/tiles/{tile.pk}/layout/" in client.get(f"/tiles/{tile.pk}/").content.decode()
    noise = create_tile(painter, "Noise")
    assert client.get(f"/tiles/{noise.pk}/layout/").status_code == 404
    kept = keep_tile(painter, tile.pk, with_items(tile, FISH))
    assert kept.readings["seam"]["by_construction"]


def test_motifs_come_from_svg_and_pictures_and_hostile_ones_change_nothing(client, painter):
    svg = take_motif(painter, "leaf.svg", LEAF)[0]
    assert (svg["kind"], svg["name"]) == ("svg", "leaf")
    rgba = np.zeros((20, 30, 4), np.uint8)
    rgba[5:15, 5:25] = [200, 30, 30, 255]
    picture = take_motif(painter, "spot.png", png_bytes(rgba))[0]
    assert picture["kind"] == "picture"
    with pytest.raises(UnreadableSvg, match="script"):
        take_motif(painter, "bad.svg", LEAF.replace(b"<path", b"<script/><path"))
    with pytest.raises(OrvixError):
        take_motif(painter, "not.png", b"nothing of the kind")
    assert Upload.objects.count() == 2
    file = SimpleUploadedFile("leaf.svg", LEAF)
    told = client.post("/tiles/motif/", {"picture": file}, headers={"Accept": "application/json"}).json()
    assert told["motif"]["kind"] == "svg"
    refused = client.post(
        "/tiles/motif/", {"picture": SimpleUploadedFile("x.svg", b"<svg/>" * 2)}, headers={"Accept": "application/json"}
    )
    assert refused.status_code == 422
    assert "not valid SVG" in refused.json()["message"]


def test_questions_of_the_bench(painter, tile):
    motifs = [
        take_motif(painter, "leaf.svg", LEAF)[0],
        {"id": "cork", "kind": "tile", "what": f"tile:{create_tile(painter, 'Cork').latest.pk}"},
    ]
    items = [FISH, {"motif": motifs[0]["id"], "x": 200, "y": 100}, {"motif": "cork", "x": 240, "y": 40, "scale": 0.05}]
    recipe = with_items(tile, *items, motifs=motifs)
    facts, pixels = asked(painter, what="layout", recipe=recipe)
    assert [one["id"] for one in facts["motifs"]][-2:] == [motifs[0]["id"], "cork"]
    assert facts["motifs"][-2]["colours"] == ["#5f7a3f"]
    assert len(facts["links"]) >= 2
    assert pixels.shape == (facts["thumb"] * 10, facts["thumb"], 4)
    facts, _ = asked(painter, what="layout-edit", recipe=recipe, chosen=[0], edit={"what": "move", "x": 5, "y": 6})
    assert facts["recipe"]["source"]["values"]["layout"]["items"][0]["x"] == 85
    assert facts["chosen"] == [0]
    basis = {"what": "basis", "dragged": "a", "a": [320, 100], "b": [0, 200]}
    facts, _ = asked(painter, what="layout-edit", recipe=recipe, chosen=[], edit=basis)
    assert (facts["recipe"]["size"], facts["recipe"]["repeat"], facts["recipe"]["stagger"]) == (
        [320, 200],
        "half-drop",
        "1/2",
    )
    kept = with_items(tile, *items, motifs=motifs, keep_px=15)
    facts, _ = asked(painter, what="layout-move", recipe=kept, chosen=[0], x=110, y=40, last=[0, 0])
    assert facts["links"][0]["px"] >= 14
    facts, pixels = asked(painter, what="layout-layers", recipe=recipe, chosen=[1], level=0)
    assert [one["moving"] for one in facts["layers"]] == [False, True, False]
    assert pixels.shape[1] == sum(one["width"] * one["height"] for one in facts["layers"])
    facts, pixels = asked(painter, what="tile", recipe=recipe)
    assert facts["proven"]
    assert pixels.shape == (200, 300, 4)


@pytest.mark.parametrize(
    ("told", "words"),
    [
        ({"what": "layout-edit", "chosen": [9], "edit": {"what": "delete"}}, "chosen=9"),
        ({"what": "layout-edit", "chosen": "all"}, "must be a list"),
        ({"what": "layout-layers", "chosen": [0], "level": 99}, "level=99"),
        ({"what": "layout-layers", "chosen": [7]}, "below 1"),
        ({"what": "layout-move", "chosen": [0], "x": "far", "y": 0}, "numbers of px"),
    ],
)
def test_bad_questions_are_refused_with_the_rule(painter, tile, told, words):
    with pytest.raises(BadValue, match=words):
        asked(painter, recipe=with_items(tile, FISH), **told)


def test_another_painters_motifs_are_not_at_hand(painter, stranger, tile):
    mine = [take_motif(painter, "leaf.svg", LEAF)[0], {"id": "t", "kind": "tile", "what": f"tile:{tile.latest.pk}"}]
    for motif in mine:
        recipe = with_items(tile, {"motif": motif["id"], "x": 9, "y": 9}, motifs=[motif])
        for what in ("layout", "tile", "tile-readings"):
            with pytest.raises(OrvixError, match="no longer exists"):
                asked(stranger, what=what, recipe=recipe)
    with pytest.raises(BadValue, match="must be a motif layout"):
        asked(painter, what="layout", recipe=create_tile(painter, "Noise").latest.recipe)
