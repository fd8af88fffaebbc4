"""Pages: what a painter makes, what is refused by name, and that nobody sees what is not theirs."""

from __future__ import annotations

import json
from io import BytesIO

import numpy as np
import pytest
from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from orvix_web.brushes.models import Brush
from orvix_web.brushes.services import create_brush
from orvix_web.canvases import in_use
from orvix_web.canvases.models import Canvas
from orvix_web.canvases.services import create_canvas
from orvix_web.chain.queries import SLOTS, strip
from orvix_web.proofs.models import Proof
from orvix_web.proofs.services import create_proof
from orvix_web.tiles.models import Grain, Tile, TileVersion, Upload
from orvix_web.tiles.services import create_grain, create_tile

pytestmark = pytest.mark.django_db
PLACES = ("/tiles/", "/brushes/", "/canvases/", "/proofs/")


def picture(kind: str = "PNG") -> SimpleUploadedFile:
    pixels = np.random.default_rng(1).integers(0, 255, (80, 120, 3)).astype(np.uint8)
    out = BytesIO()
    Image.fromarray(pixels).save(out, kind)
    return SimpleUploadedFile(f"deck.{kind.lower()}", out.getvalue())


def pages_of(kit, proof) -> list[str]:
    return [
        f"/tiles/{kit.tile.pk}/", f"/grains/{kit.grain.pk}/", f"/brushes/{kit.brush.pk}/", f"/proofs/{proof.pk}/",
        f"/brushes/{kit.brush.pk}/v1.json", f"/canvases/{kit.canvas.pk}/", f"/canvases/{kit.canvas.pk}/export.png",
    ]  # fmt: skip


def test_every_place_opens_empty_and_full(client, painter):
    for place in PLACES:
        assert client.get(place).status_code == 200
    assert client.get("/").status_code == 200


def test_every_page_of_ones_own_opens_with_the_policy(client, kit):
    proof = create_proof(kit.owner, "canvas", kit.canvas.pk)
    for address in [*PLACES, *pages_of(kit, proof)]:
        response = client.get(address)
        assert response.status_code == 200, address
        assert "script-src 'self'" in response.headers["Content-Security-Policy"]
        text = response.content if "json" in address or "export" in address else response.content.decode()
        if isinstance(text, str):
            assert " style=" not in text, "inline styles are blocked by the policy"
            assert "<script>" not in text


def test_nobody_sees_what_is_not_theirs(client, kit, stranger):
    create_tile(stranger, "Secret")
    tile = Tile.objects.get(owner=stranger)
    grain = create_grain(stranger, tile.latest.pk)
    brush = create_brush(stranger, "Secret brush", grain.latest.pk)
    canvas = create_canvas(stranger, "Secret canvas", {"width": 64, "height": 64})
    proof = create_proof(stranger, "canvas", canvas.pk)
    theirs = type(kit)(owner=stranger, tile=tile, grain=grain, brush=brush, canvas=canvas)
    for address in pages_of(theirs, proof):
        assert client.get(address).status_code == 404, address
    for kind, one in (("tile", tile.latest), ("grain", grain.latest), ("brush", brush.latest), ("canvas", canvas)):
        assert client.get(f"/thumbnails/{kind}/{one.pk}/x.png").status_code == 404
    recipe = json.dumps(tile.latest.recipe)
    for address, data in (
        (f"/tiles/{tile.pk}/keep/", {"recipe": recipe}),
        (f"/grains/{grain.pk}/keep/", {"tone": "{}", "tile_version": tile.latest.pk}),
        (f"/grains/{kit.grain.pk}/keep/", {"tone": "{}", "tile_version": tile.latest.pk}),
        (f"/brushes/{brush.pk}/keep/", {"definition": json.dumps(kit.brush.latest.definition)}),
        (f"/proofs/{proof.pk}/keep/", {"wall": "{}"}),
        ("/grains/new/", {"tile_version": tile.latest.pk}),
        ("/brushes/new/", {"grain_version": grain.latest.pk}),
        ("/proofs/new/", {"canvas": canvas.pk}),
    ):
        assert client.post(address, data).status_code == 404, address
    stolen = json.dumps(brush.latest.definition)
    assert client.post(f"/brushes/{kit.brush.pk}/keep/", {"definition": stolen}).status_code == 422
    for place in PLACES:
        assert "Secret" not in client.get(place).content.decode()
    assert [model.objects.filter(owner=stranger).count() for model in (Tile, Grain, Brush, Canvas, Proof)] == [1] * 5


def test_a_tile_is_made_and_kept_and_older_versions_stay(client, painter):
    address = client.post("/tiles/new/", {"name": "Fog"}).headers["Location"]
    tile = Tile.objects.get(name="Fog")
    recipe = {**tile.latest.recipe, "repeat": "brick"}
    kept = client.post(f"{address}keep/", {"recipe": json.dumps(recipe)})
    assert kept.status_code == 200
    assert "v2, " in kept.content.decode()
    assert [version.recipe["repeat"] for version in tile.versions.all()] == ["straight", "brick"]
    assert tile.latest.readings["seam"]["by_construction"]
    assert 'value="straight" checked' in client.get(f"{address}?version=1").content.decode()


def test_the_chain_takes_up_what_was_just_made(client, painter):
    client.post("/tiles/new/", {"name": "Fog"})
    tile = Tile.objects.get()
    client.post("/grains/new/", {"tile_version": tile.latest.pk})
    client.post("/brushes/new/", {"grain_version": Grain.objects.get().latest.pk})
    brush = Brush.objects.get()
    assert brush.latest.grain_version == Grain.objects.get().latest
    told = {"width": "300", "height": "200", "ppi": "150", "edges": "joined", "ground": "#112233", "repeat": "brick"}
    client.post("/canvases/new/", told)
    canvas = Canvas.objects.get()
    assert (canvas.joined, canvas.repeat, canvas.ppi, canvas.ground) == (True, "brick", 150.0, "#112233")
    client.post("/proofs/new/", {"canvas": canvas.pk})
    links = strip(painter, "brush", brush.pk)
    assert [link.kind for link in links] == ["tile", "grain", "brush", "canvas", "proof"]
    assert [link.linked for link in links] == [False, True, True, False, False]
    assert [link.current for link in links] == [False, False, True, False, False]
    told = client.get(f"/chain/?kind=proof&pk={Proof.objects.get().pk}&place=proofs").content.decode()
    assert "proof v1" in told
    assert client.get("/chain/?kind=nose").status_code == 404


def test_a_picture_is_taken_and_its_seam_reads_visible(client, painter):
    for kind in ("PNG", "JPEG"):
        response = client.post("/tiles/upload/", {"picture": picture(kind)})
        version = Tile.objects.order_by("-pk").first().latest
        assert response.status_code == 302
        assert version.recipe["size"] == [120, 80]
        assert not version.readings["seam"]["by_construction"]


@pytest.mark.parametrize(
    ("data", "message"),
    [
        (b"", "submitted file is empty|Choose a PNG|is empty"),
        (b"hello", "not a picture Orvix can read"),
        (b"\x89PNG\r\n\x1a\nxx", "damaged or incomplete"),
    ],
)
def test_a_bad_file_is_refused_with_the_rule_and_nothing_changes(client, painter, data, message):
    import re

    response = client.post("/tiles/upload/", {"picture": SimpleUploadedFile("kelp.png", data)})
    assert response.status_code == 422
    assert re.search(message, response.content.decode())
    assert not Upload.objects.exists()
    assert not Tile.objects.exists()


def test_a_file_that_is_too_large_is_refused_by_its_size(client, painter):
    large = SimpleUploadedFile("sea.png", b"\x89PNG\r\n\x1a\n" + bytes(70 * 1024 * 1024))
    response = client.post("/tiles/upload/", {"picture": large})
    assert response.status_code == 422
    assert "the limit is 64 MB" in response.content.decode()
    assert not Upload.objects.exists()


FORMS = [
    ("/canvases/new/", {"width": "0", "height": "10"}, "Width cannot be 0. Enter a whole number from 16 to 16384 px."),
    ("/canvases/new/", {"width": "wide", "height": "10"}, "Width cannot be wide."),
    ("/canvases/new/", {"width": "64", "height": "64", "ppi": "0"}, "Resolution cannot be 0. "),
    ("/canvases/new/", {"width": "64", "height": "64", "ppi": "x"}, "must be a number"),
    ("/canvases/new/", {"width": "64", "height": "64", "ground": "red"}, "must be a colour"),
    ("/canvases/new/", {"width": "64", "height": "64", "repeat": "odd"}, "There is no repeat named odd"),
    ("/canvases/new/", {"width": "64", "height": "64", "name": "x" * 121}, "must be 1 to 120 characters"),
    ("/tiles/upload/", {}, "Choose a PNG, JPEG, WebP or TIFF file."),
    ("/grains/new/", {"tile_version": "-1"}, "must be a whole number"),
]


@pytest.mark.parametrize(("address", "data", "message"), FORMS, ids=[row[2][:30] for row in FORMS])
def test_forms_out_of_range_are_refused_by_name_and_rule(client, painter, address, data, message):
    response = client.post(address, data)
    assert response.status_code == 422
    assert message in response.content.decode()
    assert not Canvas.objects.exists()


def test_refusals_answer_as_they_were_asked(client, kit):
    address = f"/tiles/{kit.tile.pk}/keep/"
    bad = {"recipe": json.dumps({**kit.tile.latest.recipe, "seed": -4})}
    fragment = client.post(address, bad, headers={"HX-Request": "true"})
    assert fragment.status_code == 422
    assert "Seed cannot be -4" in fragment.content.decode()
    assert "<html" not in fragment.content.decode()
    told = client.post(address, bad, headers={"Accept": "application/json"}).json()
    assert told["code"] == "bad-value"
    assert client.post(address, {"recipe": "{"}).status_code == 422
    assert client.post(address, {"recipe": "x" * 300_000}).status_code == 422
    assert TileVersion.objects.filter(tile=kit.tile).count() == 1


def test_another_sites_form_is_refused(kit):
    from django.test import Client

    assert Client(enforce_csrf_checks=True).post("/tiles/new/").status_code == 403
    assert Client().get("/tiles/", headers={"Host": "evil.example"}).status_code == 400


def test_the_brush_file_paints_without_a_database_as_the_bench_does(client, kit):
    from orvix.formats.brush_file import load_brush
    from orvix_web.brushes.loading import load_version
    from orvix_web.brushes.trials import SheetOrder, paint_sheet

    data = client.get(f"/brushes/{kit.brush.pk}/v1.json").json()
    outside = load_brush(data, lambda name: pytest.fail(name))
    inside = load_version(kit.owner.pk, kit.brush.latest.pk)
    for factor in (1, 2):
        order = SheetOrder(factor=factor)
        assert np.array_equal(paint_sheet(outside, order).pixels, paint_sheet(inside, order).pixels)


def test_there_is_one_local_painter(client, painter):
    client.get("/tiles/")
    assert get_user_model().objects.count() == 1


def test_the_page_of_an_address_where_nothing_is_asks_for_no_rows(client, painter, django_assert_num_queries, settings):
    """It is rendered on a thread whose session nobody gives back."""
    for sign_in in (False, True):
        settings.SIGN_IN = sign_in
        with django_assert_num_queries(0):
            answer = client.get("/nothing/is/here/")
        assert answer.status_code == 404
        assert "Page not found" in answer.content.decode()


def test_the_strip_shows_the_brush_in_use_and_leads_back_to_the_canvas_a_bench_was_opened_from(client, kit):
    other = create_brush(kit.owner, "Wash")
    second = create_canvas(kit.owner, "Quay", {"width": 64, "height": 64})
    for brush in (kit.brush, other):
        in_use.keep(kit.owner.pk, kit.canvas.pk, {"brush": brush.pk})
        slots = dict(zip(SLOTS, strip(kit.owner, "canvas", kit.canvas.pk), strict=True))
        assert slots["brush"].href == f"/brushes/{brush.pk}/?from={kit.canvas.pk}"
    for canvas in (kit.canvas, second):
        page = client.get(f"/brushes/{kit.brush.pk}/?from={canvas.pk}").content.decode()
        assert f'href="/canvases/{canvas.pk}/"' in page.split("</nav>")[0]
        again = client.get(f"/chain/?kind=brush&pk={kit.brush.pk}&place=brushes&from={canvas.pk}").content.decode()
        assert f'href="/canvases/{canvas.pk}/"' in again
        assert f"/grains/{kit.grain.pk}/?from={canvas.pk}" in again
