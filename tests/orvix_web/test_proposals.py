"""What takes too long to wait for is painted beside the canvas by a job, and used, made anew or left."""

from __future__ import annotations

import json

import numpy as np
import pytest

from orvix.errors import OrvixError
from orvix.progress import UNWATCHED, Stopped, Watch
from orvix_web.brushes.services import create_from_definition, starter_definition
from orvix_web.canvases import branches, proposals, repainting, steps
from orvix_web.canvases.models import KeptState, Operation
from orvix_web.canvases.services import create_canvas
from orvix_web.jobs.kinds import KINDS
from orvix_web.jobs.models import Job
from tests.orvix_web.test_painting import opened, store, stroke

pytestmark = pytest.mark.django_db


@pytest.fixture
def canvas(painter, monkeypatch):
    create_from_definition(painter, "Liner", starter_definition(painter, "harbour-liner"))
    monkeypatch.setattr(steps, "MOST_AT_ONCE", 3)
    return create_canvas(painter, "Long", {"width": 500, "height": 300})


def at_once(monkeypatch, painting, told):
    """What the same change gives where it is not too long."""
    with monkeypatch.context() as patch:
        patch.setattr(steps, "MOST_AT_ONCE", 1000)
        painting.edit({"what": "rework", **told})
    found = painting.canvas.pixels()
    painting.undo()
    return found


def test_strokes_early_in_a_long_log_are_put_right_by_a_job_and_used_like_any_change(canvas, wavy, client, monkeypatch):
    painting, journal = opened(canvas)
    for n in range(1, 6):
        stroke(painting, wavy, n)
    before = painting.canvas.pixels()
    told = {"strokes": [1, 3], "colour": "#205080"}
    wanted = at_once(monkeypatch, painting, told)
    with pytest.raises(steps.TooLong, match="5 steps") as refused:
        painting.edit({"what": "rework", **told})
    assert refused.value.code == "long"
    assert np.array_equal(painting.canvas.pixels(), before)
    painting.edit({"what": "rework", "strokes": [4], "colour": "#205080"})  # near the end: at once
    painting.undo()
    store(painting, journal)
    answer = client.post(f"/canvases/{canvas.pk}/rework/", {"told": json.dumps(told)})
    assert answer.status_code == 200
    job = Job.objects.get(kind="rework")
    assert "Repaint 2 strokes of Long" in answer.content.decode()
    result = KINDS["rework"](job, UNWATCHED)
    waits = client.get(f"/canvases/{canvas.pk}/again.json").json()["waits"]
    assert (waits["state"], waits["words"], waits["fresh"]) == (result["state"], "2 strokes", True)
    painting.edit(waits["edit"])
    assert np.array_equal(painting.canvas.pixels(), wanted)
    assert not np.array_equal(wanted, before)
    assert repainting.waiting(canvas) == 0
    # Read back without what was stored, undone, done again, and put right once more.
    assert np.array_equal(opened(canvas)[0].canvas.pixels(), wanted)
    painting.undo()
    assert np.array_equal(painting.canvas.pixels(), before)
    painting.redo()
    assert np.array_equal(painting.canvas.pixels(), wanted)
    repainting.throw_away(canvas.owner, canvas.pk, result["state"])
    assert KeptState.objects.filter(canvas=canvas).count() == 1  # it is used, so it stays
    # One that came before that change: what it put right is put right again with it, in as many steps.
    with pytest.raises(steps.TooLong, match="4 steps"):
        painting.edit({"what": "rework", "strokes": [5], "gone": True})
    without = at_once(monkeypatch, painting, {"strokes": [5], "gone": True})
    painting.undo()
    painting.undo()
    assert np.array_equal(at_once(monkeypatch, painting, told), without)


def test_what_was_painted_for_one_change_is_used_for_no_other_nor_after_the_canvas_changed(canvas, wavy):
    painting, _ = opened(canvas)
    for n in range(1, 6):
        stroke(painting, wavy, n)
    told = {"strokes": [2], "gone": True}
    state = proposals.rework(canvas, told, UNWATCHED)
    for wrong in ({"strokes": [3], "gone": True}, {"strokes": [2], "colour": "#205080"}):
        with pytest.raises(OrvixError, match="was not painted for this"):
            painting.edit({"what": "rework", **wrong, "state": state.number})
    stroke(painting, wavy, 7)
    with pytest.raises(OrvixError, match="has changed since"):
        painting.edit({"what": "rework", **told, "state": state.number})
    assert not repainting.proposed(canvas, state.number)["fresh"]
    repainting.throw_away(canvas.owner, canvas.pk, state.number)
    assert repainting.waiting(canvas) == 0
    told_of = []
    with pytest.raises(Stopped):
        proposals.rework(canvas, told, Watch(lambda _, words: told_of.append(words), lambda: len(told_of) > 1))
    assert not KeptState.objects.filter(canvas=canvas).exists()


def test_what_was_undone_long_ago_is_brought_back_by_a_job(canvas, wavy, client):
    painting, _ = opened(canvas)
    for n in range(1, 6):
        stroke(painting, wavy, n)
    then = painting.canvas.pixels()
    painting.undo()
    stroke(painting, wavy, 9)
    now = painting.canvas.pixels()
    with pytest.raises(steps.TooLong):
        branches.bring_back(canvas.owner, canvas.pk, 6)
    answer = client.post(f"/canvases/{canvas.pk}/undone/6/back/", {}, headers={"Accept": "application/json"})
    assert answer.json()["code"] == "long"
    assert client.post(f"/canvases/{canvas.pk}/undone/6/back-by-job/", {}).status_code == 200
    KINDS["bring-back"](Job.objects.get(kind="bring-back"), UNWATCHED)
    stroke(painting, wavy, 10)
    waits = client.get(f"/canvases/{canvas.pk}/again.json").json()["waits"]
    assert waits["fresh"]
    painting.edit(waits["edit"])
    assert np.array_equal(painting.canvas.pixels(), then)
    assert repainting.waiting(canvas) == 0
    painting.undo()
    painting.undo()
    assert np.array_equal(painting.canvas.pixels(), now)


@pytest.mark.parametrize(
    ("told", "words"),
    [
        ("{", "must be what is to be done"),
        ("[1]", "must be what is to be done"),
        ('{"strokes": [1]}', "at least one of"),
        ('{"strokes": [99], "gone": true}', "no longer on the canvas"),
        ('{"strokes": [1], "size": 9}', "0.25 to 4"),
    ],
)
def test_what_cannot_be_put_right_is_refused_before_it_is_queued(canvas, wavy, client, told, words):
    painting, _ = opened(canvas)
    stroke(painting, wavy, 1)
    answer = client.post(f"/canvases/{canvas.pk}/rework/", {"told": told}, headers={"Accept": "application/json"})
    assert answer.status_code == 422
    assert words in answer.json()["message"]
    assert not Job.objects.exists()
    assert Operation.objects.count() == 1
