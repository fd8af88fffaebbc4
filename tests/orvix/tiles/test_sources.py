"""What single sources promise: coverage, counts, colours, empty rims, threads and joints."""

from __future__ import annotations

import numpy as np
import pytest

from orvix.errors import BadValue, UnknownName
from orvix.pictures.writing import flat_rgb
from orvix.registry import Value
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import Repeat
from orvix.tiles.sources.registry import Order, luma
from orvix.tiles.sources.splats import FINE, LIGHTER, Marks, lay_marks
from orvix.tiles.window import Window


def tile(source: str, px=(240, 240), repeat: str = "straight", seed: int = 1, **values) -> np.ndarray:
    told = {"size": list(px), "repeat": repeat, "seed": seed, "source": {"name": source, "values": values}}
    return Recipe.parse(told).render()


@pytest.mark.parametrize("spot", ["round", "square", "elliptical", "rhombic", "line", "cross-line", "wave"])
@pytest.mark.parametrize("coverage", [15, 50, 80])
def test_a_screen_inks_the_share_it_is_asked_for(spot, coverage):
    grey = tile("screen", (600, 600), spot=spot, ruling=10, angle=0, coverage=coverage)[..., 0] / 65535
    assert 1 - grey.mean() == pytest.approx(coverage / 100, abs=0.012)
    assert tile("screen", coverage=0)[..., 0].min() == 65535
    assert tile("screen", coverage=100)[..., 0].max() == 0


def test_a_softer_screen_has_more_greys():
    hard, soft = (tile("screen", ruling=8, softness=softness)[..., 0] / 65535 for softness in (0, 0.8))
    between = [float(((one > 0.1) & (one < 0.9)).mean()) for one in (hard, soft)]
    assert between[1] > 3 * between[0]


def test_specks_are_as_many_as_asked_and_the_ground_is_bare_between():
    import cv2

    grey = tile("specks", (600, 600), density=40, size=2, sizes=0, clustering=0, softness=0, variation=0)[..., 0]
    found = cv2.connectedComponents((grey < 30000).astype(np.uint8))[0] - 1
    assert 30 <= found <= 48
    spread, heaped = (tile("specks", (600, 600), density=300, clustering=c)[..., 0] for c in (0, 1))
    boxes = [one.reshape(6, 100, 6, 100).mean(axis=(1, 3)).std() for one in (spread, heaped)]
    assert boxes[1] > 1.5 * boxes[0]


def test_fibres_lie_along_their_direction_and_streaks_too():
    for source, values in (("fibres", {"disorder": 0, "bend": 0, "direction": 0}), ("directional", {"direction": 0})):
        grey = tile(source, **values)[..., 0].astype(float)
        along, across = np.abs(np.diff(grey, axis=1)).mean(), np.abs(np.diff(grey, axis=0)).mean()
        assert across > 2.5 * along, source


def test_joints_are_as_wide_and_as_dark_as_asked():
    plain = {"ragged": 0, "irregular": 0, "bevel": 0, "rounding": 0, "variation": 0, "tone": 0.8, "joint_tone": 0.1}
    grey = tile("courses", (400, 400), across=4, down=4, shift=0, joint=2, **plain)[..., 0] / 65535
    dark = grey < 0.3
    assert dark.mean() == pytest.approx(1 - (92 / 100) ** 2, abs=0.01)
    assert grey[50, 50] == pytest.approx(0.8, abs=0.01)
    assert grey[0, 50] == pytest.approx(0.1, abs=0.01)


@pytest.mark.parametrize(
    "source", ["courses", "herringbone", "basket", "polygons", "shingles", "fish-scale", "irregular"]
)
def test_tone_goes_from_piece_to_piece_only_as_far_as_asked(source):
    plain = {"ragged": 0, "joint": 0, **({} if source in ("irregular", "fish-scale", "shingles") else {"rounding": 0})}
    even = tile(source, variation=0, bevel=0, **plain, seed=3)[..., 0]
    varied = tile(source, variation=0.8, bevel=0, **plain, seed=3)[..., 0]
    shaded = source in ("shingles", "fish-scale")
    assert even.std() < (9000 if shaded else 3500)
    assert varied.std() > even.std() + 3000


def test_a_plain_weave_is_half_warp_and_a_twill_runs_aslant():
    values = {"gap": 0, "relief": 0, "slub": 0, "warp_tone": 1.0, "weft_tone": 0.0}
    plain = tile("weave", (320, 320), threads=32, **values)[..., 0] > 32768
    assert plain.mean() == pytest.approx(0.5, abs=0.01)
    assert (plain[5, 5::20][:8] == plain[5, 5]).all()
    assert plain[5, 5] != plain[5, 15]
    twill = tile("weave", (320, 320), threads=32, binding="twill", run=4, **values)[..., 0] > 32768
    assert np.array_equal(twill, np.roll(twill, (10, 10), axis=(0, 1)))
    assert not np.array_equal(twill, np.roll(twill, (10, -10), axis=(0, 1)))
    satin = tile("weave", (350, 350), threads=35, binding="satin", run=5, **values)[..., 0] > 32768
    assert satin.mean() == pytest.approx(0.8, abs=0.02)


def test_stripes_have_their_threads_and_cross_at_half_strength():
    plain = {"gap": 0, "relief": 0, "slub": 0, "threads": 40}
    stripes = [[6, "#ff0000"], [4, "#0000ff"]]
    red = tile("ticking", (400, 400), stripes=stripes, weft="#000000", **plain)[..., 0] > 60000
    assert red[:, :60].mean() == pytest.approx(0.5, abs=0.02)
    assert red[:, 60:100].sum() == 0
    rgb = flat_rgb(tile("check", (400, 400), stripes=stripes, threads_show=0, **plain))
    assert rgb[30, 30] == pytest.approx([1, 0, 0], abs=0.01)
    assert rgb[30, 80] == pytest.approx([0.5, 0, 0.5], abs=0.01)
    assert rgb[80, 80] == pytest.approx([0, 0, 1], abs=0.01)
    with pytest.raises(BadValue, match="the stripes do not fit the tile"):
        tile("check", (64, 64), stripes=[[60, "#ff0000"], [60, "#0000ff"]], threads=32)


def test_a_net_on_nothing_has_alpha_and_knots_can_be_left_out():
    net = tile("net", ground="nothing", slack=0, twine=3)
    assert 0.02 < (net[..., 3] > 32768).mean() < 0.5
    bare = tile("net", ground="nothing", slack=0, twine=3, knots=0)
    assert (bare[..., 3] > 32768).sum() < (net[..., 3] > 32768).sum()


def test_a_gradient_takes_each_grey_to_its_colour_and_a_mix_is_masked():
    of = {"name": "screen", "values": {"coverage": 40, "ruling": 6}}
    rgb = flat_rgb(tile("gradient", of=of, colours=[[0, "#ff0000"], [1, "#00ff00"]]))
    assert rgb[..., 2].max() < 0.01
    assert np.abs(rgb[..., 0] + rgb[..., 1] - 1).max() < 0.01
    black, white = ({"name": "flat", "values": {"colour": colour}} for colour in ("#000000", "#ffffff"))
    mixed = tile("mix", under=black, over=white, mode="normal", masked=True, mask=of)
    assert np.abs(mixed[..., 0].astype(int) - tile("screen", coverage=40, ruling=6)[..., 0]).max() <= 2
    half = tile("mix", under=black, over=white, mode="normal", strength=0.5)
    assert half[..., 0].mean() / 65535 == pytest.approx(0.5, abs=1e-3)


def test_sources_inside_others_are_checked_generated_and_not_too_deep():
    photo = {"name": "photo", "values": {"file": "p"}}
    with pytest.raises(BadValue, match="must be a generated one"):
        tile("gradient", of=photo)
    with pytest.raises(UnknownName, match="known are basket"):
        tile("gradient", of={"name": "wool"})
    with pytest.raises(BadValue, match=r"ruling='999'.*finer than a px"):
        tile("gradient", of={"name": "screen", "values": {"ruling": 999}})
    deep = {"name": "noise"}
    for _ in range(6):
        deep = {"name": "gradient", "values": {"of": deep}}
    with pytest.raises(BadValue, match="at most 4 inside each other"):
        tile("gradient", of=deep)


def test_sparks_have_their_rays_light_in_the_middle_and_an_empty_rim():
    alpha = tile("sparks", (400, 400), rays=5, rim=8, uneven=0, turn=90)[..., 3] / 65535
    assert alpha[200, 200] == 1.0
    assert alpha[:32].max() == alpha[-32:].max() == alpha[:, :32].max() == 0
    around = 200 + 70 * np.stack([-np.sin(t := np.radians(np.arange(360))), np.cos(t)])
    ring = alpha[around[0].round().astype(int), around[1].round().astype(int)]
    peaks = (ring > np.roll(ring, 1)) & (ring >= np.roll(ring, -1)) & (ring > ring.mean() * 1.15)
    assert peaks.sum() == 5
    assert abs(int(np.argmax(ring)) - 90) % 72 in (0, 1, 71)


@pytest.mark.parametrize("kind", ["straight", "brick", "half-drop"])
def test_marks_wrap_under_the_repeat_and_light_adds_in_any_order_of_windows(kind):
    order = Order(60, 48, Repeat(kind), 1, {}, Window(0, 0, 48, 60), lambda name: np.zeros((1, 1, 4), np.uint16))
    ends = np.array([[1, 2, 1, 2], [58, 47, 70, 60]]) * FINE
    marks = Marks(ends.astype(np.int64), np.array([[4, 1, 0.2, 1], [3, 2, 0.7, 0.6]], np.float32))
    plane, cover = np.zeros((2, 48, 60), np.float32)
    lay_marks(plane, cover, marks, order)
    assert cover[0, 0] > 0.9
    assert cover[2, 58] > 0 or kind != "straight"
    light = np.zeros((48, 60), np.float32)
    lay_marks(light, light, marks, order, LIGHTER)
    assert light.max() <= 1.6 + 1e-6
    assert (light > 0).sum() == (cover > 0).sum()


def test_luma_is_the_same_however_the_window_lies():
    pixels = np.random.default_rng(1).integers(0, 65535, (37, 53, 4)).astype(np.uint16)
    assert np.array_equal(luma(pixels)[3:, 5:], luma(np.ascontiguousarray(pixels[3:, 5:])))


def test_rows_of_values_are_checked_by_count_and_by_number():
    points = Value("corners", "Corners", "points", [], "", low=0, high=1, least=1, most=2)
    assert points.check([[0, 1]]) == [[0.0, 1.0]]
    for bad in ([], [[0, 0]] * 3, [[0]], [[0, 2]], [["a", 0]], "ab"):
        with pytest.raises(BadValue, match="corners"):
            points.check(bad)
    colours = Value("inks", "Inks", "colours", [], "", low=0, high=1, least=1, most=2)
    assert colours.check([(0.5, "#ABCDEF")]) == [[0.5, "#abcdef"]]
    for bad in ([[0.5, "red"]], [["#000000", 0.5]], [[2, "#000000"]], [[True, "#000000"]]):
        with pytest.raises(BadValue, match="inks"):
            colours.check(bad)
    told = colours.describe()
    assert (told["least"], told["most"]) == (1, 2)
