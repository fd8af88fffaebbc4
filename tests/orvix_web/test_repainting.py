"""A canvas painted again with newer brushes: every stroke, rows in step, as one undoable change."""

from __future__ import annotations

import numpy as np
import pytest
from django.http import Http404

from orvix.errors import BadValue
from orvix.progress import UNWATCHED, Stopped, Watch
from orvix_web.brushes.services import create_from_definition, keep_brush
from orvix_web.canvases import repainting
from orvix_web.canvases.history import brushes_used, history
from orvix_web.canvases.journal import Journal
from orvix_web.canvases.models import Canvas, KeptState
from orvix_web.canvases.services import create_canvas
from orvix_web.canvases.storage import load
from orvix_web.live.messages import Batch, Begin, End
from orvix_web.live.painting import open_painting
from orvix_web.shelf.users import users_of

THIN = {"size": 30, "spacing": 1, "hardness": 1, "flow": 1}


@pytest.fixture
def canvas(painter) -> Canvas:
    return create_canvas(painter, "Deck", {"width": 500, "height": 300, "joined": False, "ground": "#ffffff"})


def definition(tip: str = "round", **values):
    return {"coats": [{"tip": {"name": tip}, "values": THIN | values}]}


def opened(canvas):
    return open_painting(canvas, Journal(canvas.pk, canvas.owner_id))


def stroke(painting, brush: int, y: float, start: float = 40, **told) -> None:
    n = np.arange(40)
    samples = np.stack([n * 10, start + 8 * n, y + 0 * n, 1 + 0 * n, 0 * n, 0 * n, 0 * n], axis=1).astype(float)
    painting.begin(Begin(int(y), {"brush": brush, "seed": 5, **told}))
    painting.carry_on(Batch(int(y), 0, 0.0, samples))
    painting.end(End(int(y), len(samples)))


def whole(canvas) -> np.ndarray:
    return canvas.view(canvas.spec.box)


@pytest.fixture
def deck(painter, canvas):
    """Two rows with the first version of a brush and one with another brush; then the first brush is made anew."""
    row = create_from_definition(painter, "Row", definition(row_start="in step"))
    other = create_from_definition(painter, "Other", definition("polygon"))
    painting = opened(canvas)
    stroke(painting, row.latest.pk, 60)
    stroke(painting, other.latest.pk, 240, colour="#aa3311")
    stroke(painting, row.latest.pk, 90, 51)
    first = row.latest.pk
    newer = keep_brush(painter, row.pk, definition("polygon", row_start="in step", size=30, spacing=1.3)).pk
    return painting, first, newer, other


def painted(painter, canvas, rows) -> np.ndarray:
    """A canvas of the same size, painted by hand with these brushes from the start."""
    beside = create_canvas(painter, "Beside", {"width": canvas.width, "height": canvas.height, "joined": False})
    painting = opened(beside)
    for brush, y, start, told in rows:
        stroke(painting, brush, y, start, **told)
    return whole(painting.canvas)


def test_what_is_painted_again_is_what_the_newer_brush_would_have_painted_rows_in_step(painter, canvas, deck):
    painting, first, newer, other = deck
    offered = repainting.newer_brushes(canvas)
    assert [(one["before"], one["after"], one["from"], one["to"], one["strokes"]) for one in offered] == [
        (first, newer, 1, 2, 2)
    ]
    before = whole(painting.canvas)
    state = repainting.paint_again(canvas, {first: newer}, UNWATCHED)
    assert np.array_equal(whole(painting.canvas), before)
    boxes = painting.edit({"what": "paint-again", "state": state.number})
    want = painted(
        painter, canvas, [(newer, 60, 40, {}), (other.latest.pk, 240, 40, {"colour": "#aa3311"}), (newer, 90, 51, {})]
    )
    assert boxes
    assert np.array_equal(whole(painting.canvas), want)
    assert not np.array_equal(want, before)
    assert np.array_equal(whole(load(canvas).canvas), want), "and after a restart"
    painting.undo()
    assert np.array_equal(whole(painting.canvas), before)
    painting.redo()
    assert np.array_equal(whole(painting.canvas), want)


def test_painted_again_twice_and_painted_on_in_between(painter, canvas, deck):
    painting, first, newer, other = deck
    painting.edit({"what": "paint-again", "state": repainting.paint_again(canvas, {first: newer}, UNWATCHED).number})
    assert repainting.newer_brushes(canvas) == []
    assert brushes_used(canvas) == [(newer, 1), (other.latest.pk, 1)]
    stroke(painting, newer, 120, 44)
    used = other.latest.pk
    newest = keep_brush(painter, other.pk, definition(hardness=0.2)).pk
    third = keep_brush(painter, repainting.BrushVersion.objects.get(pk=newer).brush_id, definition(spacing=0.7)).pk
    offered = {one["before"]: (one["after"], one["strokes"]) for one in repainting.newer_brushes(canvas)}
    assert offered == {newer: (third, 3), used: (newest, 1)}
    versions = {one["before"]: one["after"] for one in repainting.newer_brushes(canvas)}
    state = repainting.paint_again(canvas, versions, UNWATCHED)
    painting.edit({"what": "paint-again", "state": state.number})
    rows = [(third, 60, 40, {}), (newest, 240, 40, {"colour": "#aa3311"}), (third, 90, 51, {}), (third, 120, 44, {})]
    assert np.array_equal(whole(painting.canvas), painted(painter, canvas, rows))


def test_a_canvas_that_changed_meanwhile_refuses_it_and_an_undone_stroke_is_not_painted(painter, canvas, deck):
    painting, first, newer, _ = deck
    state = repainting.paint_again(canvas, {first: newer}, UNWATCHED)
    painting.undo()
    with pytest.raises(BadValue, match="changed since"):
        painting.edit({"what": "paint-again", "state": state.number})
    assert repainting.proposed(canvas, state.number)["fresh"] is False
    again = repainting.paint_again(canvas, {first: newer}, UNWATCHED)
    assert again.repainted.get().strokes == 1
    painting.edit({"what": "paint-again", "state": again.number})
    assert [step.number for step in history(canvas).steps] == [1, 2]


def test_taking_up_a_kept_state_goes_on_from_what_made_it(painter, canvas, deck):
    painting, first, newer, other = deck
    journal = Journal(canvas.pk, canvas.owner_id)
    kept, _, made_of = painting.keep_state()
    state = journal.keep(kept, b"", made_of)
    stroke(painting, first, 150)
    painting.edit({"what": "take-up", "state": state.number})
    stroke(painting, first, 180)
    assert [step.number for step in history(canvas).steps] == [1, 2, 3, 6]
    painting.edit({"what": "paint-again", "state": repainting.paint_again(canvas, {first: newer}, UNWATCHED).number})
    rows = [(newer, 60, 40, {}), (other.latest.pk, 240, 40, {"colour": "#aa3311"}), (newer, 90, 51, {})]
    assert np.array_equal(whole(painting.canvas), painted(painter, canvas, [*rows, (newer, 180, 40, {})]))


def test_pixels_of_an_unknown_past_stay_and_are_counted(painter, canvas, deck):
    painting, first, newer, _ = deck
    state = Journal(canvas.pk, canvas.owner_id).keep(painting.keep_state()[0], b"", None)
    painting.edit({"what": "take-up", "state": state.number})
    stroke(painting, first, 180)
    found = history(canvas)
    assert (found.start, found.before, [step.number for step in found.steps]) == (state.number, 3, [5])
    before = whole(painting.canvas)
    painting.edit({"what": "paint-again", "state": repainting.paint_again(canvas, {first: newer}, UNWATCHED).number})
    assert np.array_equal(whole(painting.canvas)[:140], before[:140])
    assert not np.array_equal(whole(painting.canvas)[140:], before[140:])


def test_a_stopped_job_leaves_nothing_and_what_is_not_used_is_thrown_away(painter, canvas, deck):
    _, first, newer, _ = deck
    told: list[str] = []
    with pytest.raises(Stopped):
        repainting.paint_again(canvas, {first: newer}, Watch(lambda _, words: told.append(words), lambda: bool(told)))
    assert told == ["step 1 of 3"]
    assert not KeptState.objects.filter(canvas=canvas).exists()
    state = repainting.paint_again(canvas, {first: newer}, UNWATCHED)
    assert repainting.waiting(canvas) == state.number
    repainting.throw_away(painter, canvas.pk, state.number)
    assert repainting.waiting(canvas) == 0
    with pytest.raises(Http404):
        repainting.proposed(canvas, state.number)


def test_a_brush_that_strokes_became_counts_as_used(painter, canvas, deck):
    painting, first, newer, _ = deck
    state = repainting.paint_again(canvas, {first: newer}, UNWATCHED)
    painting.edit({"what": "paint-again", "state": state.number})
    repainting.throw_away(painter, canvas.pk, state.number)
    assert KeptState.objects.filter(pk=state.pk).exists(), "what was used stays, for undoing"
    assert users_of("brush", repainting.BrushVersion.objects.get(pk=newer).brush) == ["Deck (canvas)"]


def test_rows_stand_beside_each_other_after_the_canvas_was_opened_anew(painter, canvas):
    row = create_from_definition(painter, "Row", definition(row_start="in step")).latest.pk
    stroke(opened(canvas), row, 60)
    stroke(opened(canvas), row, 90, 51)
    assert canvas.operations.get(number=2).data["row"][3] == pytest.approx(30)


def test_a_row_that_was_undone_is_beside_nothing(painter, canvas):
    row = create_from_definition(painter, "Row", definition(row_start="in step")).latest.pk
    painting = opened(canvas)
    stroke(painting, row, 60)
    painting.undo()
    stroke(painting, row, 90, 51)
    assert "row" not in canvas.operations.get(number=2).data


def test_what_cannot_be_painted_again_is_refused_with_the_rule(painter, canvas, deck):
    _, first, newer, other = deck
    with pytest.raises(BadValue, match="No stroke on this canvas"):
        repainting.paint_again(canvas, {newer: first}, UNWATCHED)
    for before in ([], [str(other.latest.pk)], ["x"]):
        with pytest.raises(BadValue, match="newer version"):
            repainting.ask_to_paint_again(painter, canvas.pk, before)
    job = repainting.ask_to_paint_again(painter, canvas.pk, [str(first)])
    assert job.payload["versions"] == [[first, newer]]
    assert job.title == "Repaint 2 strokes of Deck"
