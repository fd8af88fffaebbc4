"""Laws over operations: one that is added in the test goes through doing, undoing, storing, replaying and the history.

Nothing outside the operation's own description knows of it.
"""

from __future__ import annotations

import numpy as np
import pytest

from orvix.canvases.layers import Change
from orvix.canvases.operations import GIVEN, OPERATIONS, Operation, take_up
from orvix.canvases.operations.registry import px_at_times
from orvix.errors import BadValue, OrvixError
from orvix.progress import UNWATCHED
from orvix_web.brushes.models import Brush
from orvix_web.brushes.services import create_from_definition, starter_definition
from orvix_web.canvases.enlarging import enlarge
from orvix_web.canvases.history import history
from orvix_web.canvases.models import Canvas
from orvix_web.canvases.models import Operation as Logged
from orvix_web.canvases.services import create_canvas
from orvix_web.canvases.steps import as_it_was_after, as_it_was_before
from orvix_web.canvases.storage import load
from tests.orvix_web.test_painting import opened, store, stroke

SIDE = 40


def _blot(canvas, told) -> Change:
    """Paints an opaque square of a shade taken from the size of the brush that it is told."""
    if not 0 <= told.get("x", -1) <= canvas.spec.width - SIDE:
        raise BadValue("x", told.get("x"), "must lie on the canvas")
    shade = int(told["brush_of"](told["brush"]).brush.size * 300)
    side = told.get("side", SIDE)
    block = np.zeros((256, 256, 4), np.uint16)
    block[20 : 20 + side, told["x"] : told["x"] + side] = (shade, shade // 2, 0, 65535)
    at = (told["layer"], (0, 0))
    before = canvas.layer_blocks(at[0]).get(at[1])
    canvas.put(at, block if before is None else np.where(block[..., 3:] > 0, block, before))
    return Change({at: before}, None, None)


BLOT = Operation(
    "blot", "Blot", ("layer", "x", "side", "brush"), _blot,
    at_times=lambda told, times: px_at_times(told, times, "x", "side"),
    needs=("brushes",), tried=True, brush=lambda told: told["brush"],
    with_brush=lambda told, version: {**told, "brush": version}, half=lambda told: {"across": True},
)  # fmt: skip
BACK = Operation("back", "Go back", ("state",), take_up.run, needs=("state",), strokes="replaces")


@pytest.fixture
def added():
    for one in (BLOT, BACK):
        OPERATIONS.add(one.name, one)
    yield
    for one in (BLOT, BACK):
        del OPERATIONS._entries[one.name]


@pytest.fixture
def canvas(painter, added):
    create_from_definition(painter, "Liner", starter_definition(painter, "harbour-liner"))
    return create_canvas(painter, "Test", {"width": 256, "height": 192})


def pixels(painting) -> np.ndarray:
    return painting.canvas.pixels().copy()


@pytest.mark.django_db
@pytest.mark.parametrize("stored", [False, True])
def test_an_operation_added_here_is_done_undone_stored_replayed_and_in_the_history(canvas, wavy, stored):
    painting, journal = opened(canvas)
    version = Brush.objects.get().latest.pk
    stroke(painting, wavy, 1, brush=version)
    before = pixels(painting)
    told = {"what": "blot", "layer": 1, "x": 30, "brush": version}
    assert painting.edit(dict(told) | {"trial": True})
    tried = pixels(painting)
    assert painting.edit(dict(told))
    after = pixels(painting)
    assert np.array_equal(tried, after)
    assert not np.array_equal(before, after)
    if stored:
        store(painting, journal)
    row = Logged.objects.get(canvas=canvas, number=2)
    assert (row.kind, row.brush_version_id) == ("blot", version)
    assert row.data == {"layer": 1, "x": 30, "brush": version}, "only what it was told is logged"

    facts, _ = painting.history({})
    assert facts["steps"][0]["words"] == "Blot"
    assert painting.state()["history"]["half"] == {"across": True, "down": False}
    assert [step.kind for step in history(canvas).steps] == ["stroke", "blot"]

    assert np.array_equal(pixels(opened(canvas)[0]), after), "opened again it is replayed"
    painting.undo()
    assert np.array_equal(pixels(painting), before)
    painting.redo()
    assert np.array_equal(pixels(painting), after)
    again, _ = opened(canvas)
    again.undo()
    assert np.array_equal(pixels(again), before)
    again.redo()
    assert np.array_equal(pixels(again), after)
    canvas.refresh_from_db()
    assert np.array_equal(as_it_was_before(canvas, 2).pixels(), before)
    assert np.array_equal(as_it_was_after(canvas, 2).pixels(), after)


@pytest.mark.django_db
def test_what_is_refused_leaves_no_trace_and_what_is_given_is_never_told_by_a_page(canvas):
    painting, _ = opened(canvas)
    before = pixels(painting)
    for wrong in ({"x": 999}, {"brush_of": 3}, {"y": 3}):
        told = {"what": "blot", "layer": 1, "x": 0, "brush": Brush.objects.get().latest.pk, **wrong}
        for more in ({}, {"trial": True}):
            with pytest.raises(OrvixError):
                painting.edit(dict(told) | more)
    assert np.array_equal(pixels(painting), before)
    assert not Logged.objects.filter(canvas=canvas).exists()


@pytest.mark.django_db
def test_one_that_brings_a_state_back_is_read_as_the_strokes_of_that_state(canvas, wavy):
    painting, journal = opened(canvas)
    version = Brush.objects.get().latest.pk
    stroke(painting, wavy, 1, brush=version)
    kept = pixels(painting)
    journal.keep(*painting.keep_state()[:1], b"", [1])
    stroke(painting, wavy, 2, brush=version)
    painting.edit({"what": "back", "state": 1})
    assert np.array_equal(pixels(painting), kept)
    assert [step.number for step in history(canvas).strokes()] == [1]
    assert painting.state()["history"]["last"] is None
    assert np.array_equal(load(Canvas.objects.get(pk=canvas.pk)).canvas.pixels(), kept)


@pytest.mark.django_db
def test_at_another_size_it_is_told_what_it_would_be_told_there(canvas):
    painting, journal = opened(canvas)
    version = Brush.objects.get().latest.pk
    painting.edit({"what": "blot", "layer": 1, "x": 30, "side": 20, "brush": version})
    store(painting, journal)
    told = {"canvas": canvas.pk, "times": "2", "joined": False, "name": "Larger"}
    larger = enlarge(Canvas.objects.get(pk=canvas.pk), told, UNWATCHED)
    row = Logged.objects.get(canvas=larger, kind="blot")
    assert (row.data["x"], row.data["side"]) == (60, 40)


def test_every_operation_says_what_it_needs_in_words_that_are_known():
    for one in OPERATIONS:
        assert set(one.needs) <= set(GIVEN)
        assert not one.given & set(one.known), one.name
        assert one.title
