"""From anywhere to anywhere: a name is changed on its bench, a proof that is there is opened again, files go out."""

from __future__ import annotations

import json

import pytest

from orvix_web.proofs.models import Proof
from orvix_web.tiles.models import Tile

pytestmark = pytest.mark.django_db
JSON = {"HTTP_ACCEPT": "application/json"}


def test_a_name_is_changed_and_said_again(client, kit, stranger):
    answer = client.post(f"/shelf/tile/{kit.tile.pk}/rename/", {"name": "  Kelp "}, **JSON)
    assert json.loads(answer.content) == {"name": "Kelp"}
    for kind, thing in (("grain", kit.grain), ("brush", kit.brush), ("canvas", kit.canvas)):
        assert client.post(f"/shelf/{kind}/{thing.pk}/rename/", {"name": f"My {kind}"}, **JSON).status_code == 200
        thing.refresh_from_db()
        assert thing.name == f"My {kind}"
    theirs = Tile.objects.create(owner=stranger, name="Theirs")
    for address, name in (
        (f"/shelf/tile/{theirs.pk}/rename/", "Mine"),
        (f"/shelf/tile/{kit.tile.pk}/rename/", " "),
        (f"/shelf/tile/{kit.tile.pk}/rename/", "x" * 121),
        (f"/shelf/thing/{kit.tile.pk}/rename/", "Mine"),
    ):
        answer = client.post(address, {"name": name}, **JSON)
        assert answer.status_code in (404, 422)
        assert json.loads(answer.content)["message"]
    assert set(Tile.objects.values_list("name", flat=True)) == {"Kelp", "Theirs"}


def test_proof_opens_the_proof_a_thing_has(client, kit, stranger):
    first = client.post(f"/proofs/of/tile/{kit.tile.pk}/")
    proof = Proof.objects.get()
    assert first.url == f"/proofs/{proof.pk}/"
    assert client.post(f"/proofs/of/tile/{kit.tile.pk}/").url == first.url
    assert client.post(f"/proofs/of/canvas/{kit.canvas.pk}/").url != first.url
    assert Proof.objects.count() == 2
    client.post("/shelf/do/", {"what": "trash", "thing": f"proof-{proof.pk}"})
    assert client.post(f"/proofs/of/tile/{kit.tile.pk}/").url != first.url, "one in the trash is not opened"
    theirs = Tile.objects.create(owner=stranger, name="Theirs")
    assert client.post(f"/proofs/of/tile/{theirs.pk}/").status_code == 404
    assert client.post(f"/proofs/of/brush/{kit.brush.pk}/").status_code == 404


@pytest.mark.parametrize("bench", ["", "draw/", "layout/"])
def test_every_bench_of_a_tile_leads_to_its_file_and_its_proof(client, painter, bench):
    what = {"": {"source": "noise"}, "draw/": {"width": "64", "height": "64"}, "layout/": {}}[bench]
    client.post({"": "/tiles/new/", "draw/": "/tiles/draw/", "layout/": "/tiles/layout/"}[bench], what)
    tile = Tile.objects.get()
    page = client.get(f"/tiles/{tile.pk}/{bench}").content.decode()
    assert 'id="take-it-out"' in page
    assert f'action="/out/tile/{tile.pk}/"' in page
    assert f'action="/proofs/of/tile/{tile.pk}/"' in page
    assert f'data-rename="/shelf/tile/{tile.pk}/rename/"' in page
