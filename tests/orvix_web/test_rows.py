"""Rows on a canvas: each starts where the one beside it asks for it, and is painted again so."""

from __future__ import annotations

import numpy as np
import pytest

from orvix.strokes import rhythm
from orvix_web.brushes.services import create_from_definition
from orvix_web.canvases.journal import Journal
from orvix_web.canvases.models import Canvas
from orvix_web.canvases.services import create_canvas
from orvix_web.canvases.storage import load
from orvix_web.live.messages import Batch, Begin, End
from orvix_web.live.painting import open_painting


@pytest.fixture
def canvas(painter) -> Canvas:
    return create_canvas(painter, "Deck", {"width": 600, "height": 300, "joined": False, "ground": "#ffffff"})


def brush_of(painter, **values) -> int:
    tip = values.pop("tip", {"name": "round"})
    coat = {"tip": tip, "values": {"size": 40, "spacing": 1, "flow": 1, "hardness": 1, **values}}
    return create_from_definition(painter, "Row", {"coats": [coat]}).latest.pk


def row(y: float, start: float, stroke: int, brush: int):
    n = np.arange(60)
    samples = np.stack([n * 10, start + 7 * n, y + 0 * n, 1 + 0 * n, 0 * n, 0 * n, 0 * n], axis=1).astype(np.float64)
    return [Begin(stroke, {"brush": brush}), Batch(stroke, 0, 0.0, samples), End(stroke, len(samples))]


def painted(canvas, rows):
    painting = open_painting(canvas, Journal(canvas.pk, canvas.owner_id))
    starts = []
    for begin, batch, end in rows:
        painting.begin(begin)
        painting.carry_on(batch)
        run = painting._open.run
        marks = run.painters[0].kept_marks
        starts.append(marks[:, rhythm.S_PATH_X] + run.painters[0].origin_px[0] if len(marks) else None)
        painting.end(end)
    return painting, starts


@pytest.mark.parametrize(("starts", "share"), [("in step", 0.0), ("between", 0.5)])
def test_a_row_beside_another_starts_in_its_phase_and_again_after_a_restart(painter, canvas, starts, share):
    brush = brush_of(painter, row_start=starts)
    painting, places = painted(canvas, [row(100, 50, 1, brush), row(138, 63, 2, brush)])
    phase = ((places[1] - places[0][0]) / 40 - share) % 1
    assert np.minimum(phase, 1 - phase).max() < 0.02
    data = canvas.operations.order_by("number").last().data
    assert data["row"][3] == pytest.approx(40)
    assert np.array_equal(load(canvas).canvas.layer.whole(), painting.canvas.layer.whole())


def test_a_far_row_and_another_brush_ask_for_nothing(painter, canvas):
    brush, other = brush_of(painter, row_start="in step"), brush_of(painter, row_start="in step")
    painted(canvas, [row(40, 50, 1, brush), row(280, 63, 2, brush), row(60, 63, 3, other)])
    assert ["row" in one.data for one in canvas.operations.order_by("number")] == [False, False, False]


def test_lettering_goes_on_where_the_last_stroke_stopped(painter, canvas):
    tip = {"name": "lettering", "values": {"text": "abcdefg", "begins": "go on"}}
    brush = brush_of(painter, tip=tip, follows="heading")
    painting, _ = painted(canvas, [row(60, 50, 1, brush), row(200, 50, 2, brush)])
    first, second = canvas.operations.order_by("number")
    assert first.data["letters_gone"] == 0
    assert second.data["letters_gone"] > 7
    assert np.array_equal(load(canvas).canvas.layer.whole(), painting.canvas.layer.whole())
