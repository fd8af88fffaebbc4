"""Looks of a wall: so many by so many, from a distance, through other eyes; at one scale."""

from __future__ import annotations

from math import pi, tan

import numpy as np
import pytest

from orvix.errors import OrvixError
from orvix.proofs.looks import Cloth, Panel, Wall, drawn
from orvix.proofs.vision import VISIONS, seen_by
from orvix.tiles.repeats import Repeat, cloth


@pytest.fixture
def tile():
    rng = np.random.default_rng(2)
    out = np.full((30, 40, 4), 65535, np.uint16)
    out[..., :3] = rng.integers(0, 256, (30, 40, 3)) * 257
    return out


@pytest.mark.parametrize("kind", ["straight", "brick", "half-drop"])
def test_at_one_px_a_px_it_is_the_cloth_itself(tile, kind):
    made = Cloth.of(tile, Repeat(kind), 25.4)
    out = drawn(Panel(columns=3, rows=2), made, 1.0)
    want = cloth(tile // 257, Repeat(kind), 0, 0, 60, 120)
    assert out.shape == want.shape
    assert np.abs(out.astype(int) - want).max() <= 1


def test_from_away_half_an_arc_minute_is_the_blur():
    edge = np.zeros((64, 64, 4), np.uint16)
    edge[..., 3] = 65535
    edge[:, 32:, :3] = 65535
    panel = Panel.parse({"kind": "distance", "columns": 1, "rows": 1, "metres": 20})
    assert panel.blur_mm == pytest.approx(20_000 * tan(pi / 10800))
    out = drawn(panel, Cloth.of(edge, Repeat(), 25.4), 8.0).astype(float)[256, :, 0]
    rise = np.interp([0.25 * 255, 0.75 * 255], out[128:384], np.arange(256) / 8)
    sigma = (rise[1] - rise[0]) / 1.349
    assert sigma == pytest.approx(panel.blur_mm / 2, rel=0.05)
    assert out.mean() == pytest.approx(127.5, abs=0.6), "nothing is lost of its light, nor at the border"


def test_a_proof_at_a_scale_is_the_mean_of_what_a_px_covers(tile):
    made = Cloth.of(tile, Repeat(), 25.4)
    out = drawn(Panel(columns=12, rows=12), made, 1 / 20)
    assert out.shape == (18, 24, 4)
    assert np.abs(out[..., :3].astype(float) - (tile[..., :3] / 257).mean((0, 1))).max() < 8


def test_other_eyes_keep_greys_and_lose_what_they_cannot_tell():
    greys = np.repeat(np.arange(256, dtype=np.uint8)[:, None, None], 4, axis=2)
    for vision in VISIONS:
        seen = seen_by(greys, vision).astype(int)
        assert np.abs(seen[..., :3] - greys[..., :3]).max() <= 2
        assert (seen[..., 3] == greys[..., 3]).all()
    pair = np.array([[[180, 90, 40, 255], [118, 128, 40, 255]]], np.uint8)
    apart = {vision: np.abs(np.diff(seen_by(pair, vision)[0, :, :3].astype(int), axis=0)).sum() for vision in VISIONS}
    assert apart["without green cones"] < 0.6 * apart["as it is"]
    assert apart["without blue cones"] > 0.6 * apart["as it is"]


def test_a_wall_comes_back_as_it_was_and_refuses_what_it_does_not_know():
    told = {
        "panels": [
            {"kind": "repeat", "columns": 12, "rows": 1},
            {"kind": "distance", "columns": 2, "rows": 2, "metres": 12.0},
            {"kind": "surface", "surface": "mug", "scale": 0.5, "turn": 30.0, "x": 4.0, "y": 0.0, "cloth": "#ffffff"},
        ],
        "ppi": 150.0,
        "vision": "greys only",
        "cloth": "#102030",
    }
    assert Wall.parse(told).as_dict() == told
    bad = [
        ({"panels": []}, "1 to 24"),
        ({"panels": [{"kind": "sail"}]}, "known are repeat"),
        ({"panels": [{"kind": "repeat", "columns": 13}]}, "columns"),
        ({"panels": [{"kind": "repeat", "depth": 1}]}, "depth"),
        ({"panels": [{"kind": "surface", "surface": "sail"}]}, "known are bulkhead"),
        ({"panels": [{"kind": "repeat"}], "vision": "x-rays"}, "known are as it is"),
        ([], "an object"),
    ]
    for wall, words in bad:
        with pytest.raises(OrvixError, match=words):
            Wall.parse(wall)
    clear = Cloth.of(np.zeros((4, 4, 4), np.uint16), Repeat(), 100)
    assert (drawn(Panel(), clear, 4.0, ground="#102030")[..., :3] == [0x10, 0x20, 0x30]).all()
    with pytest.raises(OrvixError, match="px_per_mm"):
        drawn(Panel(), clear, 0)
