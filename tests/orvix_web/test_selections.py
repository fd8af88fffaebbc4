"""Selections through the log: confined strokes, cuts, copies, filters, over openings, undo and rework; things taken."""

from __future__ import annotations

import json
from io import BytesIO

import numpy as np
import pytest
from django.contrib.auth import get_user_model
from PIL import Image

from orvix.canvases.layers import SELECTION
from orvix.errors import OrvixError
from orvix_web.brushes.services import create_from_definition, starter_definition
from orvix_web.canvases import taking
from orvix_web.canvases.fits import proven_to_close
from orvix_web.canvases.models import Clip
from orvix_web.canvases.services import create_canvas
from orvix_web.canvases.steps import as_it_was_after
from orvix_web.canvases.storage import load
from orvix_web.tiles.rendering import tile_pixels
from tests.orvix_web.test_edits import TOLD
from tests.orvix_web.test_painting import opened, store, stroke

pytestmark = pytest.mark.django_db


@pytest.fixture
def canvas(painter):
    create_from_definition(painter, "Liner", starter_definition(painter, "harbour-liner"))
    return create_canvas(painter, "Drawn", TOLD)


def rectangle(*ends):
    make = {"kind": "rectangle", "start": list(ends[:2]), "end": list(ends[2:])}
    return {"what": "select", "by": {"kind": "shape", "make": make}}


def look(painting):
    canvas = painting.canvas
    return canvas.stack, canvas.pixels(), canvas.layer_blocks(SELECTION).whole()


def same(a, b):
    return a[0] == b[0] and all(np.array_equal(one, other) for one, other in zip(a[1:], b[1:], strict=True))


def history(row, painting, wavy):
    stroke(painting, wavy, 1)
    yield
    painting.edit(rectangle(40, 30, 200, 190))
    yield
    painting.edit({"what": "select", "by": {"kind": "feather", "px": 5}})
    yield
    stroke(painting, wavy, 2, mode="smear")
    yield
    painting.edit({"what": "transform", "layers": [1], "turn": 25, "x": 120, "copy": True})
    yield
    clip = taking.copy_from(row, painting.canvas, [1])
    painting.edit({"what": "paste", "picture": clip.pk, "x": clip.x, "y": clip.y, "layer": 2, "over": 1})
    yield
    painting.edit({"what": "clear", "layers": [1]})
    yield
    painting.edit({"what": "filter", "layers": [2], "step": "blur", "values": {"reach": 1}})
    yield
    painting.edit({"what": "select", "by": {"kind": "none"}})
    yield
    stroke(painting, wavy, 3, layer=2)
    yield


@pytest.mark.slow
@pytest.mark.parametrize("stored_after", [set(), {3, 5, 8}, set(range(1, 11))])
def test_opening_again_undoing_and_painting_from_the_first_step_give_every_state_back(canvas, wavy, stored_after):
    painting, journal = opened(canvas)
    states = [look(painting)]
    for n, _ in enumerate(history(canvas, painting, wavy), 1):
        states.append(look(painting))
        if n in stored_after:
            store(painting, journal)
    assert same(look(opened(canvas)[0]), states[-1])
    again = as_it_was_after(canvas, 10)
    assert np.array_equal(again.pixels(), states[-1][1])
    for n in range(len(states) - 2, -1, -1):
        if n == 5:
            painting, journal = opened(canvas)
        painting.undo()
        assert same(look(painting), states[n]), n
    painting = opened(canvas)[0]
    for n in range(1, len(states)):
        painting.redo()
        assert same(look(painting), states[n]), n


def test_a_stroke_reworked_before_a_selection_by_colour_gives_what_replay_of_the_log_gives(canvas, wavy):
    painting, _ = opened(canvas)
    stroke(painting, wavy, 1)
    stroke(painting, wavy, 2)
    painting.edit({"what": "select", "by": {"kind": "colour", "x": 150, "y": 20, "all": True, "tolerance": 0.2}})
    painting.edit({"what": "pour", "layer": 1, "x": 150, "y": 20, "tolerance": 0.2, "colour": "#2f6f93"})
    painting.edit({"what": "rework", "strokes": [1], "gone": True})
    assert same(look(painting), look(opened(canvas)[0]))
    replayed = as_it_was_after(canvas, 5)
    assert np.array_equal(replayed.pixels(), painting.canvas.pixels())
    assert np.array_equal(replayed.layer_blocks(SELECTION).whole(), painting.canvas.layer_blocks(SELECTION).whole())


def test_a_selection_is_news_that_changes_no_pixel_and_keeps_nothing_proven(canvas, wavy):
    painting, journal = opened(canvas)
    stroke(painting, wavy, 1)
    assert proven_to_close(canvas)
    before = painting.state()["selected"]
    assert painting.edit(rectangle(40, 30, 200, 190)) == []
    after = painting.state()["selected"]
    assert after != before
    store(painting, journal)
    assert painting.state()["selected"] == after, "storing it selects nothing else"
    told = painting.selection({"layers": [1]})
    assert (told["box"], told["frame"]) == ([40, 30, 200, 190], [40, 30, 200, 190])
    assert not proven_to_close(canvas)


def test_a_kept_state_keeps_what_was_selected(canvas, wavy):
    painting, journal = opened(canvas)
    stroke(painting, wavy, 1)
    painting.edit(rectangle(40, 30, 200, 190))
    then = look(painting)
    journal.keep(painting.keep_state()[0], b"png")
    painting.edit({"what": "select", "by": {"kind": "none"}})
    painting.edit({"what": "take-up", "state": 1})
    assert same(look(painting), then)


def test_things_taken_hold_the_pixels_that_were_seen(canvas, wavy):
    painting, journal = opened(canvas)
    stroke(painting, wavy, 1)
    store(painting, journal)
    core = load(canvas).canvas
    taking.take_as(canvas, core, "tile", None, "Whole")
    tile = canvas.owner.tile_set.get(name="Whole").latest
    assert (tile.recipe["repeat"], tile.recipe["stagger"]) == ("half-drop", "1/3"), "a whole canvas keeps its repeat"
    assert tile.readings["seam"]["by_construction"]
    painting.edit(rectangle(40, 30, 200, 190))
    taking.take_as(canvas, painting.canvas, "grain", [1], "Part")
    part = canvas.owner.tile_set.get(name="Part").latest
    layers = painting.canvas.over(canvas.ground).pixels()[30:190, 40:200]
    assert np.abs(tile_pixels(part).astype(int) - layers).max() <= 1
    with pytest.raises(OrvixError, match="kind of thing"):
        taking.take_as(canvas, painting.canvas, "poster", None)
    painting.edit(rectangle(40, 30, 44, 190))
    with pytest.raises(OrvixError, match="at least 8 px"):
        taking.take_as(canvas, painting.canvas, "grain", None)


def test_clips_are_their_owners_and_only_the_last_unused_are_kept(canvas, wavy, client, painter, monkeypatch):
    painting, _ = opened(canvas)
    stroke(painting, wavy, 1)
    monkeypatch.setattr(taking, "KEPT_CLIPS", 2)
    first = taking.copy_from(canvas, painting.canvas, None)
    painting.edit({"what": "paste", "picture": first.pk, "layer": 2})
    made = [taking.copy_from(canvas, painting.canvas, [1]).pk for _ in range(4)]
    assert set(Clip.objects.values_list("pk", flat=True)) == {first.pk, *made[-2:]}
    other = get_user_model().objects.create_user("other")
    theirs = Clip.objects.create(owner=other, name="x", x=0, y=0, width=1, height=1, pixels=b"")
    with pytest.raises(OrvixError, match="no longer exists"):
        painting.edit({"what": "paste", "picture": theirs.pk, "layer": 3})
    assert client.get(f"/canvases/clips/{theirs.pk}.png").status_code == 404
    shown = Image.open(BytesIO(client.get(f"/canvases/clips/{first.pk}.png").content))
    assert (shown.size, shown.mode) == ((301, 277), "RGBA")
    with pytest.raises(OrvixError, match="never told by a page"):
        painting.edit({"what": "paste", "picture": first.pk, "layer": 4, "from": [1]})


def test_a_file_that_is_no_picture_is_refused_by_name(client, painter):
    answer = client.post("/canvases/clips/", {"picture": BytesIO(b"MZ not a picture")}, HTTP_ACCEPT="application/json")
    assert answer.status_code in (413, 415, 422)
    assert "picture" in json.loads(answer.content)["message"]
    assert not Clip.objects.exists()
