"""A canvas painted again at another size or with joined edges: what the command line gives, with a log of its own."""

from __future__ import annotations

import json

import numpy as np
import pytest
from django.http import Http404

from orvix.cli import main
from orvix.errors import OrvixError
from orvix.pictures import read_picture
from orvix.progress import UNWATCHED, Stopped, Watch
from orvix_web.brushes.loading import as_file
from orvix_web.brushes.services import create_from_definition, starter_definition
from orvix_web.canvases import enlarging
from orvix_web.canvases.history import history
from orvix_web.canvases.models import Canvas, Operation
from orvix_web.canvases.rows import unpack_samples
from orvix_web.canvases.services import create_canvas
from orvix_web.canvases.steps import as_it_was_after
from orvix_web.canvases.storage import load
from tests.orvix_web.test_painting import opened, store, stroke

pytestmark = pytest.mark.django_db


@pytest.fixture
def canvas(painter):
    create_from_definition(painter, "Chalk", starter_definition(painter, "sailcloth-chalk"))
    return create_canvas(painter, "Deck", {"width": 300, "height": 200, "ground": "#ffffff"})


def enlarged(canvas, times="2", joined=False, watch=UNWATCHED) -> Canvas:
    return enlarging.enlarge(canvas, {"times": times, "joined": joined, "name": "Large"}, watch)


@pytest.mark.slow
@pytest.mark.parametrize(("times", "joined"), [("2", False), ("1/4", False), ("3/2", False), ("1", True)])
def test_it_is_what_the_command_line_paints_at_that_size(canvas, wavy, tmp_path, times, joined):
    painting, journal = opened(canvas)
    stroke(painting, wavy, 1)
    stroke(painting, wavy, 2, colour="#2f6f93")
    store(painting, journal)
    logged = list(Operation.objects.filter(canvas=canvas))
    brush = logged[0].brush_version
    definition = as_file(canvas.owner_id, brush.definition)
    for coat in definition["brush"]["coats"] if "brush" in definition else definition["coats"]:
        coat["values"]["size"] = 40
    (tmp_path / "brush.json").write_text(json.dumps(definition))
    strokes = [
        {"seed": one.data["seed"], "colour": one.data["colour"], "samples": unpack_samples(one.samples).tolist()}
        for one in logged
    ]
    (tmp_path / "strokes.json").write_text(json.dumps({"strokes": strokes}))
    out = tmp_path / "out.png"
    told = [
        "paint",
        str(tmp_path / "brush.json"),
        str(tmp_path / "strokes.json"),
        "--canvas",
        "300x200",
        "--times",
        times,
    ]
    assert main([*told, "--background", "#ffffff", *(["--joined"] if joined else []), "--out", str(out)]) == 0
    other = enlarged(canvas, times, joined)
    want = read_picture(out.read_bytes(), "out.png")[..., :3] // 257
    opened_again = load(other).canvas
    assert (opened_again.view(opened_again.spec.box)[..., :3] == want).all()
    assert other.joined == joined


def everything(painting, wavy) -> None:
    stroke(painting, wavy, 1)
    painting.edit({"what": "layers", "layers": [{"id": 1, "name": "A"}, {"id": 2, "name": "B", "mode": "multiply"}]})
    stroke(painting, wavy, 2, layer=2, colour="#2f6f93")
    make = {"kind": "ellipse", "start": [40, 30], "end": [200, 150]}
    painting.edit({"what": "shape", "layer": 5, "over": 2, "shape": {"fill": "#c2553b"}, "make": make})
    painting.edit({"what": "select", "by": {"kind": "shape", "make": make}})
    painting.edit({"what": "transform", "layers": [2], "x": 30, "turn": 20})
    painting.edit({"what": "rework", "strokes": [1], "colour": "#444444"})
    painting.edit({"what": "select", "by": {"kind": "none"}})
    painting.edit({"what": "crop", "x": 10, "y": 10, "width": 280, "height": 180})


def test_every_step_of_it_is_undone_whether_what_stood_before_is_kept_or_painted_again(canvas, wavy, monkeypatch):
    monkeypatch.setattr(enlarging, "KEPT_STEPS", 1)
    painting, journal = opened(canvas)
    stroke(painting, wavy, 1)
    painting.edit({"what": "layers", "layers": [{"id": 1, "name": "A"}, {"id": 2, "name": "B"}]})
    stroke(painting, wavy, 2, layer=2, colour="#2f6f93")
    painting.edit({"what": "layers", "layers": [{"id": 1, "name": "A"}]})
    store(painting, journal)
    other = enlarged(canvas)
    again, _ = opened(other)
    looks = [as_it_was_after(other, number) for number in (3, 2, 1)]
    for want in looks:
        again.undo()
        assert again.canvas.stack == want.stack
        assert np.array_equal(again.canvas.pixels(), want.pixels())
    again.undo()
    assert not again.canvas.pixels()[..., :3].min() < 65535, "bare paper"
    for want in reversed(looks):
        again.redo()
        assert np.array_equal(again.canvas.pixels(), want.pixels())


def test_layers_shapes_selections_and_reworks_come_along_and_it_can_be_painted_again_itself(canvas, wavy):
    painting, journal = opened(canvas)
    everything(painting, wavy)
    store(painting, journal)
    other = enlarged(canvas)
    twice = load(other).canvas
    assert twice.spec.box == (0, 0, 560, 360)
    assert [one.name for one in twice.stack] == [one.name for one in painting.canvas.stack]
    small = painting.canvas.view(painting.canvas.spec.box)[..., :3].astype(float)
    large = twice.view(twice.spec.box)[..., :3].astype(float).reshape(180, 2, 280, 2, 3).mean(axis=(1, 3))
    assert np.abs(large - small).mean() < 4, "the same picture with more detail"
    # Its own log gives it again, and its strokes are reworked like any.
    kinds = [one.kind for one in history(other).steps]
    assert kinds.count("stroke") == 2
    assert "rework" not in kinds
    assert np.array_equal(as_it_was_after(other, len(kinds)).pixels(), twice.pixels())
    again, _ = opened(other)
    before = again.canvas.pixels()
    again.undo()
    assert again.canvas.spec.box == (0, 0, 600, 400)
    again.redo()
    assert np.array_equal(again.canvas.pixels(), before)
    again.edit({"what": "rework", "strokes": [1], "gone": True})
    assert np.array_equal(as_it_was_after(other, len(kinds) + 1).pixels(), again.canvas.pixels())
    half = enlarged(other, "1/2")
    assert load(half).canvas.spec.box == (0, 0, 280, 180)


def test_pixels_whose_strokes_are_not_known_are_resampled(canvas, wavy):
    painting, journal = opened(canvas)
    stroke(painting, wavy, 1)
    journal.keep(painting.keep_state()[0], b"png")
    painting.edit({"what": "take-up", "state": 1})
    stroke(painting, wavy, 2)
    other = enlarged(canvas)
    large = load(other).canvas.view((0, 0, 600, 400))[..., :3].astype(float)
    small = painting.canvas.view(painting.canvas.spec.box)[..., :3].astype(float)
    assert np.abs(large.reshape(200, 2, 300, 2, 3).mean(axis=(1, 3)) - small).mean() < 4
    numbers = [one.number for one in Operation.objects.filter(canvas=other)]
    assert np.array_equal(as_it_was_after(other, numbers[-1]).pixels(), load(other).canvas.pixels())


def test_stopped_in_the_middle_nothing_is_kept(canvas, wavy):
    painting, _ = opened(canvas)
    stroke(painting, wavy, 1)
    count = Canvas.objects.count()
    with pytest.raises(Stopped):
        enlarged(canvas, watch=Watch(lambda share, words: None, lambda: True))
    assert Canvas.objects.count() == count


@pytest.mark.slow
@pytest.mark.parametrize(
    ("told", "why"),
    [
        ({"times": "9"}, "times"),
        ({"times": "1/5"}, "times"),
        ({"times": "much"}, "times"),
        ({"times": "0"}, "times"),
        ({}, "Nothing would change"),
        ({"times": "2", "edges": "torn"}, "must be open or joined"),
        ({"times": "2", "name": "x" * 200}, "must be 1 to 120"),
    ],
)
def test_what_cannot_be_is_refused_and_nothing_is_queued(canvas, told, why):
    with pytest.raises(OrvixError, match=why):
        enlarging.ask_to_enlarge(canvas.owner, canvas.pk, told)


def test_too_large_or_another_painters_is_refused(canvas, wavy, monkeypatch, django_user_model):
    painting, journal = opened(canvas)
    stroke(painting, wavy, 1)
    store(painting, journal)
    monkeypatch.setattr(enlarging, "MOST_BYTES", 2**20)
    with pytest.raises(OrvixError, match="would need about"):
        enlarging.ask_to_enlarge(canvas.owner, canvas.pk, {"times": "8"})
    with pytest.raises(Http404):
        enlarging.ask_to_enlarge(django_user_model.objects.create_user("other"), canvas.pk, {"times": "2"})
    Canvas.objects.filter(pk=canvas.pk).update(width=9000)
    with pytest.raises(OrvixError, match="must be 16 to 16384 px"):
        enlarging.ask_to_enlarge(canvas.owner, canvas.pk, {"times": "2"})
