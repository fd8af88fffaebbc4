"""What the proof wall asks, of what, and what is kept of it."""

from __future__ import annotations

import asyncio

import numpy as np
import pytest

from orvix.errors import BadValue, OrvixError, UnknownName
from orvix.proofs.looks import Cloth, Panel, drawn
from orvix.tiles.repeats import Repeat
from orvix_web.canvases.services import create_canvas
from orvix_web.errors import NotYours
from orvix_web.live.benches import ask
from orvix_web.proofs.models import Proof
from orvix_web.proofs.services import FIRST_WALL, create_proof, keep_proof
from orvix_web.proofs.sources import Of, canvas_cloth
from orvix_web.tiles.rendering import tile_pixels
from orvix_web.tiles.services import create_tile
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
    told, pixels = asked(painter, "proof-tile", **of, level=1)
    assert (told["size"], told["repeat"], told["stagger_px"]) == ([120, 80], "half-drop", 40)
    assert pixels.shape == (40, 60, 4)


def test_a_canvas_is_looked_at_with_its_own_resolution_ground_alpha_and_neighbours(painter, wavy):
    told = {"width": 320, "height": 200, "ppi": 200, "joined": True, "ground": ""}
    row = create_canvas(painter, "Lid", told | {"neighbours": "mirror-across"})
    painting, journal = opened(row)
    painting.edit({"what": "layers", "layers": [{"id": 1, "name": "A"}, {"id": 2, "name": "B", "kind": "paint"}]})
    store(painting, journal)
    cloth = canvas_cloth(painting.canvas)
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
        for what in ("proof-look", "proof-readings", "proof-sizes", "print-checks", "proof-tile"):
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
