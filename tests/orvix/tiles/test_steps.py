"""What each step does to pixels, on pictures whose answers are known by hand."""

from __future__ import annotations

from colorsys import hsv_to_rgb
from fractions import Fraction

import cv2
import numpy as np
import pytest

from orvix.pictures.packing import pixels_to_straight, straight_to_pixels
from orvix.registry import check_values
from orvix.tiles.repeats import Repeat, cloth
from orvix.tiles.state import TileState
from orvix.tiles.steps import STEPS
from orvix.tiles.steps.registry import StepOrder

STRAIGHT = Repeat("straight")


def run(name: str, rgb, alpha=None, repeat: Repeat = STRAIGHT, **values) -> TileState:
    step = STEPS.get(name)
    pixels = rgb if rgb.dtype == np.uint16 else straight_to_pixels(np.asarray(rgb, np.float32), alpha)
    return step.run(TileState(pixels, repeat), StepOrder(check_values(step.values, values, name)))


def rgb_of(state: TileState) -> np.ndarray:
    return pixels_to_straight(state.pixels)[0]


def greys(*tones: float, rows: int = 4) -> np.ndarray:
    """One column for each tone, four times over."""
    return np.repeat(np.tile(np.repeat(tones, 4), (rows, 1))[..., None], 3, axis=2).astype(np.float32)


def tones(state: TileState) -> list[float]:
    return [round(float(tone), 3) for tone in rgb_of(state)[0, ::4, 0]]


@pytest.fixture
def noise() -> np.ndarray:
    return np.random.default_rng(2).random((60, 80, 3)).astype(np.float32)


def test_levels_take_black_white_and_the_middle():
    given = greys(0.0, 0.2, 0.5, 0.8, 1.0)
    assert tones(run("levels", given, black=0.2, white=0.8)) == [0, 0, 0.5, 1, 1]
    assert tones(run("levels", given, black=0, white=1, gamma=2)) == pytest.approx(
        [0, 0.2**0.5, 0.5**0.5, 0.8**0.5, 1], abs=1e-3
    )


def test_contrast_turns_about_the_middle_and_brightness_adds():
    given = greys(0.25, 0.5, 0.75)
    assert tones(run("contrast", given, contrast=-0.5, brightness=0)) == [0.375, 0.5, 0.625]
    assert tones(run("contrast", given, contrast=0, brightness=0.2)) == [0.45, 0.7, 0.95]
    hard = tones(run("contrast", given, contrast=0.5, brightness=0))
    assert hard == pytest.approx([0.01, 0.5, 0.99], abs=0.002)


def test_a_negative_is_its_own_reverse_and_half_of_it_is_grey(noise):
    once = run("negative", noise)
    assert np.abs(rgb_of(once) - (1 - noise)).max() < 1e-4
    assert np.array_equal(run("negative", once.pixels).pixels, straight_to_pixels(noise))
    assert np.abs(rgb_of(run("negative", noise, strength=0.5)) - 0.5).max() < 1e-4


@pytest.mark.parametrize(
    ("by", "want"), [("luma", 0.2126), ("even", 1 / 3), ("red", 1.0), ("green", 0.0), ("blue", 0.0)]
)
def test_colour_goes_out_by_the_channel_asked_for(by, want):
    red = np.zeros((3, 3, 3), np.float32)
    red[..., 0] = 1
    assert np.abs(rgb_of(run("colour-out", red, by=by)) - want).max() < 1e-4
    half = rgb_of(run("colour-out", red, by=by, strength=0.5))
    assert np.abs(half - (0.5 * red + 0.5 * want)).max() < 1e-4


def test_hues_turn_and_fade_while_light_stays():
    colour = np.full((4, 4, 3), (0.7, 0.4, 0.3), np.float32)
    same = rgb_of(run("hue", colour))
    assert np.abs(same - colour).max() < 2e-3
    grey = rgb_of(run("hue", colour, saturation=0))[0, 0]
    assert np.ptp(grey) < 3e-3
    back = run("hue", run("hue", colour, hue=40).pixels, hue=-40)
    assert np.abs(rgb_of(back) - colour).max() < 5e-3
    assert rgb_of(run("hue", colour, lightness=20)).mean() > colour.mean() + 0.1


def test_a_gradient_gives_each_grey_its_colour():
    colours = [[0.0, "#000080"], [0.5, "#ff0000"], [1.0, "#ffff00"]]
    got = rgb_of(run("colours", greys(0, 0.25, 0.5, 1), colours=colours))[0, ::4]
    want = [(0, 0, 128 / 255), (0.5, 0, 64 / 255), (1, 0, 0), (1, 1, 0)]
    assert np.abs(got - want).max() < 2e-3


def test_a_threshold_leaves_two_tones_and_takes_specks_out():
    page = np.full((40, 40, 3), 0.9, np.float32)
    page[10:20, 10:20] = 0.1
    page[12, 12] = 0.9  # a hole of one px in it
    page[30, 30:33] = 0.1  # a speck of three
    page[0, 0] = page[-1, -1] = page[0, -1] = 0.1  # one speck in the corners, whole only on the cloth
    clean = rgb_of(run("threshold", page, specks=4))[..., 0]
    want = np.ones((40, 40))
    want[10:20, 10:20] = 0
    assert np.array_equal(clean, want)
    kept = rgb_of(run("threshold", page, specks=3))[..., 0]
    assert kept[30, 30:33].tolist() == [0, 0, 0]
    assert kept[0, 0] == kept[-1, -1] == 0
    assert kept[12, 12] == 0
    raw = rgb_of(run("threshold", page, specks=0))[..., 0]
    assert set(np.unique(raw)) == {0, 1}
    assert raw[12, 12] == 1


def test_a_soft_threshold_has_a_slope():
    got = tones(run("threshold", greys(0.3, 0.45, 0.5, 0.55, 0.7), specks=0, softness=0.4))
    assert got == [0, 0.25, 0.5, 0.75, 1]


def test_blur_spreads_over_the_border_and_keeps_the_sum():
    dot = np.zeros((41, 41, 3), np.float32)
    dot[0, 0] = 1
    blurred = rgb_of(run("blur", dot, reach=5))[..., 0]
    assert blurred[-1, -1] == pytest.approx(blurred[1, 1], abs=1e-4)
    assert blurred.sum() == pytest.approx(1, abs=0.03)
    assert blurred[0, 1] == pytest.approx(blurred[1, 0], abs=1e-4)


@pytest.mark.parametrize(("direction", "along"), [(0, (0, 1)), (90, (1, 0)), (45, (-1, 1)), (135, (1, 1))])
def test_blur_along_a_direction_runs_only_there(direction, along):
    dot = np.zeros((41, 41, 3), np.float32)
    dot[20, 20] = 1
    blurred = rgb_of(run("blur", dot, kind="along", reach=10, direction=direction))[..., 0]
    dy, dx = along
    assert blurred[20 + 2 * dy, 20 + 2 * dx] > 0.05
    assert blurred[20 - 2 * dy, 20 - 2 * dx] > 0.05
    assert blurred[20 + 3 * dx, 20 - 3 * dy] < 1e-4  # square to it


def test_sharpening_steepens_an_edge_and_leaves_flat_places():
    edge = greys(0.4, 0.4, 0.6, 0.6)
    sharp = rgb_of(run("sharpen", edge, amount=1, reach=5))[0, :, 0]
    assert sharp[7] < 0.4 < 0.6 < sharp[8]
    assert np.abs(rgb_of(run("sharpen", greys(0.5, 0.5), amount=4)) - 0.5).max() < 1e-4


def test_the_median_takes_single_grains_out_and_keeps_edges():
    page = greys(0.2, 0.2, 0.8, 0.8, rows=16)
    dirty = page.copy()
    dirty[5, 2] = 1
    dirty[0, 11] = 0
    clean = rgb_of(run("median", dirty))
    assert np.abs(clean[:, 1:15] - page[:, 1:15]).max() < 1e-4


@pytest.mark.parametrize(("across", "down", "size"), [(50, 50, (30, 40)), (50, 100, (60, 40)), (200, 150, (90, 160))])
def test_another_size_is_the_same_picture(across, down, size):
    y, x = np.mgrid[0:60, 0:80]
    waves = 0.5 + 0.3 * np.sin(2 * np.pi * x / 80) * np.cos(2 * np.pi * y / 60)
    state = run("resize", np.repeat(waves[..., None], 3, axis=2), across=across, down=down)
    assert state.pixels.shape[:2] == size
    rows, columns = size
    y, x = (np.mgrid[0:rows, 0:columns] + 0.5) * np.array([60 / rows, 80 / columns])[:, None, None] - 0.5
    want = 0.5 + 0.3 * np.sin(2 * np.pi * x / 80) * np.cos(2 * np.pi * y / 60)
    assert np.abs(rgb_of(state)[..., 0] - want).max() < 0.01


def test_a_crop_is_the_part_asked_for(noise):
    part = run("crop", noise, left=25, top=50, across=50, down=25)
    assert np.array_equal(part.pixels, straight_to_pixels(noise)[30:45, 20:60])
    past = run("crop", noise, left=90, top=90, across=80, down=80)
    assert past.pixels.shape[:2] == (6, 8)


QUARTERS = ("quarter left", "quarter right", "half", "mirror across", "mirror down")


@pytest.mark.parametrize("how", QUARTERS)
@pytest.mark.parametrize("kind", ["straight", "brick", "half-drop"])
def test_a_turned_tile_makes_the_turned_cloth(how, kind, noise):
    repeat = Repeat(kind, Fraction(1, 4))
    pixels = straight_to_pixels(noise)
    state = run("turn", pixels, repeat=repeat, how=how)
    around = 200
    before = cloth(pixels, repeat, -around, -around, 2 * around, 2 * around)
    turned = {
        "quarter left": lambda one: np.rot90(one, 1), "quarter right": lambda one: np.rot90(one, -1),
        "half": lambda one: np.rot90(one, 2), "mirror across": lambda one: one[:, ::-1],
        "mirror down": lambda one: one[::-1],
    }[how](before)  # fmt: skip
    after = cloth(state.pixels, state.repeat, 0, 0, 60, 60)
    found = [
        (y, x) for y in range(160) for x in range(160)
        if np.array_equal(turned[y, x], after[0, 0]) and np.array_equal(turned[y : y + 60, x : x + 60], after)
    ]  # fmt: skip
    assert found  # the new cloth is somewhere in the old one, turned


def test_four_quarter_turns_and_two_mirrors_change_nothing(noise):
    pixels = straight_to_pixels(noise)
    for how, times in (("quarter left", 4), ("half", 2), ("mirror across", 2), ("mirror down", 2)):
        state = TileState(pixels, Repeat("half-drop", Fraction(1, 4)))
        step = STEPS.get("turn")
        for _ in range(times):
            state = step.run(state, StepOrder(check_values(step.values, {"how": how}, "turn")))
        assert np.array_equal(state.pixels, pixels), how
        assert state.repeat.stagger_px(80, 60) == 15


def test_a_move_brings_back_on_the_other_side_what_leaves(noise):
    moved = run("move", noise, across=25, down=-10)
    assert np.array_equal(moved.pixels, np.roll(straight_to_pixels(noise), (-6, 20), axis=(0, 1)))


def test_alpha_from_tone_keeps_dark_or_light_parts():
    given = greys(0.0, 0.25, 1.0)
    dark = run("alpha", given, paints="dark", colour="one", one="#ff0000")
    assert dark.pixels[0, ::4, 3].tolist() == pytest.approx([65535, 49151, 0], abs=2)
    assert rgb_of(dark)[0, 0].tolist() == [1, 0, 0]
    light = run("alpha", given, paints="light")
    assert light.pixels[0, ::4, 3].tolist() == pytest.approx([0, 16384, 65535], abs=2)


def test_a_rim_is_empty_and_the_middle_untouched(noise):
    state = run("rim", noise, width=10, softness=0)
    assert state.pixels[:8].max() == state.pixels[:, :8].max() == 0
    assert state.pixels[-8:].max() == state.pixels[:, -8:].max() == 0
    assert np.array_equal(state.pixels[10:-10, 10:-10], straight_to_pixels(noise)[10:-10, 10:-10])


def test_evened_light_has_one_mean_and_keeps_its_detail():
    y, x = np.mgrid[0:96, 0:96]
    detail = 1 + 0.2 * np.sin(x * np.pi / 2) * np.sin(y * np.pi / 2)
    fall = 0.35 + 0.4 * np.sin(np.pi * x / 95)
    state = run("even-light", np.repeat((fall * detail)[..., None], 3, axis=2), reach=12)
    quarters = rgb_of(state)[..., 0].reshape(4, 24, 4, 24).mean(axis=(1, 3))
    assert np.ptp(quarters) < 0.3 * np.ptp((fall * detail).reshape(4, 24, 4, 24).mean(axis=(1, 3)))
    middle = rgb_of(state)[40:56, 40:56, 0]
    assert middle.std() / middle.mean() == pytest.approx(0.1, rel=0.1)
    left = run("even-light", np.repeat((fall * detail)[..., None], 3, axis=2), strength=0)
    assert np.abs(rgb_of(left)[..., 0] - fall * detail).max() < 1e-4


def ab_of(rgb: np.ndarray) -> np.ndarray:
    """CIE L*a*b*, a* and b* only, by OpenCV."""
    return cv2.cvtColor(np.ascontiguousarray(rgb, np.float32), cv2.COLOR_RGB2LAB)[..., 1:]


def test_evening_the_light_keeps_the_colours_that_change_slowly():
    y, x = (part / 127 for part in np.mgrid[0:128, 0:128].astype(np.float32))
    warm = 0.5 + 0.04 * (x - 0.5)[..., None] * np.array([1, 0, -1])  # concrete, a little warmer on the right
    evened = rgb_of(run("even-light", warm))
    assert np.abs(ab_of(evened) - ab_of(warm)).max() < 1
    sky = np.array([0.25, 0.45, 0.8]) * (1 - y[..., None]) + 0.85 * y[..., None]
    evened = rgb_of(run("even-light", sky))
    blue = ab_of(evened)[..., 1]
    assert blue.max() < 1, "no blue turns yellow"
    assert (np.diff(blue.reshape(4, 32, 128).mean(axis=(1, 2))) > 1).all(), "and it stays bluest at the top"
    assert blue[:32].mean() < 0.7 * ab_of(sky)[:32, :, 1].mean()
    hues = np.array([hsv_to_rgb(hue, 0.7, 0.8) for hue in x[0]])[None].repeat(128, axis=0)
    before, after = (ab_of(one) for one in (hues, rgb_of(run("even-light", hues))))
    turned = np.degrees(np.arctan2(after[..., 1], after[..., 0]) - np.arctan2(before[..., 1], before[..., 0]))
    assert np.abs((turned + 180) % 360 - 180).max() < 8
    assert (np.linalg.norm(after, axis=2) > 0.6 * np.linalg.norm(before, axis=2)).all()


def test_evening_the_light_goes_only_so_far_and_loses_no_hue_in_the_highlights():
    dark = np.full((64, 64, 3), 0.9, np.float32)
    dark[:, :20] = 0.02  # a black wall is no shadow
    evened = rgb_of(run("even-light", dark, reach=2))
    assert evened[:, :8].max() <= 0.061
    shaded = np.linspace(0.3, 0.8, 64)[None, :, None] * np.array([1, 0.6, 0.4]) * np.ones((64, 1, 1))
    shaded[::8, ::8] = [1, 0.6, 0.4]
    evened = rgb_of(run("even-light", shaded))
    assert np.abs(evened[..., 1] / evened[..., 0] - 0.6).max() < 1e-3


def test_a_soft_blend_takes_a_step_out_of_the_border_at_full_contrast():
    chance = np.random.default_rng(4)
    fine = chance.normal(0.5, 0.08, (128, 128, 1)).repeat(3, axis=2)
    slope = np.linspace(-0.15, 0.15, 128)[None, :, None]
    state = run("border-blend", np.clip(fine + slope, 0, 1), band=25, axis="across")
    got = rgb_of(state)[..., 0]
    assert abs(float(got[:, :3].mean() - got[:, -3:].mean())) < 0.03
    assert got[:, :8].std() == pytest.approx(0.08, rel=0.2)
    faded = rgb_of(run("border-blend", np.clip(fine + slope, 0, 1), band=25, axis="across", keep=0))[..., 0]
    assert faded[:, 12:20].std() < 0.9 * got[:, 12:20].std()


def test_copies_of_itself_are_smaller_and_laid_by_the_mode():
    page = np.ones((80, 80, 3), np.float32)
    page[30:50, 30:50] = 0
    over = rgb_of(run("copies", page, scale=50, turn=0, strength=1, mode="multiply"))[..., 0]
    assert over[40, 40] == 0
    dark = float((over < 0.5).mean())
    assert 400 / 6400 < dark <= 3 * 400 / 6400  # the square itself and four of a quarter of its area
    assert np.array_equal(rgb_of(run("copies", page, strength=0)), page)
    lighter = rgb_of(run("copies", page, scale=50, turn=0, strength=1, mode="lighten"))[..., 0]
    assert (lighter >= page[..., 0] - 1e-4).all()


def test_spots_are_healed_where_they_were_named():
    y, x = np.mgrid[0:120, 0:120]
    page = np.repeat((0.5 + 0.2 * np.sin(x / 3) * np.sin(y / 4))[..., None], 3, axis=2)
    spoiled = page.copy()
    spoiled[(x - 40) ** 2 + (y - 60) ** 2 < 49] = 0
    state = run("mend-stains", spoiled, spots=[[40 / 120, 60 / 120, 9 / 120]])
    assert np.abs(rgb_of(state)[54:67, 34:47, 0] - 0.5).max() < 0.35
    assert rgb_of(state)[60, 40, 0] > 0.2
    far = (x - 40) ** 2 + (y - 60) ** 2 > 20**2
    assert np.abs(rgb_of(state)[far] - page[far]).max() < 1e-4
    assert np.array_equal(run("mend-stains", spoiled).pixels, straight_to_pixels(spoiled.astype(np.float32)))
