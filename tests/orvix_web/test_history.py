"""The history as a list: pictures, going to a step, what was painted before an undo; and a time-lapse of it."""

from __future__ import annotations

import zipfile
from io import BytesIO

import numpy as np
import pytest
from PIL import Image

from orvix.errors import OrvixError
from orvix.progress import Stopped, Watch
from orvix_web.brushes.services import create_from_definition, starter_definition
from orvix_web.canvases import branches, time_lapse
from orvix_web.canvases.models import Operation
from orvix_web.canvases.services import create_canvas
from orvix_web.jobs.models import Job
from orvix_web.jobs.tasks import run_job
from orvix_web.live import looking
from orvix_web.live.looking import HIGH, PICTURES, WIDE
from tests.orvix_web.files import sent
from tests.orvix_web.test_painting import opened, store, stroke

pytestmark = pytest.mark.django_db


@pytest.fixture
def canvas(painter):
    create_from_definition(painter, "Liner", starter_definition(painter, "harbour-liner"))
    return create_canvas(painter, "Deck", {"width": 600, "height": 400, "ground": "#204060"})


def test_each_step_has_words_and_a_picture_of_what_it_changed(canvas, wavy):
    painting, journal = opened(canvas)
    stroke(painting, wavy, 1)
    painting.edit({"what": "layers", "layers": [{"id": 1, "name": "A"}, {"id": 2, "name": "B"}]})
    stroke(painting, wavy, 2, mode="erase")
    stroke(painting, wavy, 3)
    painting.undo()
    store(painting, journal)
    before = painting.canvas.pixels()
    for look in (painting, opened(canvas)[0]):
        facts, pictures = look.history({})
        assert [one["words"] for one in facts["steps"]] == ["Erase, Liner", "Layers", "Paint, Liner"]
        assert [one["number"] for one in facts["undone"]] == [4]
        assert not facts["more"]
        assert pictures.shape == (3 * HIGH, WIDE, 4)
        last = pictures[2 * HIGH :]
        assert last[..., 0].max() > 150, "the stroke is seen in its picture"
        assert (look.canvas.pixels() == before).all(), "looking changes nothing"
    with pytest.raises(OrvixError, match="older"):
        painting.history({"older": 99})


def test_long_histories_come_in_parts(canvas, wavy, monkeypatch):
    monkeypatch.setattr(looking, "PICTURES", 2)
    assert PICTURES >= 20
    painting, _ = opened(canvas)
    for n in range(1, 6):
        stroke(painting, wavy, n)
    facts, _ = painting.history({})
    assert [one["number"] for one in facts["steps"]] == [5, 4]
    assert facts["more"]
    facts, _ = painting.history({"older": 4})
    assert [one["number"] for one in facts["steps"]] == [1]
    assert not facts["more"]


def test_going_to_a_step_is_undoing_or_redoing_to_it(canvas, wavy):
    painting, _ = opened(canvas)
    states = [painting.canvas.pixels()]
    for n in range(1, 5):
        stroke(painting, wavy, n)
        states.append(painting.canvas.pixels())
    for number in (2, 4, 0, 3):
        painting.go_to(number)
        assert np.array_equal(painting.canvas.pixels(), states[number])
        assert np.array_equal(opened(canvas)[0].canvas.pixels(), states[number])
    for bad in (9, "2", None, -1):
        with pytest.raises(OrvixError, match="no longer in the history"):
            painting.go_to(bad)


def test_what_was_painted_before_an_undo_is_brought_back_or_thrown_away(canvas, wavy):
    painting, _ = opened(canvas)
    for n in (1, 2, 3):
        stroke(painting, wavy, n)
    then = painting.canvas.pixels()
    painting.undo()
    painting.undo()
    stroke(painting, wavy, 4)
    stroke(painting, wavy, 5)
    now = painting.canvas.pixels()
    (found,) = branches.branches(canvas)
    assert (found["number"], found["steps"], found["strokes"]) == (4, 2, 2)
    assert branches.made_of(canvas, 4) == [1, 2, 3]
    state = branches.bring_back(canvas.owner, canvas.pk, 4)
    painting.edit({"what": "take-up", "state": state})
    assert np.array_equal(painting.canvas.pixels(), then)
    painting.undo()
    assert np.array_equal(painting.canvas.pixels(), now)
    # Undone twice over: each is what it was then.
    painting.undo()
    stroke(painting, wavy, 6)
    assert [one["number"] for one in branches.branches(canvas)] == [7, 4]
    assert branches.made_of(canvas, 7) == [1, 4, 5, 6]
    assert branches.made_of(canvas, 4) == [1, 2, 3]
    branches.throw_away(canvas.owner, canvas.pk, 4)
    assert [one["number"] for one in branches.branches(canvas)] == [7]
    with pytest.raises(OrvixError, match="no undone work to restore"):
        branches.bring_back(canvas.owner, canvas.pk, 4)


@pytest.mark.parametrize("kind", ["webp", "frames"])
def test_a_time_lapse_ends_with_the_picture_as_it_is(canvas, wavy, client, kind):
    painting, journal = opened(canvas)
    for n in (1, 2, 3):
        stroke(painting, wavy, n)
    store(painting, journal)
    told = {"format": kind, "side": 300, "frames": 40, "seconds": 2}
    job = time_lapse.ask_for_time_lapse(canvas.owner, canvas.pk, told)
    run_job.func(job=job.pk)
    job = Job.objects.get(pk=job.pk)
    assert job.state == "done", job.error
    answer = client.get(job.result["href"])
    want = painting.canvas.view(painting.canvas.spec.box)[::2, ::2, :3].astype(float)
    if kind == "webp":
        film = Image.open(BytesIO(sent(answer)))
        assert (film.n_frames, film.size) == (4, (300, 200))
        film.seek(3)
        last = np.asarray(film.convert("RGB")).astype(float)
    else:
        archive = zipfile.ZipFile(BytesIO(sent(answer)))
        assert len(archive.namelist()) == 4
        last = np.asarray(Image.open(archive.open(archive.namelist()[-1]))).astype(float)
    assert np.abs(last - want).mean() < 6


def test_a_time_lapse_that_cannot_be_is_refused_and_one_stopped_leaves_nothing(canvas, wavy):
    def ask(**told):
        return time_lapse.ask_for_time_lapse(canvas.owner, canvas.pk, told)

    with pytest.raises(OrvixError, match="has no strokes yet"):
        ask()
    painting, _ = opened(canvas)
    stroke(painting, wavy, 1)
    for told, why in (({"side": 10**6}, "side"), ({"frames": 0}, "frames"), ({"format": "film"}, "format")):
        with pytest.raises(OrvixError, match=why):
            ask(**told)
    watch = Watch(lambda share, words: None, lambda: True)
    with pytest.raises(Stopped):
        time_lapse.time_lapse(canvas, {"side": 300, "frames": 4, "seconds": 1, "format": "webp"}, watch)
    assert not Job.objects.exists()
    assert Operation.objects.filter(canvas=canvas).count() == 1
