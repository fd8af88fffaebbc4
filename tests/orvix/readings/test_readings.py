"""The other readings on layouts whose answers are known, and the seam on faults of rising strength, moved or not."""

from __future__ import annotations

import json

import cv2
import numpy as np
import pytest

from orvix.pictures.writing import flat_rgb
from orvix.progress import Stopped, Watch
from orvix.readings import READINGS
from orvix.readings.advice import advice
from orvix.readings.registry import Subject
from orvix.readings.report import read, read_state
from orvix.readings.squint import blur_px, squint
from orvix.tiles.closing.seam import seam
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import Repeat, cloth

SIDE = 256


def dots(places, radius=11, ground=0.92) -> np.ndarray:
    tile = np.full((SIDE, SIDE, 3), ground, np.float32)
    for x, y in places:
        for dx in (-SIDE, 0, SIDE):
            for dy in (-SIDE, 0, SIDE):
                cv2.circle(tile, (round(x + dx), round(y + dy)), radius, (0.15, 0.3, 0.4), -1, cv2.LINE_AA)
    return tile


def even_places(step: int = 43) -> list[tuple[float, float]]:
    return [((x + 0.5 * (y % 2)) * step + 7, y * step + 9) for y in range(6) for x in range(6)]


def test_a_bare_place_is_a_hole_and_is_told_where_it_is():
    even = read(Subject(dots(even_places()), Repeat()))["holes"]
    assert even["applies"]
    assert even["value"] < 2.0
    bare = [place for place in even_places() if np.hypot(place[0] - 130, place[1] - 120) > 60]
    hole = read(Subject(dots(bare), Repeat()))["holes"]
    assert hole["verdict"] == "hole"
    assert np.hypot(hole["at"][0] - 130, hole["at"][1] - 120) < 25
    assert hole["radius_px"] > 35


def test_a_hole_across_the_border_of_a_staggered_repeat_is_seen():
    places = [
        place for place in even_places() if np.hypot((place[0] + 128) % 256 - 128, (place[1] + 128) % 256 - 128) > 55
    ]
    hole = read(Subject(dots(places), Repeat()))["holes"]
    assert hole["value"] > 2.0
    assert min(hole["at"][0], SIDE - hole["at"][0]) < 30
    assert min(hole["at"][1], SIDE - hole["at"][1]) < 30


def test_rows_lead_along_their_direction_and_scattered_marks_do_not():
    in_rows = [(x * 32 + 10 * (y % 3), y * 64 + 20) for y in range(4) for x in range(8)]
    told = read(Subject(dots(in_rows, 9), Repeat()))["rows"]
    assert told["verdict"] == "leads"
    assert min(told["angle_deg"], 180 - told["angle_deg"]) < 1
    chance = np.random.default_rng(3)
    scattered = read(Subject(dots(chance.uniform(0, SIDE, (60, 2)), 6), Repeat()))["rows"]
    assert scattered["value"] < told["value"] / 2


def test_one_spot_that_outweighs_the_rest_is_told_and_all_alike_are_not():
    assert read(Subject(dots(even_places()), Repeat()))["hot_spots"] == []
    tile = dots(even_places())
    cv2.circle(tile, (128, 70), 16, (0.9, 0.05, 0.02), -1)
    spots = read(Subject(tile, Repeat()))["hot_spots"]
    assert spots
    assert np.hypot(spots[0]["at"][0] - 128, spots[0]["at"][1] - 70) < 10
    assert spots[0]["value"] > 2


def test_weight_is_a_map_of_cover_without_a_verdict():
    told = read(Subject(dots([(60, 60), (90, 80), (70, 100)], 20), Repeat()))["weight"]
    assert "verdict" not in told
    cover = np.array(told["map"])
    assert cover.shape == (8, 8)
    assert cover[:4, :4].sum() > 0.95 * cover.sum()
    assert told["cover"] == pytest.approx(cover.mean(), abs=0.01)


def test_holes_and_weight_say_when_they_mean_nothing():
    for source in ("noise", "courses", "tooth"):
        told = read_state(Recipe.parse({"size": [256, 256], "source": {"name": source}}).run())
        assert not told["holes"]["applies"], source
        assert not told["weight"]["applies"], source


def test_alpha_is_where_motifs_are():
    state = Recipe.parse({"size": [256, 256], "source": {"name": "net", "values": {"ground": "nothing"}}}).run()
    told = read_state(state)
    assert told["holes"]["applies"]
    assert told["weight"]["cover"] < 0.5


def test_the_quick_form_is_of_a_reduced_picture_and_says_so():
    state = Recipe.parse({"size": [1024, 768], "source": {"name": "screen", "values": {"coverage": 20}}}).run()
    quick, full = read_state(state, quick=True), read_state(state)
    assert (quick["full"], full["full"]) == (False, True)
    assert quick["size"] == full["size"] == [1024, 768]
    assert set(full) - set(quick) == {one.name for one in READINGS if not one.quick}
    assert quick["tone"]["mean"] == pytest.approx(full["tone"]["mean"], abs=0.01)


def test_a_mirrored_tile_is_named():
    quarter = np.random.default_rng(2).random((128, 128, 3)).astype(np.float32)
    quarter = cv2.GaussianBlur(quarter, (0, 0), 3)
    tile = np.concatenate([quarter, quarter[:, ::-1]], axis=1)
    tile = np.concatenate([tile, tile[::-1]], axis=0)
    moved = np.roll(tile, (40, 0), axis=(0, 1))
    assert seam(moved, Repeat(), full=True).mirrored
    assert not seam(np.roll(tile, (40, 40), axis=(0, 1)), Repeat(), full=True).mirrored


def ramp(rgb, s):
    return rgb * (1 + 0.5 * s * np.linspace(0, 1, SIDE)[None, :, None])


def level(rgb, s):
    """Brighter from the middle on, so softly that nothing shows inside."""
    rise = np.clip((np.arange(SIDE) - 40) / 150, 0, 1)
    return rgb + 0.3 * s * (rise * rise * (3 - 2 * rise))[None, :, None]


def too_short(rgb, s):
    return cv2.resize(rgb[:, : SIDE - 1 - int(11 * s)], (SIDE, SIDE), interpolation=cv2.INTER_AREA)


def slipped(rgb, s):
    rise = np.linspace(0, 1 + 20 * s, SIDE)
    y = np.arange(SIDE)[:, None] - rise[None, :]
    x = np.broadcast_to(np.arange(SIDE)[None, :], y.shape)
    return cv2.remap(rgb, x.astype(np.float32), y.astype(np.float32), cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP)


def blurred(rgb, s):
    soft = cv2.GaussianBlur(cloth(rgb, Repeat(), -40, -40, SIDE + 80, SIDE + 80), (0, 0), 1 + 7 * s)[40:-40, 40:-40]
    near = np.clip(1 - np.minimum(np.arange(SIDE), np.arange(SIDE)[::-1]) / 20, 0, 1)[None, :, None]
    return rgb + (soft - rgb) * near


def tinted(rgb, s):
    out = rgb + 0.35 * s * np.linspace(-0.5, 0.5, SIDE)[None, :, None] * np.array([1, 0, -1])
    return out


def corner(rgb, s):
    y, x = np.mgrid[0:SIDE, 0:SIDE] / SIDE
    return rgb * (1 - 0.7 * s * x * y)[..., None]


def line(rgb, s):
    out = rgb.copy()
    out[:, :2] += (0.1 - out[:, :2]) * s
    return out


FAULTS = [ramp, level, too_short, slipped, blurred, tinted, corner, line]


@pytest.fixture(scope="module")
def clean() -> np.ndarray:
    told = {"size": [SIDE, SIDE], "seed": 4, "source": {"name": "noise", "values": {"cells": 9, "octaves": 5}}}
    return flat_rgb(Recipe.parse(told).render()) * 0.6 + 0.2


@pytest.mark.slow
@pytest.mark.parametrize("fault", FAULTS, ids=lambda fault: fault.__name__)
@pytest.mark.parametrize("move", [(0, 0), (128, 128), (37, 90)])
def test_the_seam_rises_with_eight_faults_also_where_a_move_has_taken_them(fault, move, clean):
    values = []
    for strength in (0.0, 0.35, 0.65, 1.0):
        broken = np.clip(fault(clean, strength) if strength else clean, 0, 1).astype(np.float32)
        moved = cloth(broken, Repeat(), -move[1], -move[0], SIDE, SIDE)
        values.append(seam(moved, Repeat(), full=True, borders=(move,)).value)
    assert values[0] <= 1.10
    assert values == sorted(values)
    assert values[-1] > 1.35, values


def test_advice_names_the_step_that_mends_and_not_one_that_is_there(clean):
    told = read(Subject(np.clip(ramp(clean, 1.0), 0, 1).astype(np.float32), Repeat()))
    assert [one["step"] for one in advice(told, ())] == ["even-light", "mend-border"]
    assert [one["step"] for one in advice(told, ("even-light",))] == ["mend-border"]
    assert advice(read(Subject(clean, Repeat(), proven=True)), ()) == []


def test_squinting_takes_out_what_a_sharp_eye_does_not_tell_apart():
    assert blur_px(600) == pytest.approx(1.03, abs=0.01)
    assert blur_px(4000) == pytest.approx(6.87, abs=0.01)
    checks = (np.indices((200, 200)).sum(axis=0) // 2 % 2 * 255).astype(np.uint8)
    tile = np.dstack([checks, checks, checks, np.full_like(checks, 255)])
    far = squint(tile, Repeat(), 4000)
    assert far[..., :3].std() < 3
    assert abs(float(far[..., 0].mean()) - 127.5) < 3
    assert np.array_equal(squint(tile, Repeat(), 1), tile)


def test_a_long_reading_gives_way_when_asked():
    state = Recipe.parse({"size": [900, 900], "source": {"name": "noise"}}).run()
    asked = []

    def stop() -> bool:
        asked.append(1)
        return len(asked) > 3

    with pytest.raises(Stopped):
        read_state(state, watch=Watch(asked_to_stop=stop))
    told = read_state(state, watch=Watch(asked_to_stop=lambda: False))
    assert told["seam"]["parts"]["N"] > 0


@pytest.mark.parametrize("size", [(8, 8), (9, 300), (40, 40), (41, 95), (96, 97), (700, 16)])
@pytest.mark.parametrize("repeat", ["straight", "brick", "half-drop"])
@pytest.mark.parametrize("source", ["noise", "flat"])
def test_every_reading_answers_or_says_why_not_at_any_size(size, repeat, source):
    state = Recipe.parse({"size": size, "repeat": repeat, "source": {"name": source}}).run()
    told = read_state(state)
    assert set(told) >= {one.name for one in READINGS}
    json.dumps(told, allow_nan=False)  # no reading divides by nothing
    assert told["seam"]["applies"] is (min(size) >= 40)
    assert ("N" in told["seam"]["parts"]) is (min(size) >= 96)
