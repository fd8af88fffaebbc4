"""The seam reading: faults of rising strength, strong edges on the border, and the moves of a cloth."""

from __future__ import annotations

from fractions import Fraction

import cv2
import numpy as np
import pytest

from orvix.errors import BadValue
from orvix.pictures.writing import flat_rgb
from orvix.readings.report import readings
from orvix.tiles.closing.lines import STATISTICS, line_statistics
from orvix.tiles.closing.seam import seam
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import Repeat, cloth

SIDE = 256
STRAIGHT = Repeat("straight")


@pytest.fixture(scope="module")
def clean() -> np.ndarray:
    recipe = Recipe.parse({"size": [SIDE, SIDE], "seed": 4, "source": {"name": "noise", "values": {"cells": 5}}})
    return flat_rgb(recipe.render()) * 0.7 + 0.15


def brighter_at_one_side(picture, strength):
    ramp = np.linspace(0, 1, SIDE)[None, :, None]
    return (picture * (1 + 0.35 * strength * ramp)).astype(np.float32)


def cut_too_short(picture, strength):
    px = 2 + int(28 * strength)
    return np.ascontiguousarray(picture[:, : SIDE - px])


def slipped(picture, strength):
    """The right half moved down, so that joints meet at the middle but not at the border."""
    out = picture.copy()
    px = 2 + int(22 * strength)
    rise = np.linspace(0, px, SIDE).astype(int)
    for x in range(SIDE):
        out[:, x] = np.roll(picture[:, x], rise[x], axis=0)
    return out


def other_colour(picture, strength):
    ramp = np.linspace(-0.5, 0.5, SIDE)[:, None]
    out = picture.copy()
    out[..., 0] += 0.28 * strength * ramp
    out[..., 2] -= 0.28 * strength * ramp
    return np.clip(out, 0, 1)


def soft_step(picture, strength):
    ramp = np.clip((np.arange(SIDE) - SIDE + 40) / 40, 0, 1)[:, None, None]
    return np.clip(picture + 0.22 * strength * ramp, 0, 1).astype(np.float32)


def darker_corner(picture, strength):
    y, x = np.mgrid[0:SIDE, 0:SIDE] / SIDE
    return (picture * (1 - 0.6 * strength * x * y)[..., None]).astype(np.float32)


FAULTS = [brighter_at_one_side, cut_too_short, slipped, other_colour, soft_step, darker_corner]


@pytest.mark.parametrize("fault", FAULTS, ids=lambda fault: fault.__name__)
def test_faults_of_rising_strength_read_higher_and_the_strong_ones_are_visible(fault, clean):
    assert seam(clean, STRAIGHT).value <= 1.0
    values = [seam(fault(clean, strength), STRAIGHT) for strength in (0.3, 0.6, 1.0)]
    assert values[-1].verdict == "visible", [one.value for one in values]
    assert values[-1].value > values[0].value
    assert values[1].value > 1.0


def masonry(offset: int) -> np.ndarray:
    """Courses with strong joints; at offset 0 the joints lie on the border exactly."""
    out = np.full((SIDE, SIDE, 3), 0.7, np.float32)
    out[::32], out[1::32] = 0.15, 0.15
    for row in range(8):
        for column in range(4):
            x = (column * 64 + 32 * (row % 2)) % SIDE
            out[row * 32 : row * 32 + 32, x : x + 2] = 0.15
    noise = np.random.default_rng(1).normal(0, 0.01, out.shape).astype(np.float32)
    return np.roll(np.clip(out + noise, 0, 1), (offset, offset), axis=(0, 1))


@pytest.mark.parametrize("offset", [0, 1, 9])
def test_strong_edges_on_the_border_do_not_alarm_where_the_inside_has_the_like(offset):
    reading = seam(masonry(offset), STRAIGHT)
    assert reading.verdict == "seamless", reading


def test_a_lone_edge_on_the_border_reads_high_but_a_proof_of_closing_wins():
    picture = np.full((SIDE, SIDE, 3), 0.8, np.float32)
    cv2.fillPoly(picture, [np.array([[0, 40], [0, 216], [150, 128]])], (0.1, 0.2, 0.3))
    assert seam(picture, STRAIGHT).verdict == "visible"
    proven = seam(picture, STRAIGHT, by_construction=True)
    assert proven.verdict == "seamless"
    assert proven.value > 1.35
    assert proven.by_construction


def test_plain_and_striped_pictures_are_seamless():
    flat = np.full((SIDE, SIDE, 3), 0.4, np.float32)
    assert seam(flat, STRAIGHT).value == pytest.approx(1.0)
    stripes = np.repeat((np.arange(SIDE) // 16 % 2 * 0.6 + 0.2)[None], SIDE, 0)[..., None].repeat(3, 2)
    assert seam(stripes.astype(np.float32), STRAIGHT).verdict == "seamless"


@pytest.mark.parametrize("kind", ["half-drop", "brick"])
def test_a_staggered_tile_is_read_under_its_own_repeat_and_fails_under_another(kind):
    told = {"size": [SIDE, 192], "repeat": kind, "stagger": 0.4, "source": {"name": "noise", "values": {"cells": 4}}}
    recipe = Recipe.parse(told)
    picture = flat_rgb(recipe.render())
    assert seam(picture, recipe.repeat).value <= 1.10
    assert seam(picture, STRAIGHT).value > 2
    assert seam(picture, Repeat(kind, Fraction(1, 10))).value > 2


def test_a_move_hides_the_fault_from_the_border(clean):
    bad = brighter_at_one_side(clean, 1.0)
    moved = np.roll(bad, SIDE // 2, axis=1)
    assert seam(bad, STRAIGHT).edges["left_right"] > 1.35
    assert seam(moved, STRAIGHT).edges["left_right"] < 1.1


def test_it_is_the_same_for_the_transposed_picture(clean):
    bad = cut_too_short(clean, 0.7)
    straight, turned = seam(bad, STRAIGHT), seam(np.ascontiguousarray(bad.transpose(1, 0, 2)), STRAIGHT)
    assert straight.edges["left_right"] == pytest.approx(turned.edges["top_bottom"])


def test_the_statistics_are_their_formulas():
    strip = np.random.default_rng(3).random((90, 3, 60)).astype(np.float32) * 50
    told = dict(zip(STATISTICS, line_statistics(strip), strict=True))
    b = 29
    g = np.sqrt(((strip[:, :, 1:] - strip[:, :, :-1]) ** 2).sum(axis=1))
    assert told["grad"][b] == pytest.approx(g[:, b - 1].mean(), rel=1e-5)
    assert told["resid"][b] == pytest.approx(np.abs(g[:, b - 1] - (g[:, b - 2] + g[:, b]) / 2).mean(), rel=1e-5)
    for reach in (1, 4, 16):
        step = strip[:, :, b : b + reach].mean(axis=2) - strip[:, :, b - reach : b].mean(axis=2)
        for rows in (1, 16, 64, "all"):
            count = len(step) if rows == "all" else rows
            boxes = np.stack([step[y : y + count].mean(axis=0) for y in range(len(step) - count + 1)])
            want = np.sqrt((boxes**2).sum(axis=1).mean())
            assert told[f"step {reach} over {rows}"][b] == pytest.approx(want, rel=1e-4), (reach, rows)


def test_where_it_stands_out_is_told_along_each_border(clean):
    bad = clean.copy()
    bad[100:130, :3] = 0
    along = seam(bad, STRAIGHT).along["left_right"]
    assert len(along) == SIDE // 16
    assert int(np.argmax(along)) in (6, 7)


def test_small_pictures_are_refused_and_the_report_has_its_keys():
    with pytest.raises(BadValue, match="picture='30x50'"):
        seam(np.zeros((50, 30, 3), np.float32), STRAIGHT)
    pixels = np.full((64, 64, 4), 65535, np.uint16)
    told = readings(pixels, STRAIGHT)
    assert set(told) >= {"size", "repeat", "stagger", "seam", "tone"}
    assert told["tone"]["mean"] == pytest.approx(1.0)
    assert told["tone"]["passes"] == pytest.approx(1.0)


def test_a_sheet_is_the_cloth():
    from orvix.proofs.sheets import sheet

    tile = np.arange(48).reshape(6, 8)
    assert np.array_equal(sheet(tile, Repeat("brick"), 3, 2), cloth(tile, Repeat("brick"), 0, 0, 12, 24))
    with pytest.raises(BadValue, match="columns=13"):
        sheet(tile, STRAIGHT, 13, 1)


def grainy(side: int = 512, seed: int = 1, spread: float = 0.07) -> np.ndarray:
    """Grey noise that differs from px to px, so that it closes however it is laid."""
    noise = np.random.default_rng(seed).normal(0.5, spread, (side, side, 1)).astype(np.float32)
    return np.clip(noise, 0, 1).repeat(3, axis=2)


def shaded(picture: np.ndarray, channel: int, amount: float) -> np.ndarray:
    """A ramp of so many L*, a* or b* across the tile, which is a step of as much at its border."""
    lab = cv2.cvtColor(picture, cv2.COLOR_RGB2Lab)
    lab[..., channel] += np.linspace(-0.5, 0.5, picture.shape[1], dtype=np.float32) * amount
    return np.clip(cv2.cvtColor(lab, cv2.COLOR_Lab2RGB), 0, 1)


def with_blurred_band(picture: np.ndarray, wide: int, sigma: float = 6.0) -> np.ndarray:
    half = picture.shape[1] // 2
    middle = np.roll(picture, half, axis=1)
    soft = cv2.GaussianBlur(middle, (0, 0), sigma)
    middle[:, half - wide // 2 : half + wide // 2] = soft[:, half - wide // 2 : half + wide // 2]
    return np.roll(middle, -half, axis=1)


def fence(slip_px: int, side: int = 512) -> np.ndarray:
    """Posts and rails that fall by so many px across the tile: at its border they do not meet."""
    out = np.full((side, side, 3), 0.62, np.float32)
    for x in range(32, side, side // 8):
        out[:, x : x + 14] = (0.35, 0.30, 0.25)
    for y in range(40, side, side // 4):
        out[y : y + 26] = (0.28, 0.24, 0.2)
    out += np.random.default_rng(3).normal(0, 0.03, (side, side, 1)).astype(np.float32)
    fall = np.linspace(0, slip_px, side).astype(int)
    for x in range(side):
        out[:, x] = np.roll(out[:, x], fall[x], axis=0)
    return np.clip(out, 0, 1)


@pytest.fixture(scope="module")
def barnacles() -> np.ndarray:
    """A photo that was mended."""
    from orvix.devices.photo_tray import develop

    photo = np.dstack([develop("barnacles", 640, 640)[..., :3], np.full((640, 640), 255, np.uint8)]).astype(np.uint16)
    steps = [{"name": "even-light"}, {"name": "mend-border"}]
    told = {"size": [512, 512], "source": {"name": "photo", "values": {"file": "p"}}, "steps": steps}
    return flat_rgb(Recipe.parse(told).run(lambda _: photo * np.uint16(257)).pixels)


@pytest.mark.parametrize("wide", [24, 48, 96])
def test_a_blurred_band_along_the_border_is_visible_however_wide(wide, barnacles):
    for ground in (grainy(), barnacles):
        assert seam(ground, STRAIGHT).verdict == "seamless"
        assert seam(with_blurred_band(ground, wide), STRAIGHT).verdict == "visible"
        upright = np.ascontiguousarray(with_blurred_band(ground, wide).transpose(1, 0, 2))
        assert seam(upright, STRAIGHT).edges["top_bottom"] > 1.35


def test_rails_that_do_not_meet_are_visible_though_posts_are_as_strong():
    assert seam(fence(0), STRAIGHT, full=True).verdict == "seamless"
    for slip_px in (8, 16, 30):
        found = seam(fence(slip_px), STRAIGHT, full=True)
        assert found.verdict == "visible", slip_px
        assert found.strongest == "slipped"


@pytest.mark.parametrize(("channel", "amount"), [(0, 2.0), (1, 2.0), (2, 2.0)])
def test_a_slight_step_that_grain_hides_is_at_most_faint_and_a_strong_one_is_visible(channel, amount):
    ground = grainy()
    assert seam(shaded(ground, channel, amount), STRAIGHT, full=True).verdict in ("seamless", "faint")
    assert seam(shaded(ground, 0, 5.0), STRAIGHT, full=True).verdict == "visible"
    smooth = np.full((256, 256, 3), 0.5, np.float32)
    assert seam(shaded(smooth, channel, amount), STRAIGHT, full=True).verdict == "visible"
