"""The shelf: found by words, kinds, tags and sets; what uses what; the trash; several at once; each painter's own."""

from __future__ import annotations

import pytest

from orvix.errors import BadValue, OrvixError, UnknownName
from orvix_web.brushes.services import create_from_definition, starter_definition
from orvix_web.canvases.models import PathSet
from orvix_web.chain.queries import counts as strip_counts
from orvix_web.errors import InUse, NotYours
from orvix_web.proofs.services import create_proof
from orvix_web.shelf.queries import Asked, counts, shelf, space, uses, words_used
from orvix_web.shelf.services import do
from orvix_web.tiles.models import Tile
from orvix_web.tiles.services import create_tile
from tests.orvix_web.test_painting import opened, store, stroke

pytestmark = pytest.mark.django_db
NOISE = {"size": [64, 64], "source": {"name": "noise"}}


def names(owner, **asked) -> list[str]:
    return [one.thing.name for one in shelf(owner, Asked(**asked))]


@pytest.fixture
def owned(kit, wavy):
    """A tile, a grain, a brush, a canvas painted with it, a proof, and paths."""
    painting, journal = opened(kit.canvas)
    stroke(painting, wavy, 1)
    store(painting, journal)
    create_proof(kit.owner, "canvas", kit.canvas.pk)
    PathSet.objects.create(owner=kit.owner, name="Waves", pieces=[{"points": [], "closed": False}])
    return kit


def test_everything_owned_is_found_by_words_kinds_tags_and_sets(owned):
    owner = owned.owner
    assert {kind: many for kind, _, many in counts(owner)} == {
        "tile": 1, "grain": 1, "brush": 1, "canvas": 1, "proof": 1, "palette": 0, "paths": 1,
        "motif": 0, "surface": 0, "tip": 0,
    }  # fmt: skip
    assert len(names(owner)) == 6
    assert names(owner, kind="paths") == ["Waves"]
    tile, grain = owned.tile, owned.grain
    do(owner, "tag", [f"tile-{tile.pk}", f"grain-{grain.pk}"], "harbour, blue")
    do(owner, "set", [f"grain-{grain.pk}"], "Summer")
    do(owner, "favourite", [f"tile-{tile.pk}"])
    assert set(names(owner, tag="blue")) == {tile.name, grain.name}
    assert names(owner, words="summer HARBOUR") == [grain.name]
    assert names(owner, set_name="Summer") == [grain.name]
    assert names(owner, favourites=True) == [tile.name]
    assert names(owner, words="nothing like it") == []
    assert words_used(owner) == ([("harbour", 2), ("blue", 2)], ["Summer"])
    do(owner, "untag", [f"tile-{tile.pk}"], "blue")
    assert names(owner, tag="blue") == [grain.name]


def test_what_uses_what_is_told_both_ways(owned):
    def told(kind, thing):
        return [[one.kind for one in some] for some in uses(kind, thing)]

    assert told("tile", owned.tile) == [[], ["grain"]]
    assert told("grain", owned.grain) == [["tile"], ["brush"]]
    assert told("brush", owned.brush) == [["grain"], ["canvas"]]
    assert told("canvas", owned.canvas)[1] == ["proof"]
    assert "brush" in told("canvas", owned.canvas)[0]
    assert told("proof", owned.canvas.proofs.get()) == [["canvas"], []]


def test_the_trash_hides_brings_back_and_deletes_for_good_what_nothing_uses(owned, client):
    owner, tile = owned.owner, owned.tile
    do(owner, "trash", [f"tile-{tile.pk}"])
    assert tile.name not in names(owner)
    assert names(owner, trash=True) == [tile.name]
    assert strip_counts(owner)["tile"] == 0
    assert f'href="/tiles/{tile.pk}/"' not in client.get("/tiles/").content.decode()
    assert client.get(f"/tiles/{tile.pk}/").status_code == 200, "what uses it still leads to it"
    with pytest.raises(InUse, match=r"because .* \(grain\) uses it"):
        do(owner, "delete", [f"tile-{tile.pk}"])
    assert Tile.objects.filter(pk=tile.pk).exists()
    do(owner, "restore", [f"tile-{tile.pk}"])
    assert tile.name in names(owner)
    with pytest.raises(BadValue, match="not in the trash"):
        do(owner, "delete", [f"tile-{tile.pk}"])
    chain = [f"tile-{tile.pk}", f"grain-{owned.grain.pk}", f"brush-{owned.brush.pk}", f"canvas-{owned.canvas.pk}"]
    do(owner, "trash", chain)
    with pytest.raises(InUse, match=r"\(proof\) uses it"):
        do(owner, "delete", chain)
    assert len(names(owner, trash=True)) == 4, "all of them or none"
    proof = f"proof-{owned.canvas.proofs.get().pk}"
    do(owner, "trash", [proof])
    do(owner, "delete", [*chain, proof])
    assert names(owner, trash=True) == []
    assert names(owner) == ["Waves"]


def test_several_at_once_are_done_or_none(owned, stranger):
    owner = owned.owner
    other = create_tile(stranger, "Theirs", NOISE)
    with pytest.raises(NotYours):
        do(owner, "trash", [f"tile-{owned.tile.pk}", f"tile-{other.pk}"])
    assert owned.tile.name in names(owner)
    for what, keys, value in (
        ("burn", ["tile-1"], ""), ("trash", [], ""), ("tag", [f"tile-{owned.tile.pk}"], " , "),
        ("rename", [f"tile-{owned.tile.pk}"], ""), ("tag", [f"tile-{owned.tile.pk}"], "x" * 500),
        ("trash", ["sail-1"], ""), ("trash", ["tile-one"], ""),
    ):  # fmt: skip
        with pytest.raises((OrvixError, UnknownName)):
            do(owner, what, keys, value)
    assert names(stranger) == ["Theirs"]


def test_the_page_shows_what_is_found_and_does_what_is_pressed(owned, client, stranger):
    page = client.get("/shelf/").content.decode()
    for name in (owned.tile.name, owned.grain.name, owned.brush.name, owned.canvas.name, "Waves"):
        assert name in page
    found = client.get("/shelf/?kind=brush", headers={"hx-request": "true"}).content.decode()
    assert owned.brush.name in found
    assert "Waves" not in found
    answer = client.post("/shelf/do/", {"what": "rename", "thing": f"tile-{owned.tile.pk}", "value": "Fog bank"})
    assert "Fog bank" in answer.content.decode()
    used = client.get(f"/shelf/grain/{owned.grain.pk}/used/").content.decode()
    assert "Fog bank" in used
    assert owned.brush.name in used
    assert client.get("/shelf/sail/1/used/").status_code == 404
    owned.tile.owner = stranger
    owned.tile.save()
    assert client.get(f"/shelf/tile/{owned.tile.pk}/used/").status_code == 404


def test_what_things_weigh_is_told(owned):
    told = dict(space(owned.owner))
    assert told["canvases"] > 0
    assert list(told.values()) == sorted(told.values(), reverse=True)


def test_tiles_that_are_stamped_are_found_as_tips(painter):
    brush = create_from_definition(painter, "Crust", starter_definition(painter, "barnacle-crust"))
    tips = {use.tile_version.tile.name for use in brush.latest.uses.filter(what="tip")}
    assert set(names(painter, kind="tip")) == tips
    assert len(tips) == len(names(painter, kind="tip")) > 0
    assert {kind: many for kind, _, many in counts(painter)}["tip"] == len(tips)
    assert "Crust" not in names(painter, kind="tip")
