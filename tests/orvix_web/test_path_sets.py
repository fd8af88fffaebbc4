"""Paths from SVG files and sets of paths: read, kept, their owner's, refused by file and rule."""

from __future__ import annotations

import json
from io import BytesIO

import numpy as np
import pytest

from orvix_web.canvases import path_sets
from orvix_web.canvases.models import PathSet

pytestmark = pytest.mark.django_db

WAVE = b'<svg xmlns="http://www.w3.org/2000/svg" width="90" height="60"><path d="M5 5 C40 60 60 -20 85 50"/></svg>'
JSON = {"HTTP_ACCEPT": "application/json"}


def file(data: bytes, name: str = "wave.svg") -> BytesIO:
    made = BytesIO(data)
    made.name = name
    return made


def test_paths_are_read_about_their_middle_and_kept(client, painter):
    read = json.loads(client.post("/canvases/paths/read/", {"picture": file(WAVE)}, **JSON).content)
    places = np.array([at[:2] for at in read["pieces"][0]["points"]])
    assert read["name"] == "wave"
    assert np.abs(places.mean(axis=0)).max() < 12
    kept = client.post("/canvases/paths/", {"name": "Wave", "pieces": json.dumps(read["pieces"])}, **JSON)
    (made,) = PathSet.objects.all()
    assert (made.owner, made.name, made.pieces) == (painter, "Wave", json.loads(kept.content)["pieces"])
    assert client.post(f"/canvases/paths/{made.pk}/out/").status_code == 204
    assert not PathSet.objects.exists()


def test_what_is_no_path_is_refused_and_anothers_set_is_not_there(client, painter, stranger, monkeypatch):
    for data, name, why in (
        (b"<svg><script/></svg>", "bad.svg", "bad.svg"),
        (b"MZ nothing", "program.svg", "program.svg"),
        (WAVE.replace(b"<path", b"<title").replace(b"/></svg>", b"></title></svg>"), "empty.svg", "must have a path"),
    ):
        answer = client.post("/canvases/paths/read/", {"picture": file(data, name)}, **JSON)
        assert answer.status_code == 422
        assert why in json.loads(answer.content)["message"]
    piece = {"points": [[0, 0], [10, 10]], "closed": False}
    for told, why in (({"name": "x", "pieces": "[]"}, "Pieces"), ({"name": "", "pieces": json.dumps([piece])}, "Name")):
        assert why in json.loads(client.post("/canvases/paths/", told, **JSON).content)["message"]
    theirs = path_sets.keep_paths(stranger, "Theirs", [piece])
    assert client.post(f"/canvases/paths/{theirs.pk}/out/").status_code == 404
    monkeypatch.setattr(path_sets, "MOST_SETS", 0)
    answer = client.post("/canvases/paths/", {"name": "One more", "pieces": json.dumps([piece])}, **JSON)
    assert "The shelf holds 0 saved paths" in json.loads(answer.content)["message"]
    assert PathSet.objects.count() == 1
