"""The canvas itself changed through the log: its rows, openings, undo, kept states, strokes picked afterwards."""

from __future__ import annotations

import numpy as np
import pytest

from orvix_web.brushes.services import create_from_definition, starter_definition
from orvix_web.canvases.models import Canvas
from orvix_web.canvases.services import create_canvas
from orvix_web.canvases.steps import as_it_was_after
from tests.orvix_web.test_painting import opened, store, stroke

pytestmark = pytest.mark.django_db


@pytest.fixture
def canvas(painter):
    create_from_definition(painter, "Liner", starter_definition(painter, "harbour-liner"))
    return create_canvas(painter, "Drawn", {"width": 300, "height": 280, "ground": "#f0f0f0"})


def look(painting):
    return painting.canvas.spec, painting.canvas.stack, painting.canvas.pixels()


def same(a, b):
    return a[:2] == b[:2] and np.array_equal(a[2], b[2])


def history(painting, wavy):
    stroke(painting, wavy, 1)
    yield
    painting.edit({"what": "crop", "x": 20, "y": -30, "width": 600, "height": 300})
    yield
    stroke(painting, wavy, 2)
    yield
    painting.edit({"what": "resample", "width": 300, "height": 150})
    yield
    painting.edit({"what": "turn", "way": "right"})
    yield
    painting.edit({"what": "sheet", "ppi": 150.0, "ground": ""})
    yield
    stroke(painting, wavy, 3)
    yield
    painting.edit({"what": "flatten", "layer": 5})
    yield


@pytest.mark.parametrize("stored_after", [set(), {2, 4, 6}, set(range(1, 9))])
def test_opening_again_undoing_and_painting_from_the_first_step_give_every_state_back(canvas, wavy, stored_after):
    painting, journal = opened(canvas)
    states = [look(painting)]
    for n, _ in enumerate(history(painting, wavy), 1):
        states.append(look(painting))
        assert painting.state()["sheet"][:2] == list(painting.canvas.spec.box[2:])
        if n in stored_after:
            store(painting, journal)
    assert same(look(opened(canvas)[0]), states[-1])
    again = as_it_was_after(canvas, 8)
    assert np.array_equal(again.pixels(), states[-1][2])
    for n in range(len(states) - 2, -1, -1):
        if n == 4:
            painting, journal = opened(canvas)
        painting.undo()
        assert same(look(painting), states[n]), n
        if n in stored_after:
            store(painting, journal)
    row = Canvas.objects.get(pk=canvas.pk)
    assert (row.width, row.height, row.ppi, row.ground) == (300, 280, 300, "#f0f0f0")
    painting, journal = opened(canvas)
    for n in range(1, len(states)):
        painting.redo()
        assert same(look(painting), states[n]), n
    store(painting, journal)
    row.refresh_from_db()
    assert (row.width, row.height, row.ppi, row.ground) == (150, 300, 150, "")


def test_a_state_of_another_size_is_taken_up_again(canvas, wavy):
    painting, journal = opened(canvas)
    stroke(painting, wavy, 1)
    then = look(painting)
    journal.keep(painting.keep_state()[0], b"png")
    painting.edit({"what": "crop", "x": 20, "y": 0, "width": 200, "height": 200})
    now = look(painting)
    painting.edit({"what": "take-up", "state": 1})
    assert same(look(painting), then)
    painting.undo()
    assert same(look(painting), now)


def test_strokes_are_found_where_the_frame_has_put_them_and_reworked_there(canvas, wavy):
    painting, _ = opened(canvas)
    stroke(painting, wavy, 1)
    places = wavy[:, 1:3] + (37, 20)
    at = places[40]
    painting.edit({"what": "crop", "x": -100, "y": -50, "width": 500, "height": 400})
    (found,) = painting.strokes({"at": [at[0] + 100, at[1] + 50]})
    assert found["number"] == 1
    assert np.abs(np.array(found["path"][0]) - (places[0] + (100, 50))).max() < 0.1
    painting.edit({"what": "rework", "strokes": [1], "colour": "#2f6f93"})
    assert np.array_equal(as_it_was_after(canvas, 3).pixels(), painting.canvas.pixels())
    assert painting.canvas.spec.box == (0, 0, 500, 400)
