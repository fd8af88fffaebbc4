"""What a painter has in use on a canvas is stored for each person and canvas, and checked."""

from __future__ import annotations

import json

import pytest

from orvix.errors import OrvixError
from orvix_web.brushes.services import create_brush
from orvix_web.canvases import in_use
from orvix_web.canvases.models import InUse
from orvix_web.errors import NotYours

pytestmark = pytest.mark.django_db


def test_what_is_in_use_comes_back_whole(client, kit):
    assert in_use.in_use(kit.owner.pk, kit.canvas) is None
    told = {value.name: value.default for value in in_use.VALUES}
    told |= {"brush": kit.brush.pk, "size": 33.0, "layer": 1, "mode": "erase", "zoom": 2.5, "fits": False, "x": -40.5}
    href = f"/canvases/{kit.canvas.pk}/in-use/"
    for _ in range(2):
        assert client.post(href, json.dumps(told), content_type="application/json").status_code == 200
    assert in_use.in_use(kit.owner.pk, kit.canvas) == told
    assert InUse.objects.count() == 1


def test_the_brush_in_use_is_taken_up_in_its_newest_version(client, kit):
    newer = create_brush(kit.owner, "Made later")
    href = f"/canvases/{kit.canvas.pk}/"
    assert f'data-chosen="{newer.latest.pk}"' in client.get(href).content.decode()
    in_use.keep(kit.owner.pk, kit.canvas.pk, {"brush": kit.brush.pk})
    assert f'data-chosen="{kit.brush.latest.pk}"' in client.get(href).content.decode()
    in_use.keep(kit.owner.pk, kit.canvas.pk, {"brush": 999_999})
    assert f'data-chosen="{newer.latest.pk}"' in client.get(href).content.decode()


@pytest.mark.parametrize(
    "told",
    [
        {"size": -1},
        {"mode": "carve"},
        {"colour": "red"},
        {"zoom": float("nan")},
        {"x": float("inf")},
        {"layer": 1.5},
        {"flipped": 1},
        {"mood": "good"},
        [],
    ],
)
def test_what_cannot_be_in_use_is_refused(kit, told):
    with pytest.raises(OrvixError):
        in_use.keep(kit.owner.pk, kit.canvas.pk, told)
    assert not InUse.objects.exists()


def test_it_is_the_owners(kit, stranger):
    with pytest.raises(NotYours):
        in_use.keep(stranger.pk, kit.canvas.pk, {})
