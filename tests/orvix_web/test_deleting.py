"""Deleting for good: refused with the users named, whatever they are and wherever they are."""

from __future__ import annotations

from io import BytesIO

import numpy as np
import pytest
from PIL import Image

from orvix.canvases.fills import Fill
from orvix.canvases.layers import Layer
from orvix_web.brushes.models import Brush
from orvix_web.brushes.services import create_brush, create_tip_brush
from orvix_web.canvases.drawings import create_drawing
from orvix_web.canvases.journal import Journal
from orvix_web.canvases.models import Canvas, Palette, PathSet
from orvix_web.canvases.services import create_canvas, create_canvas_of_tile
from orvix_web.canvases.storage import load
from orvix_web.drafts.models import Draft
from orvix_web.errors import InUse
from orvix_web.live.painting import open_painting
from orvix_web.proofs.models import Order, OwnSurface, Proof
from orvix_web.proofs.own_surfaces import create_surface
from orvix_web.proofs.services import create_proof, keep_proof
from orvix_web.shelf.services import do
from orvix_web.shelf.users import users_of
from orvix_web.tiles.models import Grain, Tile
from orvix_web.tiles.services import create_grain, create_tile
from tests.drafting import put, shown
from tests.orvix_web.test_painting import stroke

pytestmark = pytest.mark.django_db

LAYERS = {"what": "layers"}


def layers(*stack: Layer) -> dict:
    return LAYERS | {"layers": [one.as_dict() for one in stack]}


@pytest.fixture
def tile(painter):
    return create_tile(painter, "Net", {"size": [64, 64], "source": {"name": "noise", "values": {"cells": 4}}})


def refused(owner, kind: str, thing, *users: str) -> None:
    """It stays in the trash, and the refusal names its users."""
    key = f"{kind}-{thing.pk}"
    do(owner, "trash", [key])
    with pytest.raises(InUse) as told:
        do(owner, "delete", [key])
    assert all(user in str(told.value) for user in users), told.value
    assert type(thing).objects.filter(pk=thing.pk).exists()


def deleted(owner, kind: str, thing) -> None:
    key = f"{kind}-{thing.pk}"
    do(owner, "trash", [key])
    do(owner, "delete", [key])
    assert not type(thing).objects.filter(pk=thing.pk).exists()


def test_a_tile_stays_while_a_canvas_is_filled_with_it(painter, tile):
    canvas = create_canvas_of_tile(painter, "Endpaper", tile.pk, 2, 2)
    before = load(canvas).canvas.view((0, 0, 128, 128))
    assert before[..., :3].std() > 1
    refused(painter, "tile", tile, "Endpaper (canvas)")
    assert np.array_equal(load(canvas).canvas.view((0, 0, 128, 128)), before)
    # In the trash the canvas counts as well: it can be restored from there.
    do(painter, "trash", [f"canvas-{canvas.pk}"])
    refused(painter, "tile", tile, "Endpaper (canvas, in the trash)")
    deleted(painter, "canvas", canvas)
    deleted(painter, "tile", tile)


def test_a_tile_stays_while_only_the_history_of_a_canvas_has_it(painter, tile):
    canvas = create_canvas(painter, "Quay", {"width": 64, "height": 64})
    painting = open_painting(canvas, Journal(canvas.pk, painter.pk))
    painting.edit(layers(Layer(2, "Net", kind="fill", fill=Fill(tile=tile.pk)), Layer()))
    painting.edit(layers(Layer()))
    refused(painter, "tile", tile, "Quay (canvas)")
    assert painting.undo()[0]
    assert painting.canvas.view((0, 0, 64, 64))[..., :3].std() > 1


def test_a_tile_stays_while_a_drawing_a_tip_a_grain_or_a_proof_is_of_it(painter, tile):
    drawing = create_drawing(painter, "Kelp", {"width": 64, "height": 64})
    painting = open_painting(drawing.drawing, Journal(drawing.drawing.pk, painter.pk))
    painting.edit(layers(Layer(2, "Net", kind="fill", fill=Fill(tile=tile.pk)), Layer()))
    create_grain(painter, tile.latest.pk, "Net grain")
    create_tip_brush(painter, tile.latest.pk)
    create_proof(painter, "tile", tile.pk)
    users = users_of("tile", tile)
    assert users[:2] == ["Net grain (grain)", "Net stamps (brush)"]
    assert set(users[2:]) == {"Kelp (tile)", "Net (proof)"}
    refused(painter, "tile", tile, "Net grain (grain)", "Net stamps (brush)", "Kelp (tile)", "Net (proof)")


def test_a_tile_stays_while_another_recipe_names_a_version_of_it(painter, tile):
    source = {"name": "picture", "values": {"file": f"tile:{tile.latest.pk}"}}
    other = create_tile(painter, "Blender", {"size": [64, 64], "source": source})
    refused(painter, "tile", tile, "Blender (tile)")
    # Both at once go, the user first.
    do(painter, "trash", [f"tile-{other.pk}"])
    do(painter, "delete", [f"tile-{tile.pk}", f"tile-{other.pk}"])
    assert not Tile.objects.exists()


def test_what_only_a_draft_names_stays(painter, tile):
    grain = create_grain(painter, tile.latest.pk, "Net grain")
    brush = create_brush(painter, "Chalk")
    value = shown(painter, "brush", brush.pk).value
    value["coats"][0]["grain"] = {"source": {"grain_version": grain.latest.pk}, "scale": "1/2"}
    put(painter, "brush", brush.pk, value)
    refused(painter, "grain", grain, "Chalk (brush)")
    deleted(painter, "brush", brush)
    assert not Draft.objects.exists()
    deleted(painter, "grain", grain)


def test_a_brush_stays_while_anything_is_painted_or_outlined_with_it_drawings_too(painter, tile, wavy):
    brush = create_brush(painter, "Chalk")
    drawing = create_drawing(painter, "Kelp", {"width": 320, "height": 200})
    stroke(open_painting(drawing.drawing, Journal(drawing.drawing.pk, painter.pk)), wavy, 1, brush=brush.latest.pk)
    refused(painter, "brush", brush, "Kelp (tile)")


def test_a_grain_stays_while_a_brush_paints_through_it(painter, tile):
    grain = create_grain(painter, tile.latest.pk, "Net grain")
    create_brush(painter, "Wash", grain.latest.pk)
    refused(painter, "grain", grain, "Wash (brush)")


def test_an_own_surface_stays_while_a_proof_or_its_draft_shows_it(painter, tile):
    data = BytesIO()
    Image.new("RGB", (64, 48), "#c8b48c").save(data, "PNG")
    surface = create_surface(painter, "Wall.png", data.getvalue())
    proof = create_proof(painter, "tile", tile.pk)
    wall = shown(painter, "proof", proof.pk).value
    hung = {**wall, "panels": [{"kind": "surface", "surface": f"own:{surface.pk}"}]}
    put(painter, "proof", proof.pk, hung)
    refused(painter, "surface", surface, "Net (proof)")
    keep_proof(painter, proof.pk, hung)
    refused(painter, "surface", surface, "Net (proof)")
    deleted(painter, "proof", proof)
    deleted(painter, "surface", surface)
    assert not OwnSurface.objects.exists()


def test_a_canvas_stays_while_a_proof_is_of_it_and_a_proof_while_an_order_is_under_way(painter, tile):
    canvas = create_canvas(painter, "Quay", {"width": 64, "height": 64})
    proof = create_proof(painter, "canvas", canvas.pk)
    refused(painter, "canvas", canvas, "Quay (proof)")
    told = {"name": "2 totes", "of_number": 1, "goods": "tote", "copies": 2, "ppi": 300, "token": "t"}
    order = Order.objects.create(owner=painter, proof=proof, **told)
    refused(painter, "proof", proof, "2 totes (order)")
    Order.objects.filter(pk=order.pk).update(state=Order.State.READY)
    deleted(painter, "proof", proof)
    deleted(painter, "canvas", canvas)
    assert not Proof.objects.exists()
    assert not Canvas.objects.exists()


def test_palettes_and_path_sets_are_copied_where_they_are_used_and_may_go(painter):
    canvas = create_canvas(painter, "Quay", {"width": 64, "height": 64})
    colours = [["Rust", "#a2522d"]]
    Canvas.objects.filter(pk=canvas.pk).update(palette=colours)
    palette = Palette.objects.create(owner=painter, name="Harbour", colours=colours)
    paths = PathSet.objects.create(owner=painter, name="Ropes", pieces=[])
    deleted(painter, "palette", palette)
    deleted(painter, "paths", paths)
    canvas.refresh_from_db()
    assert canvas.palette == colours


def test_nobody_elses_things_count(painter, stranger, tile):
    theirs = create_tile(stranger, "Theirs", tile.latest.recipe)
    canvas = create_canvas_of_tile(stranger, "Wall", theirs.pk, 1, 1)
    assert users_of("tile", tile) == []
    assert users_of("tile", theirs) == ["Wall (canvas)"]
    assert canvas.owner == stranger
    deleted(painter, "tile", tile)
    assert Brush.objects.count() == Grain.objects.count() == 0
