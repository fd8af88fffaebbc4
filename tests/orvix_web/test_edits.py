"""Changes that are no strokes, through the log: layers, half moves, kept states; across openings and undo."""

from __future__ import annotations

import numpy as np
import pytest

from orvix.errors import OrvixError
from orvix_web.brushes.services import create_from_definition, starter_definition
from orvix_web.canvases.models import KeptState, Operation
from orvix_web.canvases.services import create_canvas
from orvix_web.canvases.storage import load
from tests.orvix_web.test_painting import opened, store, stroke

pytestmark = pytest.mark.django_db


@pytest.fixture
def canvas(painter):
    create_from_definition(painter, "Liner", starter_definition(painter, "harbour-liner"))
    told = {"width": 301, "height": 277, "joined": True, "repeat": "half-drop", "stagger": "1/3"}
    return create_canvas(painter, "Drawn", told)


def look(painting):
    canvas = painting.canvas
    return [one.as_dict() for one in canvas.stack], canvas.pixels()


def same(a, b):
    return a[0] == b[0] and np.array_equal(a[1], b[1])


SECOND = {"id": 2, "name": "Over", "opacity": 0.6}


def history(painting, wavy):
    """Everything a painter does to a drawn tile; yields after each change."""
    first = painting.canvas.stack[0].as_dict()
    stroke(painting, wavy, 1)
    yield
    painting.edit({"what": "half-move", "axis": "both"})
    yield
    painting.edit({"what": "layers", "layers": [first, SECOND]})
    yield
    stroke(painting, wavy, 2, layer=2, mode="paint", steady=0.5, trail=10)
    yield
    stroke(painting, wavy, 3, layer=1, mode="smear")
    yield
    painting.edit({"what": "layers", "layers": [SECOND | {"visible": False}, first]})
    yield
    painting.edit({"what": "corners", "layer": 3, "back": True})
    yield
    painting.edit({"what": "layers", "layers": [first]})
    yield
    stroke(painting, wavy, 4, layer=1, mode="soften")
    yield


@pytest.mark.parametrize("stored_after", [set(), {1, 2, 3, 4, 5, 6, 7, 8, 9}, {4}, {3, 7}])
def test_opening_again_and_undoing_give_every_state_back_whatever_was_stored(canvas, wavy, stored_after):
    painting, journal = opened(canvas)
    states = [look(painting)]
    for n, _ in enumerate(history(painting, wavy), 1):
        states.append(look(painting))
        if n in stored_after:
            store(painting, journal)
    assert same(look(opened(canvas)[0]), states[-1])
    for n in range(len(states) - 2, -1, -1):
        if n == 5:
            painting, journal = opened(canvas)
        painting.undo()
        assert same(look(painting), states[n]), n
        if n in stored_after:
            store(painting, journal)
    painting = opened(canvas)[0]
    assert same(look(painting), states[0])
    for n in range(1, len(states)):
        painting.redo()
        assert same(look(painting), states[n]), n
    assert [one.kind for one in load(canvas).done].count("half-move") == 1


def test_a_kept_state_is_taken_up_again_and_that_is_undone_like_anything(canvas, wavy):
    painting, journal = opened(canvas)
    stroke(painting, wavy, 1)
    painting.edit({"what": "layers", "layers": [painting.canvas.stack[0].as_dict(), SECOND]})
    kept, _, _ = painting.keep_state()
    journal.keep(kept, b"png")
    then = look(painting)
    stroke(painting, wavy, 2, layer=2)
    painting.edit({"what": "half-move", "axis": "across"})
    now = look(painting)
    painting.edit({"what": "take-up", "state": 1})
    assert same(look(painting), then)
    assert same(look(opened(canvas)[0]), then)
    painting.undo()
    assert same(look(painting), now)
    store(painting, journal)
    again = opened(canvas)[0]
    again.redo()
    assert same(look(again), then)
    assert [(one.number, bytes(one.thumbnail)) for one in KeptState.objects.filter(canvas=canvas)] == [(1, b"png")]


def test_the_state_tells_sizes_used_half_moves_and_a_number_for_a_new_layer(canvas, wavy):
    painting, _ = opened(canvas)
    for n, size in enumerate((40, 12, 40), 1):
        stroke(painting, wavy, n, values={"size": size})
    painting.edit({"what": "half-move", "axis": "across"})
    told = painting.state()
    brush = told["history"]["sizes"][0][0]
    assert told["history"] == {"sizes": [[brush, 40, 2], [brush, 12, 1]], "half": {"across": True, "down": False}}
    painting.edit({"what": "half-move", "axis": "both", "back": True})
    assert painting.state()["history"]["half"] == {"across": False, "down": False}
    painting.edit({"what": "layers", "layers": [painting.canvas.stack[0].as_dict(), SECOND]})
    painting.edit({"what": "layers", "layers": [painting.canvas.stack[0].as_dict()]})
    assert painting.state()["next_layer"] == 3
    assert opened(canvas)[0].state()["next_layer"] == 3


def test_greys_only_paints_the_grey_that_is_as_light(canvas, wavy):
    painting, _ = opened(canvas)
    stroke(painting, wavy, 1, colour="#c2553b", greys=True)
    assert Operation.objects.get(number=1).data["colour"] == "#6a6a6a"
    rgb = painting.canvas.layer.whole()[..., :3].astype(int)
    assert rgb.any()
    assert np.ptp(rgb, axis=2).max() <= 1


@pytest.mark.parametrize(
    ("told", "words"),
    [
        ({"what": "blur"}, "half-move"),
        ({}, "operation"),
        ({"what": "take-up", "state": 9}, "no such kept state"),
        ({"what": "take-up", "state": 1, "from": 3}, "is never told by a page"),
        ({"what": "half-move", "axis": "both", "why": 1}, "axis, back"),
    ],
)
def test_bad_changes_are_refused_and_nothing_is_logged(canvas, told, words):
    painting, _ = opened(canvas)
    with pytest.raises(OrvixError, match=words):
        painting.edit(told)
    assert not Operation.objects.filter(canvas=canvas).exists()


def test_anothers_kept_state_is_not_at_hand(canvas, stranger, wavy):
    other = create_canvas(stranger, "Theirs", {"width": 301, "height": 277})
    painting, journal = opened(other)
    journal.keep(painting.keep_state()[0], b"")
    with pytest.raises(OrvixError, match="no such kept state"):
        opened(canvas)[0].edit({"what": "take-up", "state": 1})
