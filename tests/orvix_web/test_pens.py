"""The painter's own pen is calibrated once, and used wherever a pen paints; mice and other painters are left alone."""

from __future__ import annotations

import asyncio
import json

import numpy as np
import pytest

from orvix.devices.pen import calibrated
from orvix.errors import BadValue
from orvix_web.accounts.models import Pen
from orvix_web.accounts.pens import keep_pen, pen_of
from orvix_web.benches.answers import ask
from orvix_web.canvases.journal import Journal
from orvix_web.canvases.rows import load_stroke
from orvix_web.canvases.storage import load
from orvix_web.live.messages import Batch, Begin, End
from orvix_web.live.painting import open_painting

pytestmark = pytest.mark.django_db(transaction=True)
RESPONSE = calibrated(0.1, 0.3, 0.6)


def paint(canvas, brush: int, samples, number: int, **told) -> np.ndarray:
    painting = open_painting(canvas, Journal(canvas.pk, canvas.owner_id))
    painting.begin(Begin(number, {"brush": brush, **told}))
    painting.carry_on(Batch(number, 0, 0.0, samples))
    painting.end(End(number, len(samples)))
    return load_stroke(canvas, canvas.operations.order_by("number").last().number).samples


def test_a_pens_strokes_are_kept_as_they_stand_for_and_painted_again_without_it(kit, wavy):
    brush = kit.brush.latest.pk
    plain = paint(kit.canvas, brush, wavy, 1)
    assert np.array_equal(plain, wavy)
    keep_pen(kit.owner, RESPONSE)
    own = paint(kit.canvas, brush, wavy, 2)
    assert np.allclose(own, pen_of(kit.owner.pk).apply(wavy), atol=1e-6)
    assert own[:, 3].mean() > wavy[:, 3].mean() + 0.1
    fixed = paint(kit.canvas, brush, wavy, 3, pointer="mouse", mouse="fixed", fixed=0.25)
    assert (fixed[:, 3] == 0.25).all()
    before = load(kit.canvas).canvas.layer.whole()
    Pen.objects.all().delete()
    assert np.array_equal(load(kit.canvas).canvas.layer.whole(), before)


def test_the_page_keeps_it_and_takes_it_back_and_refuses_what_is_no_response(client, kit, stranger):
    assert "Raw pressure" in client.get("/pen/").content.decode()
    kept = client.post("/pen/keep/", {"response": json.dumps(RESPONSE)})
    assert "Calibrated" in kept.content.decode()
    assert pen_of(kit.owner.pk).response == RESPONSE
    assert pen_of(stranger.pk).plain
    refused = client.post("/pen/keep/", {"response": "[[0, 1], [1, 0]]"})
    assert refused.status_code == 422
    assert "go up" in refused.content.decode()
    assert pen_of(kit.owner.pk).response == RESPONSE
    assert "Raw pressure" in client.post("/pen/keep/", {"response": "[[0, 0], [1, 1]]"}).content.decode()
    assert Pen.objects.count() == 1


def test_the_response_of_strokes_on_the_pad_and_of_typed_touches_is_the_same(kit):
    def asked(**touches):
        return asyncio.run(ask(kit.owner.pk, {"what": "pen", "touches": touches}))[0]

    drawn = asked(light=[0.1] * 20, usual=[0.3] * 20, hard=[0.6] * 20)
    typed = asked(light=0.1, usual=0.3, hard=0.6)
    assert drawn["response"] == typed["response"] == RESPONSE
    assert len(drawn["curve"]) == 65
    for wrong in (
        {},
        {"light": 0.1},
        {"light": [1, 2], "usual": 3, "hard": {}},
        {"light": 0.1, "usual": [1], "hard": 1},
    ):
        with pytest.raises(BadValue, match="touch"):
            asked(**wrong)
