"""Painting through the log: what was committed is there after any end, and undo, redo and replay agree bit for bit."""

from __future__ import annotations

import numpy as np
import pytest

from orvix.errors import OrvixError
from orvix_demo.scenario import load_scenario
from orvix_web.brushes.models import Brush
from orvix_web.canvases.journal import Journal
from orvix_web.canvases.models import Canvas, Operation, StoredBlock, UndoBlock
from orvix_web.canvases.rows import load_stroke
from orvix_web.canvases.services import create_canvas
from orvix_web.canvases.storage import load
from orvix_web.live.messages import BadMessage, Batch, Begin, End
from orvix_web.live.painting import Painting, open_painting
from orvix_web.tiles.models import Tile

pytestmark = pytest.mark.django_db


@pytest.fixture
def canvas(painter, make_brush):
    make_brush("Liner", "harbour-liner")
    return create_canvas(painter, "Test", {"width": 700, "height": 400, "joined": True, "ground": "#204060"})


@pytest.fixture
def make_brush(painter):
    from orvix_web.brushes.services import create_from_definition, starter_definition
    from orvix_web.tiles.services import create_grain, create_tile

    def make(name: str, starter: str) -> int:
        grain = None
        if starter in ("sailcloth-chalk", "barnacle-wash"):
            recipe = {"size": [64, 64], "source": {"name": "noise", "values": {"cells": 8}}}
            tile = create_tile(painter, f"{name} tile", recipe)
            grain = create_grain(painter, tile.latest.pk).latest.pk
        return create_from_definition(painter, name, starter_definition(painter, starter, grain)).latest.pk

    return make


def opened(canvas: Canvas) -> tuple[Painting, Journal]:
    journal = Journal(canvas.pk, canvas.owner_id)
    canvas.refresh_from_db()
    return open_painting(canvas, journal), journal


def stroke(painting: Painting, wavy, n: int, **told) -> None:
    brush = told.pop("brush", None) or Brush.objects.first().latest.pk
    painting.begin(Begin(n, {"brush": brush, "seed": n, "colour": "#f0e0c0", "values": {"size": 40}, **told}))
    moved = wavy + np.array([0, 37 * n, 20 * n, 0, 0, 0, 0])
    for first in range(0, len(moved), 17):
        painting.carry_on(Batch(n, first, 0.0, moved[first : first + 17]))
    painting.end(End(n, len(moved)))


def pixels(painting: Painting) -> np.ndarray:
    return painting.canvas.layer.whole()


def store(painting: Painting, journal: Journal) -> None:
    unstored = painting.take_unstored()
    if unstored is not None:
        journal.store(*unstored)


@pytest.mark.parametrize("stored_after", [set(), {1, 2, 3, 4}, {2}, {4}])
def test_opening_again_gives_the_same_pixels_whatever_was_stored_before_the_end(canvas, wavy, make_brush, stored_after):
    chalk = make_brush("Chalk", "sailcloth-chalk")
    painting, journal = opened(canvas)
    for n in range(1, 5):
        stroke(painting, wavy, n, mode="erase" if n == 3 else "paint", brush=chalk if n % 2 else None)
        if n in stored_after:
            store(painting, journal)
    assert np.array_equal(pixels(opened(canvas)[0]), pixels(painting))
    assert Operation.objects.filter(canvas=canvas).count() == 4


@pytest.mark.parametrize("store_at", ["never", "before undo", "after undo"])
def test_undo_and_redo_hold_across_opening(canvas, wavy, store_at):
    painting, journal = opened(canvas)
    states = [pixels(painting)]
    for n in range(1, 4):
        stroke(painting, wavy, n)
        states.append(pixels(painting))
    if store_at == "before undo":
        store(painting, journal)
    painting.undo()
    assert np.array_equal(pixels(painting), states[2])
    if store_at == "after undo":
        store(painting, journal)
    for steps in (1, 0):
        painting, journal = opened(canvas)
        assert painting.state()["can_redo"]
        painting.undo()
        assert np.array_equal(pixels(painting), states[steps])
    for steps in (1, 2, 3):
        painting, journal = opened(canvas)
        painting.redo()
        assert np.array_equal(pixels(painting), states[steps])
        store(painting, journal)
    assert not opened(canvas)[0].state()["can_redo"]
    assert painting.undo()[0] == 3
    assert np.array_equal(pixels(painting), states[2])


def test_a_new_stroke_after_undo_drops_what_was_undone_from_the_history_only(canvas, wavy):
    painting, _ = opened(canvas)
    stroke(painting, wavy, 1)
    stroke(painting, wavy, 2)
    painting.undo()
    stroke(painting, wavy, 3)
    states = dict(Operation.objects.filter(canvas=canvas).values_list("number", "state"))
    assert states == {1: "done", 2: "dropped", 3: "done"}
    again = opened(canvas)[0]
    assert np.array_equal(pixels(again), pixels(painting))
    assert not again.state()["can_redo"]
    assert again.redo() == (0, [])
    canvas.refresh_from_db()
    assert canvas.revision == 4


def test_undoing_everything_empties_the_stored_blocks(canvas, wavy):
    painting, journal = opened(canvas)
    stroke(painting, wavy, 1)
    store(painting, journal)
    assert StoredBlock.objects.filter(canvas=canvas).exists()
    assert UndoBlock.objects.filter(operation__canvas=canvas).exists()
    painting.undo()
    assert not StoredBlock.objects.filter(canvas=canvas).exists()
    assert not pixels(opened(canvas)[0]).any()
    assert painting.undo() == (0, [])


def test_samples_that_came_twice_are_passed_over_and_gaps_are_refused(canvas, wavy):
    painting, _ = opened(canvas)
    painting.begin(Begin(1, {"brush": Brush.objects.first().latest.pk}))
    painting.carry_on(Batch(1, 0, 0.0, wavy[:20]))
    assert painting.carry_on(Batch(1, 5, 0.0, wavy[5:20])) == []
    painting.carry_on(Batch(1, 10, 0.0, wavy[10:30]))
    with pytest.raises(BadMessage, match="out of order, 30 is next"):
        painting.carry_on(Batch(1, 40, 0.0, wavy[40:]))
    with pytest.raises(BadMessage, match="out of order"):
        painting.end(End(1, 20))
    assert painting.open_stroke == (1, 30)
    number, _ = painting.end(End(1, 30))
    kept = load_stroke(canvas, number).samples
    assert np.array_equal(kept, wavy[:30])


REFUSED = [
    ({"brush": "x"}, "brush='x'"),
    ({"brush": True}, "brush=True"),
    ({"mode": "wash"}, "mode='wash': must be one of paint, erase, smear, soften"),
    ({"colour": "blue"}, "colour='blue'"),
    ({"seed": -1}, "seed=-1"),
    ({"seed": 1.5}, "seed=1.5"),
    ({"values": {"size": 5000}}, "size=5000: must be 0.5 to 2048 px"),
    ({"values": {"spacing": 1}}, "known are flow, opacity, size"),
    ({"pointer": "nose"}, "pointer='nose'"),
    ({"pointer": "mouse", "mouse": "mood"}, "mouse pressure='mood'"),
    ({"ink": 1}, "ink"),
]


@pytest.mark.parametrize(("told", "message"), REFUSED, ids=[message for _, message in REFUSED])
def test_bad_beginnings_are_refused_and_change_nothing(canvas, told, message):
    painting, _ = opened(canvas)
    with pytest.raises(OrvixError, match=message):
        painting.begin(Begin(1, {"brush": Brush.objects.first().latest.pk, **told}))
    assert painting.open_stroke is None
    assert Operation.objects.count() == 0


@pytest.mark.parametrize(
    ("told", "message"),
    [({"x": "left"}, "x='left'"), ({"heading": float("inf")}, "heading"), ({"level": 9}, "level=9"),
     ({"pressure": 2}, "pressure"), ({"stroke": None}, "stroke"), ({"x": 1e9}, "x")],
)  # fmt: skip
def test_a_bad_hover_is_refused(canvas, told, message):
    painting, _ = opened(canvas)
    stroke = {"brush": Brush.objects.first().latest.pk}
    with pytest.raises(OrvixError, match=message):
        painting.next_stamp({"x": 5, "y": 5, "stroke": stroke} | told)


def test_the_next_stamp_is_told_with_its_place_and_not_while_a_stroke_is_under_way(canvas, wavy):
    painting, _ = opened(canvas)
    stroke = {"brush": Brush.objects.first().latest.pk, "values": {"size": 40}, "pointer": "mouse", "mouse": "fixed"}
    facts, pixels = painting.next_stamp({"x": 300, "y": 200, "level": 1, "stroke": stroke})
    assert pixels.shape == (facts["height"], facts["width"], 4)
    assert facts["left"] < 150 < facts["left"] + facts["width"]
    assert pixels[..., 3].max() > 200
    painting.begin(Begin(1, {"brush": stroke["brush"]}))
    assert painting.next_stamp({"x": 300, "y": 200, "stroke": stroke}) == ({}, None)


def test_bad_samples_are_refused_and_the_stroke_goes_on(canvas, wavy):
    painting, _ = opened(canvas)
    painting.begin(Begin(1, {"brush": Brush.objects.first().latest.pk}))
    painting.carry_on(Batch(1, 0, 0.0, wavy[:20]))
    before = painting.canvas.view(painting.canvas.spec.box)
    for field, bad in ((3, 2.0), (1, np.nan), (0, 1.0)):
        wrong = wavy[20:30].copy()
        wrong[4, field] = bad
        with pytest.raises(OrvixError, match="sample 4"):
            painting.carry_on(Batch(1, 20, 0.0, wrong))
        assert np.array_equal(before, painting.canvas.view(painting.canvas.spec.box))
    painting.carry_on(Batch(1, 20, 0.0, wavy[20:]))
    painting.end(End(1, len(wavy)))


def test_one_stroke_at_a_time_and_no_undo_in_the_middle(canvas, wavy):
    painting, _ = opened(canvas)
    version = Brush.objects.first().latest.pk
    painting.begin(Begin(1, {"brush": version}))
    for act in (lambda: painting.begin(Begin(2, {"brush": version})), painting.undo, painting.redo):
        with pytest.raises(BadMessage, match="Finish the stroke"):
            act()
    painting.carry_on(Batch(1, 0, 0.0, wavy))
    assert painting.drop(1)
    assert not painting.canvas.view(painting.canvas.spec.box)[..., 0].std()
    assert Operation.objects.count() == 0


def test_the_mouse_gets_its_pressure_and_it_is_what_is_kept(canvas, wavy):
    painting, _ = opened(canvas)
    stroke(painting, wavy, 1, pointer="mouse", mouse="fixed", fixed=0.25)
    assert (load_stroke(canvas, 1).samples[:, 3] == 0.25).all()
    assert np.array_equal(pixels(opened(canvas)[0]), pixels(painting))


def test_the_small_picture_is_the_whole_one_seen_small(canvas, wavy):
    painting, journal = opened(canvas)
    stroke(painting, wavy, 1)
    store(painting, journal)
    assert np.array_equal(painting.shown.small, painting.canvas.view(painting.canvas.spec.box, 2))


@pytest.mark.slow
def test_the_demo_scenario_builds_once_and_its_canvas_closes(painter):
    from orvix_web.canvases.fits import canvas_fits, proven_to_close

    assert load_scenario(painter)
    assert not load_scenario(painter)
    canvas = Canvas.objects.get(owner=painter, tile=None)
    assert canvas.operations.count() > 100
    fits = canvas_fits(canvas)
    assert [one.get("layer", 0) for one in fits] == [0, 0, 2], "two grains and a fill"
    assert all(one["closes"] for one in fits)
    assert proven_to_close(canvas)
    width = canvas.width
    again = load(canvas).canvas.layer.whole()
    assert again[..., 3].any()
    assert again.shape == (canvas.height, width, 4)
    # The tile drawn by hand is as it was published, and both it and the layout close by construction, without holes
    # in the layout.
    drawn = Canvas.objects.get(owner=painter, tile__name="Kelp garden")
    assert drawn.revision == drawn.published
    assert [one.tile_version and one.tile_version.number for one in drawn.kept_states.all()] == [1, None, 2]
    for name in ("Kelp garden", "Harbour catch"):
        assert Tile.objects.get(name=name).latest.readings["seam"]["by_construction"]
    assert Tile.objects.get(name="Harbour catch").latest.readings["holes"]["verdict"] == "even"


def test_what_windows_saw_of_many_layers_under_a_hand_is_made_good_when_it_rests(canvas, wavy):
    painting, _ = opened(canvas)
    layer = painting.canvas.stack[0].as_dict()
    painting.edit({"what": "layers", "layers": [layer | {"id": n, "name": str(n)} for n in range(1, 9)]})
    for n in range(1, 9):
        stroke(painting, wavy, n, layer=n)
    assert not painting.unsettled
    page = painting.view(painting.canvas.spec.box, 0)
    painting.begin(Begin(20, {"brush": Brush.objects.first().latest.pk, "seed": 3, "layer": 4, "values": {"size": 90}}))
    for first in range(0, len(wavy), 17):
        for left, top, right, bottom in painting.carry_on(Batch(20, first, 0.0, wavy[first : first + 17])):
            page[top:bottom, left:right] = painting.view((left, top, right, bottom), 0)
    assert painting.settle() == []
    boxes = painting.end(End(20, len(wavy)))[1]
    assert painting.unsettled
    for left, top, right, bottom in [*boxes, *painting.settle()]:
        page[top:bottom, left:right] = painting.view((left, top, right, bottom), 0)
    assert not painting.unsettled
    assert np.array_equal(page, painting.canvas.view(painting.canvas.spec.box))


@pytest.mark.parametrize("joined", [True, False])
def test_what_a_stroke_changes_through_a_glow_is_told_and_no_more_than_that(canvas, wavy, joined):
    Canvas.objects.filter(pk=canvas.pk).update(joined=joined)
    painting, _ = opened(canvas)
    glow = {"kind": "glow", "size": 30, "colour": "#ff4020"}
    painting.edit({"what": "layers", "layers": [painting.canvas.stack[0].as_dict() | {"effects": [glow]}]})
    before = painting.canvas.pixels()
    painting.begin(Begin(1, {"brush": Brush.objects.first().latest.pk, "seed": 1, "values": {"size": 20}}))
    there = wavy.copy()
    there[:, 1:3] = 6 + (wavy[:, 1:3] - wavy[:, 1:3].min(axis=0)) / 20
    boxes = painting.grown([*painting.carry_on(Batch(1, 0, 0.0, there)), *painting.end(End(1, len(there)))[1]])
    told = np.zeros(before.shape[:2], bool)
    for left, top, right, bottom in boxes:
        told[top:bottom, left:right] = True
    changed = (painting.canvas.pixels() != before).any(axis=2)
    assert changed[:, -1].any() == joined
    assert changed.any()
    assert not (changed & ~told).any()
    assert told.mean() < 0.7


def test_an_operation_that_cannot_be_done_again_is_held_back_with_those_after_it_and_the_rest_is_there(canvas, wavy):
    painting, _ = opened(canvas)
    for n in (1, 2, 3, 4):
        stroke(painting, wavy, n)
        if n == 2:
            wanted = pixels(painting).copy()
    whole = pixels(painting).copy()
    third = Operation.objects.get(canvas=canvas, number=3)
    good = dict(third.data)
    Operation.objects.filter(pk=third.pk).update(data=good | {"layer": 9})
    read = load(canvas)
    assert (read.held_back.number, read.held_back.steps) == (3, 2)
    assert np.array_equal(read.canvas.layer.whole(), wanted), "an export shows what there is"

    again, _ = opened(canvas)
    assert np.array_equal(pixels(again), wanted)
    assert again.state()["held_back"]["steps"] == 2
    assert "9" in again.state()["held_back"]["reason"]
    with pytest.raises(OrvixError):
        again.redo()
    assert again.state()["can_redo"], "it can be tried again"
    Operation.objects.filter(pk=third.pk).update(data=good)
    once_more, _ = opened(canvas)
    once_more.redo()
    once_more.redo()
    assert np.array_equal(pixels(once_more), whole), "what was mended comes back by Redo"


def test_painting_on_leaves_out_what_was_held_back_for_good(canvas, wavy):
    painting, _ = opened(canvas)
    for n in (1, 2):
        stroke(painting, wavy, n)
    Operation.objects.filter(canvas=canvas, number=2).update(brush_version=None)
    again, _ = opened(canvas)
    stroke(again, wavy, 7)
    assert "held_back" not in again.state()
    last, _ = opened(canvas)
    assert "held_back" not in last.state()
    assert np.array_equal(pixels(last), pixels(again))
    states = dict(Operation.objects.filter(canvas=canvas).values_list("number", "state"))
    assert states == {1: Operation.State.DONE, 2: Operation.State.DROPPED, 3: Operation.State.DONE}


def test_a_long_replay_stores_as_it_goes_and_everything_can_still_be_undone(canvas, wavy, monkeypatch):
    from orvix_web.canvases import storage

    painting, _ = opened(canvas)
    seen = [pixels(painting).copy()]
    for n in range(1, 7):
        stroke(painting, wavy, n)
        seen.append(pixels(painting).copy())
    monkeypatch.setattr(storage, "MOST_UNSTORED", 3 << 20)
    again, journal = opened(canvas)
    canvas.refresh_from_db()
    assert 0 < canvas.stored_through < 7
    assert again.unstored_weight <= 3 << 20
    assert np.array_equal(pixels(again), seen[6])
    for n in (5, 4, 3, 2, 1, 0):
        again.undo()
        assert np.array_equal(pixels(again), seen[n]), n
        store(again, journal)
    for n in range(1, 7):
        again.redo()
        assert np.array_equal(pixels(again), seen[n]), n


def test_steps_that_are_not_stored_count_against_what_is_kept_for_undoing(canvas, wavy, monkeypatch):
    from orvix_web.live import painting as module

    monkeypatch.setattr(module, "UNDO_BYTES", 2 << 20)
    painting, journal = opened(canvas)
    for n in range(1, 9):
        stroke(painting, wavy, n)
        store(painting, journal)
    kept = sum(module.weight_of(step.change) for step in painting._done)
    assert kept <= (2 << 20) + 40 * 256 * 256 * 8, "the newest, and no more"
    assert sum(step.change is not None for step in painting._done) < 8
    for _ in range(8):
        painting.undo()
    assert sum(module.weight_of(step.change) for step in painting._undone) <= (2 << 20) + 40 * 256 * 256 * 8
    assert not pixels(painting).any()
