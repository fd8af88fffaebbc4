"""Brush and stroke files: read of write is the same, bad ones are refused by name."""

from __future__ import annotations

import base64
import copy
import json
from pathlib import Path

import numpy as np
import pytest

from orvix.brushes.definition import Brush
from orvix.brushes.starters import STARTERS
from orvix.errors import OrvixError
from orvix.formats.brush_file import load_brush
from orvix.formats.strokes_file import load_strokes
from orvix.pictures.writing import png_bytes


def no_file(name: str) -> bytes:
    raise AssertionError(name)


@pytest.mark.parametrize("starter", list(STARTERS), ids=lambda one: one.name)
def test_starters_load_and_come_back_the_same(starter):
    loaded = load_brush(starter.data, no_file)
    assert Brush.parse(loaded.brush.as_dict()) == loaded.brush
    assert [coat.grain is not None for coat in loaded.coats] == [coat.grain is not None for coat in loaded.brush.coats]
    assert starter.purpose


def changed(**coat):
    data = copy.deepcopy(STARTERS.get("sailcloth-chalk").data)
    data["coats"][0].update(coat)
    return data


BAD = [
    ([], "must be a JSON object"),
    ({"format": "other"}, "format='other': must be orvix-brush"),
    ({"version": [3, 0]}, "this program reads version 2"),
    ({"version": [1, 0], "coats": []}, "a list of one coat"),
    ({"coats": []}, "a list of one to 4 coats"),
    ({"coats": [{}] * 5}, "a list of one to 4 coats"),
    ({"values": {"blend": "wash"}, "coats": [{}]}, "blend='wash': must be one of normal"),
    (changed(tip={"name": "star"}), "tip='star': known are"),
    (changed(values={"spacing": 0}), "spacing=0: must be 0.005 to 20 stamp lengths"),
    (changed(values={"sise": 1}), "sise"),
    (changed(values={"smallest": 50, "largest": 20}), "smallest=50.0: must be at most the largest"),
    (changed(values={"size": float("nan")}), "size=nan"),
    (changed(leads={"weather": {"pressure": {}}}), "weather"),
    (changed(leads={"size": {"mood": {}}}), "driver='mood': known are pressure"),
    (changed(leads={"size": {"pressure": {"response": [[0, 2], [1, 0]]}}}), "response"),
    (changed(leads={"size": {"pressure": {"response": [[0.5, 0], [0.5, 1]]}}}), "must go up along the driver"),
    (changed(leads={"size": {"pressure": {"response": [[0, 0]]}}}), "2 to 8 rows"),
    (changed(ribbon={"values": {}}), "a ribbon must say which tile it is"),
    (changed(grain={"source": {"png": "x", "scale": 0}}), "scale"),
    (changed(grain={"scale": 1}), "a grain must say which grain it is"),
    (changed(grain={"source": {"png": "&&"}}), "must be base64"),
    (changed(grain={"source": {}}), "must hold one of recipe, file, png"),
    (changed(grain={"source": {"file": "a"}, "hold": "hand"}), "must be one of canvas, stroke, stamp"),
    (changed(grain={"source": {"file": "a"}, "bite": "chew"}), "must be one of multiply, subtract"),
    ({**changed(), "shape": 1}, "shape"),
]


@pytest.mark.parametrize(("data", "message"), BAD, ids=[message[:28] for _, message in BAD])
def test_bad_brushes_are_refused_by_name_and_rule(data, message):
    with pytest.raises(OrvixError, match=message):
        load_brush(data, no_file)


def test_a_file_of_the_first_version_is_read_as_what_it_meant():
    golden = Path(__file__).parents[2] / "golden" / "brush-1.1.json"
    brush = load_brush(json.loads(golden.read_text()), no_file).brush
    coat = brush.coats[0]
    assert (coat.values["hardness"], coat.values["scatter_across"], coat.grain.values["hold"]) == (0.7, 1.5, "stroke")
    leads = {(lead.value, lead.driver): lead.table() for lead in coat.leads}
    assert leads["size", "pressure"][[0, -1]].tolist() == [0.5, 1.0]
    assert (leads["size", "chance_stamp"].min(), leads["size", "chance_stamp"].max()) == (0.75, 1.0)
    share, middle = np.linspace(0, 1, 257), 0.5 * 1.196
    bias = 0.15 + 0.85 * share / ((1 / middle - 2) * (1 - share) + 1)
    assert np.abs(leads["flow", "pressure"] - bias).max() < 0.004
    assert Brush.parse(brush.as_dict()) == brush


def test_a_grain_may_be_a_picture_inline_or_beside():
    png = png_bytes(np.full((8, 8, 3), 128, np.uint8))
    inline = load_brush(changed(grain={"source": {"png": base64.b64encode(png).decode()}}), no_file)
    beside = load_brush(changed(grain={"source": {"file": "g.png"}}), lambda name: png if name == "g.png" else b"")
    assert np.array_equal(inline.coats[0].grain.plane, beside.coats[0].grain.plane)
    assert inline.coats[0].grain.plane.shape == (8, 8)


@pytest.mark.parametrize(
    ("strokes", "message"),
    [
        ({}, "must be a list"),
        ([{"samples": 3}], r"strokes\[0\]"),
        ([{"samples": [[0, 1]]}], "sample 0 must be 3 to 7 numbers"),
        ([{"samples": [[0, 1, "2"]]}], "must hold numbers only"),
        ([{"samples": [[0, 1, 2, 1.5]]}], "pressure=1.5: sample 0 must be 0 to 1"),
        ([{"samples": [[5, 1, 2], [3, 1, 2]]}], "t_ms=3.0: sample 1 must not be earlier"),
        ([{"samples": [[0, 1e9, 2]]}], "x=1000000000.0"),
        ([{"samples": [[0, 1, 2]], "seed": -1}], r"seed of strokes\[0\]=-1"),
        ([{"samples": [[0, 1, 2]], "colour": "red"}], "colour='red'"),
        ([{"samples": [[0, 1, 2]], "mode": "smudged"}], "mode of strokes"),
        ([{"samples": [[0, 1, 2]], "tilt": 1}], "tilt"),
    ],
)
def test_bad_strokes_are_refused_by_name_and_rule(strokes, message):
    brush = load_brush(STARTERS.get("harbour-liner").data, no_file)
    with pytest.raises(OrvixError, match=message):
        load_strokes({"strokes": strokes}, brush)


def test_what_is_left_out_takes_its_default():
    brush = load_brush(STARTERS.get("harbour-liner").data, no_file)
    strokes = [{"samples": [[0, 1, 2]]}, {"samples": [[0, 1, 2, 0.5]]}]
    first, second = load_strokes({"strokes": strokes}, brush, "#112233")
    assert (first.seed, second.seed, first.colour) == (0, 1, "#112233")
    assert first.samples.tolist() == [[0, 1, 2, 1, 0, 0, 0]]
