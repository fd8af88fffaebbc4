"""What the proof wall asks, of what, and what is kept of it."""

from __future__ import annotations

import asyncio
import io
import json

import numpy as np
import pytest

from orvix.errors import BadValue, OrvixError, UnknownName
from orvix.pictures.writing import eight_bit, png_bytes
from orvix.proofs.looks import Cloth, Panel, Shown, drawn
from orvix.tiles.repeats import Repeat
from orvix_web.benches.answers import ask
from orvix_web.canvases.services import create_canvas
from orvix_web.errors import InUse, NotYours
from orvix_web.proofs.models import OwnSurface, Proof
from orvix_web.proofs.own_surfaces import core_surface, create_surface
from orvix_web.proofs.services import FIRST_WALL, create_proof, keep_proof
from orvix_web.proofs.sources import Of, canvas_laid_out
from orvix_web.shelf.queries import Asked, shelf
from orvix_web.shelf.services import do
from orvix_web.tiles.models import Tile
from orvix_web.tiles.rendering import tile_pixels
from orvix_web.tiles.services import create_tile, keep_tile
from tests.orvix_web.test_painting import opened, store, stroke

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def tile(painter):
    recipe = {"size": [120, 80], "repeat": "half-drop", "source": {"name": "noise", "values": {"cells": 4}}}
    return create_tile(painter, "Cloud", recipe)


def asked(owner, what, **told):
    return asyncio.run(ask(owner.pk, {"what": what, **told}))


def test_sizes_and_looks_are_those_of_the_core(painter, tile):
    of = {"of": "tile", "pk": tile.pk}
    facts, _ = asked(painter, "proof-sizes", **of, wall=FIRST_WALL.as_dict() | {"ppi": 100})
    assert facts["repeat_mm"] == pytest.approx((120 / 100 * 25.4, 80 / 100 * 25.4))
    assert facts["looks"][0]["size_mm"] == pytest.approx([4 * side for side in facts["repeat_mm"]])
    assert facts["looks"][2]["size_mm"] == (520, 680)
    made = Cloth.of(tile_pixels(tile.latest), Repeat("half-drop"), 100.0)
    for panel in FIRST_WALL.panels:
        _, pixels = asked(painter, "proof-look", **of, look=panel.as_dict(), ppi=100, px_per_mm=0.5)
        assert np.array_equal(pixels, drawn(panel, made, 0.5))
    quick, _ = asked(painter, "proof-readings", **of, quick=True)
    assert not quick["full"]
    told, pixels = asked(painter, "proof-close", **of, level=1)
    assert (told["size"], told["repeat"], told["stagger_px"]) == ([120, 80], "half-drop", 40)
    assert pixels.shape == (40, 60, 4)


def test_a_canvas_is_looked_at_with_its_own_resolution_ground_alpha_and_neighbours(painter, wavy):
    told = {"width": 320, "height": 200, "ppi": 200, "joined": True, "ground": ""}
    row = create_canvas(painter, "Lid", told | {"neighbours": "mirror-across"})
    painting, journal = opened(row)
    painting.edit({"what": "layers", "layers": [{"id": 1, "name": "A"}, {"id": 2, "name": "B", "kind": "paint"}]})
    store(painting, journal)
    cloth = Cloth.of(*canvas_laid_out(painting.canvas))
    assert cloth.size == (640, 200), "mirrored neighbours are part of what repeats"
    assert cloth.ppi == 200
    assert not cloth.pyramid.px.any(), "where nothing is painted it is clear"
    of = Of("canvas", row)
    assert of.size_mm(999) == pytest.approx((640 / 200 * 25.4, 200 / 200 * 25.4))
    full, _ = asked(painter, "proof-readings", of="canvas", pk=row.pk)
    assert full["fits"] == []
    assert full["joined"]


def test_what_is_not_yours_or_not_known_is_refused(painter, stranger, tile):
    look = Panel().as_dict()
    for told in ({"of": "tile", "pk": tile.pk}, {"of": "brush", "pk": 1}, {"of": "tile", "pk": "1"}, {}):
        for what in ("proof-look", "proof-readings", "proof-sizes", "print-checks", "proof-close", "proof-colours"):
            with pytest.raises((NotYours, UnknownName)):
                asked(stranger, what, **told, look=look, px_per_mm=1, wall=FIRST_WALL.as_dict())
    mine = {"of": "tile", "pk": tile.pk}
    with pytest.raises(BadValue, match="px_per_mm"):
        asked(painter, "proof-look", **mine, look=look)
    with pytest.raises(UnknownName, match="vision"):
        asked(painter, "proof-look", **mine, look=look, px_per_mm=1, vision="x-rays")
    with pytest.raises(UnknownName, match="goods"):
        asked(painter, "print-checks", **mine, goods="sail")


def test_walls_are_kept_in_versions_and_a_bad_one_changes_nothing(painter, tile, wavy):
    proof = create_proof(painter, "tile", tile.pk)
    assert Proof.objects.get().latest.wall == FIRST_WALL.as_dict()
    kept = keep_proof(painter, proof.pk, {"panels": [{"kind": "surface", "surface": "mug"}], "ppi": 150})
    assert (kept.number, kept.of_number) == (2, 1)
    assert bytes(kept.thumbnail).startswith(b"\x89PNG")
    assert bytes(kept.thumbnail) != bytes(proof.versions.first().thumbnail)
    with pytest.raises(OrvixError):
        keep_proof(painter, proof.pk, {"panels": [{"kind": "surface", "surface": "sail"}]})
    assert proof.latest.number == 2


def test_a_proof_follows_what_is_painted(painter, kit, wavy):
    before = Of("canvas", kit.canvas).cloth(300)
    painting, journal = opened(kit.canvas)
    stroke(painting, wavy, 1)
    store(painting, journal)
    kit.canvas.refresh_from_db()
    after = Of("canvas", kit.canvas).cloth(300)
    assert not np.array_equal(before.pyramid.px, after.pyramid.px)


LINES = {"source": {"name": "screen", "values": {"spot": "line", "ruling": 8, "angle": 0}}}
WAYS = [{"name": "Dusk", "swaps": [["#000000", "#102040"], ["#ffffff", "#ffd0a0"]]}]


def is_dusk(plain, dusk):
    for level, colour in ((0, (16, 32, 64, 255)), (255, (255, 208, 160, 255))):
        flat = (plain[..., :3] == level).all(axis=-1)
        assert flat.any()
        assert (dusk[flat] == colour).all()


def test_a_look_shows_a_version_a_layer_or_a_colourway(painter, tile, kit, wavy):
    first = Of("tile", tile).cloth(300)
    keep_tile(painter, tile.pk, LINES | {"size": [60, 80]})
    of = {"of": "tile", "pk": tile.pk}
    wall = {"panels": [{"kind": "repeat"}, {"kind": "repeat", "version": 1}], "ppi": 300}
    facts, _ = asked(painter, "proof-sizes", **of, wall=wall)
    assert facts["looks"][1]["size_mm"][0] == pytest.approx(2 * facts["looks"][0]["size_mm"][0])
    panel = Panel.parse({"kind": "repeat", "version": 1})
    _, seen = asked(painter, "proof-look", **of, look=panel.as_dict(), px_per_mm=2)
    assert np.array_equal(seen, drawn(panel, first, 2))
    _, plain = asked(painter, "proof-close", **of, level=0)
    _, dusk = asked(painter, "proof-close", **of, level=0, shown={"colours": "Dusk"}, colourways=WAYS)
    is_dusk(plain, dusk)
    found, _ = asked(painter, "proof-colours", **of)
    assert {"#000000", "#ffffff"} <= {colour for colour, _ in found["colours"]}
    with pytest.raises(NotYours, match="version=9"):
        asked(painter, "proof-look", **of, look={"kind": "repeat", "version": 9}, px_per_mm=2)
    with pytest.raises(UnknownName, match="colours"):
        asked(painter, "proof-look", **of, look={"kind": "repeat", "colours": "Dawn"}, px_per_mm=2)
    painting, journal = opened(kit.canvas)
    painting.edit({"what": "layers", "layers": [{"id": 1, "name": "A"}, {"id": 2, "name": "B", "kind": "paint"}]})
    stroke(painting, wavy, 1, layer=2)
    store(painting, journal)
    kit.canvas.refresh_from_db()
    on_canvas = Of("canvas", kit.canvas)
    assert [name for _, name in on_canvas.layers()] == ["B", "A"]
    own = on_canvas.laid_out(Shown(layer=2))[0]
    assert np.array_equal(own, painting.canvas.layer_blocks(2).whole()), "one layer, over nothing"
    assert not on_canvas.laid_out(Shown(layer=1))[0].any()


def test_what_is_seen_from_away_has_its_angle(painter, tile):
    wall = {"panels": [{"kind": "distance", "columns": 10, "rows": 5, "metres": 0.6}, {"kind": "repeat"}], "ppi": 25.4}
    facts, _ = asked(painter, "proof-sizes", of="tile", pk=tile.pk, wall=wall)
    # 1200 mm and 400 mm seen from 600 mm: twice the angles whose tangents are 1 and 1/3.
    assert facts["looks"][0]["angle_deg"] == pytest.approx([90, 2 * np.degrees(np.arctan(1 / 3))])
    assert facts["looks"][1]["angle_deg"] is None


def test_a_colourway_is_kept_with_its_wall_and_becomes_a_tile(client, painter, tile):
    of = create_tile(painter, "Lines", LINES | {"size": [64, 64], "repeat": "brick", "stagger": "1/4"})
    proof = create_proof(painter, "tile", of.pk)
    wall = {"panels": [{"kind": "repeat", "colours": "Dusk"}], "ppi": 300, "colourways": WAYS}
    kept = keep_proof(painter, proof.pk, wall)
    assert kept.wall["colourways"] == WAYS
    with pytest.raises(UnknownName):
        keep_proof(painter, proof.pk, wall | {"colourways": []})
    there = client.post(f"/proofs/{proof.pk}/colourway/", {"colourway": json.dumps(WAYS[0])}).headers["Location"]
    made = Tile.objects.get(name="Lines, Dusk")
    assert there == f"/tiles/{made.pk}/"
    assert made.latest.recipe["repeat"] == "brick"
    assert made.latest.recipe["stagger"] == "1/4"
    is_dusk(eight_bit(tile_pixels(of.latest)), eight_bit(tile_pixels(made.latest)))


def test_the_smallest_lines_are_measured(painter, tile):
    lines = create_tile(painter, "Lines", LINES | {"size": [128, 128]})
    found, _ = asked(painter, "proof-readings", of="tile", pk=lines.pk)
    assert 6 <= found["line_px"] <= 9, "eight lines across 128 px, half of each black"
    assert "line_px" not in asked(painter, "proof-readings", of="tile", pk=lines.pk, quick=True)[0]


def picture_of(name="Shed.png", alpha=False):
    rgba = np.full((90, 120, 4), 200, np.uint8)
    rgba[..., 3] = 255
    if alpha:
        rgba[:, :60, 3] = 0
    out = io.BytesIO(png_bytes(rgba))
    out.name = name
    return out


def test_an_own_surface_is_made_dragged_kept_hung_and_kept_while_used(client, painter, tile):
    there = client.post("/proofs/surfaces/new/", {"picture": picture_of()}).headers["Location"]
    row = OwnSurface.objects.get()
    assert there == f"/proofs/surfaces/{row.pk}/"
    assert client.get(there).status_code == 200
    told = {"surface": row.pk, "laying": row.laying, "tile": tile.pk}
    facts, seen = asked(painter, "own-surface", **told, grid=[3, 2], width=240)
    assert seen.shape == (180, 240, 4)
    assert (facts["laying"]["columns"], facts["laying"]["rows"], len(facts["laying"]["points"])) == (3, 2, 12)
    facts, _ = asked(painter, "own-surface", surface=row.pk, laying=facts["laying"], knot=0, to=[0.05, 0.1])
    laying = facts["laying"]
    assert laying["points"][0] == [0.05, 0.1]
    kept = client.post(f"{there}keep/", {"laying": json.dumps(laying), "name": "Shed wall"}).json()
    assert kept == {"name": "Shed wall", "state": 2}
    wall = {"panels": [{"kind": "surface", "surface": f"own:{row.pk}", "x": 5}], "ppi": 300}
    of = {"of": "tile", "pk": tile.pk}
    sizes, _ = asked(painter, "proof-sizes", **of, wall=wall)
    row.refresh_from_db()
    assert sizes["looks"][0]["size_mm"] == pytest.approx(core_surface(row).size_mm)
    _, look = asked(painter, "proof-look", **of, look=wall["panels"][0], px_per_mm=0.5)
    assert (look[..., 3] == 255).all()
    proof = create_proof(painter, "tile", tile.pk)
    assert keep_proof(painter, proof.pk, wall).wall["panels"][0]["surface"] == f"own:{row.pk}"
    assert client.get(f"/proofs/{proof.pk}/").status_code == 200
    do(painter, "trash", [f"surface-{row.pk}"])
    with pytest.raises(InUse, match=r"because Cloud \(proof\) uses it"):
        do(painter, "delete", [f"surface-{row.pk}"])
    assert client.get(shelf(painter, Asked(kind="surface", trash=True))[0].picture).status_code == 200


def test_the_mask_and_shade_of_an_own_surface_are_pictures_like_it(client, painter, tile):
    client.post("/proofs/surfaces/new/", {"picture": picture_of("Board.png", alpha=True)})
    row = OwnSurface.objects.get()
    at = f"/proofs/surfaces/{row.pk}/"
    told = {"surface": row.pk, "laying": row.laying | {"shade": 0}, "tile": tile.pk, "width": 120}
    _, seen = asked(painter, "own-surface", **told)
    _, bare = asked(painter, "own-surface", **told | {"tile": 0})
    assert np.array_equal(seen[:, 62:], bare[:, 62:]), "the tile shows where the picture is clear"
    assert not np.array_equal(seen[30:60, 30:58], bare[30:60, 30:58])
    assert client.post(f"{at}mask/", {"picture": picture_of("Mask.png")}).json() == {
        "state": 2, "mask": True, "shade": False,
    }  # fmt: skip
    assert client.post(f"{at}shade/", {"picture": picture_of("Shade.png")}).json()["shade"]
    wrong = io.BytesIO(png_bytes(np.zeros((90, 90, 3), np.uint8)))
    wrong.name = "Square.png"
    assert client.post(f"{at}mask/", {"picture": wrong}).status_code == 422
    assert client.post(f"{at}mask/", {"none": "1"}).json() == {"state": 4, "mask": False, "shade": True}
    assert client.post(f"{at}sail/", {"none": "1"}).status_code == 422


def test_an_own_surface_is_its_owners(client, painter, stranger, tile):
    row = create_surface(stranger, "Theirs.png", picture_of().read())
    assert client.get(f"/proofs/surfaces/{row.pk}/").status_code == 404
    assert client.post(f"/proofs/surfaces/{row.pk}/keep/", {"laying": json.dumps(row.laying)}).status_code == 404
    theirs = {"kind": "surface", "surface": f"own:{row.pk}"}
    with pytest.raises(NotYours):
        asked(painter, "own-surface", surface=row.pk, laying=row.laying)
    with pytest.raises(NotYours):
        asked(painter, "proof-look", of="tile", pk=tile.pk, look=theirs, px_per_mm=1)
    mine = create_surface(painter, "Mine.png", picture_of().read())
    cases = [
        ({"grid": [0, 2]}, "grid"),
        ({"grid": [1]}, "two numbers"),
        ({"knot": 4, "to": [0, 0]}, "knot"),
        ({"knot": 0, "to": "x"}, "points"),
        ({"width": 9000}, "width"),
        ({"laying": 1}, "surface"),
    ]
    for told, rule in cases:
        with pytest.raises(BadValue, match=rule):
            asked(painter, "own-surface", **{"surface": mine.pk, "laying": mine.laying, **told})
