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
    with pytest.raises(BadValue, match="nest at most 4 deep"):
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


def pieces_of(grey: np.ndarray, repeat_x: int = 2, repeat_y: int = 2) -> int:
    """How many separate light pieces lie on the cloth, for each tile."""
    import cv2

    around = np.tile(grey, (repeat_y, repeat_x))
    rows, columns = around.shape
    count, _, told, middles = cv2.connectedComponentsWithStats((around > 30000).astype(np.uint8), connectivity=4)
    inside = [
        1 for n in range(1, count)
        if told[n, cv2.CC_STAT_AREA] > 20
        and columns / 4 <= middles[n, 0] < 3 * columns / 4 and rows / 4 <= middles[n, 1] < 3 * rows / 4
    ]  # fmt: skip
    return len(inside)


PLAIN = {"ragged": 0, "irregular": 0, "variation": 0, "tone": 0.8, "joint_tone": 0.0, "joint": 1.5, "bevel": 0}


@pytest.mark.parametrize(
    ("source", "values", "count"),
    [
        ("courses", {"across": 5, "down": 6, "shift": 0.5}, 30),
        ("polygons", {"shape": "squares", "across": 6}, 36),
        ("polygons", {"shape": "triangles", "across": 6}, 72),
        ("polygons", {"shape": "hexagons", "across": 6}, 36),
        ("basket", {"across": 4, "pieces": 2}, 32),
        ("herringbone", {"across": 8, "ratio": 2}, 32),
    ],
)
def test_there_are_as_many_pieces_as_asked(source, values, count):
    """Hexagons and triangles are counted to a row, for their rows are taken to what closes."""
    size = (480, 480)
    found = pieces_of(tile(source, size, **{**PLAIN, **values, "rounding": 0})[..., 0])
    assert found == pytest.approx(count, rel=0.2 if values.get("shape") in ("triangles", "hexagons") else 0.01)


@pytest.mark.parametrize("source", ["courses", "polygons", "basket"])
def test_corners_are_round_where_asked(source):
    crisp, rounded = (tile(source, (400, 400), **{**PLAIN, "rounding": r})[..., 0] for r in (0, 4))
    assert (rounded > 30000).sum() < 0.99 * (crisp > 30000).sum()
    assert ((rounded > 30000) & (crisp < 30000)).sum() < 40


def test_a_bevel_is_lit_from_the_upper_left():
    values = {**PLAIN, "across": 2, "down": 2, "shift": 0, "bevel": 5, "relief": 1, "tone": 0.5, "rounding": 0}
    grey = tile("courses", (400, 400), **values)[..., 0].astype(int)
    face, upper, lower = grey[100, 100], grey[10, 100], grey[190, 100]
    left, right = grey[100, 10], grey[100, 190]
    assert upper > face > lower
    assert left > face > right


def test_uneven_ends_hang_lower_and_overlapping_pieces_are_shaded():
    flush = tile("shingles", (300, 300), hang=0, irregular=0, ragged=0, variation=0, shadow=0)[..., 0]
    joints = (flush < 20000).mean(axis=1)
    assert (joints > 0.9).sum() >= 8  # ends in one line
    hanging = tile("shingles", (300, 300), hang=1, irregular=0, ragged=0, variation=0, shadow=0)[..., 0]
    assert ((hanging < 20000).mean(axis=1) > 0.9).sum() == 0
    for source in ("shingles", "fish-scale"):
        lit, shaded = (tile(source, shadow=s, variation=0, ragged=0)[..., 0].mean() for s in (0, 1))
        assert shaded < 0.97 * lit, source


def test_cells_are_told_in_four_ways():
    made = {kind: tile("cells", kind=kind, disorder=0.9)[..., 0] for kind in
            ("nearest", "second", "difference", "cell value")}  # fmt: skip
    assert len({one.tobytes() for one in made.values()}) == 4
    assert len(np.unique(made["cell value"])) <= 64  # one tone for each of eight by eight
    assert len(np.unique(made["nearest"])) > 1000
    even = tile("cells", (256, 256), kind="nearest", cells=8, disorder=0)[..., 0]
    assert np.abs(even.astype(int) - np.roll(even, 32, axis=1)).max() <= 64


def test_stretched_clouds_and_cells_lie_along_their_direction():
    for source in ("noise", "cells"):
        level = tile(source, stretch=6, direction=0, **({"cells": 12} if source == "cells" else {}))[..., 0]
        along, across = (np.abs(np.diff(level.astype(float), axis=axis)).mean() for axis in (1, 0))
        assert across > 1.5 * along, source
        upright = tile(source, stretch=6, direction=90, **({"cells": 12} if source == "cells" else {}))[..., 0]
        along, across = (np.abs(np.diff(upright.astype(float), axis=axis)).mean() for axis in (1, 0))
        assert along > 1.5 * across, source


def test_rougher_noise_has_more_fine_detail_and_ridges_are_light_veins():
    smooth, rough = (tile("noise", roughness=r)[..., 0].astype(float) for r in (0.2, 0.9))
    fine = [np.abs(np.diff(one, axis=1)).mean() / one.std() for one in (smooth, rough)]
    assert fine[1] > 2 * fine[0]
    ridged, turbulent = (tile("noise", kind=kind, octaves=1)[..., 0] / 65535 for kind in ("ridged", "turbulent"))
    # One octave's ridges are the creases of the other, light for dark.
    assert np.corrcoef(ridged.ravel(), turbulent.ravel())[0, 1] < -0.9


def test_a_stitch_has_two_legs_and_yarn_has_strands():
    plain, twisted = (tile("knit", twist=t, variation=0)[..., 0].astype(float) for t in (0, 1))
    assert np.abs(plain - twisted).mean() > 500
    mirrored = plain[:, ::-1]
    moved = [np.abs(mirrored - np.roll(plain, n, axis=1)).mean() for n in range(20)]
    assert min(moved) < 0.25 * max(moved)  # the legs of a stitch mirror each other


def test_paper_tooth_shows_heights_or_light_and_shade():
    heights, lit = (tile("tooth", lit=value)[..., 0] for value in (0, 1))
    assert np.abs(np.corrcoef(heights.ravel(), lit.ravel())[0, 1]) < 0.5
    deep, faint = (tile("tooth", relief=value)[..., 0].std() for value in (0.9, 0.1))
    assert deep > 3 * faint


def photo_of(pixels: np.ndarray, size: tuple[int, int], **values) -> np.ndarray:
    told = {"size": list(size), "source": {"name": "photo", "values": {"file": "p", **values}}}
    return Recipe.parse(told).run(lambda _: pixels).pixels


def numbered(rows: int, columns: int) -> np.ndarray:
    """A picture whose red tells the column and whose green tells the row."""
    pixels = np.full((rows, columns, 4), 65535, np.uint16)
    pixels[..., 0] = (np.arange(columns) * 65535 // (columns - 1))[None]
    pixels[..., 1] = (np.arange(rows) * 65535 // (rows - 1))[:, None]
    return pixels


def test_a_crop_of_a_photo_is_the_part_between_its_corners():
    photo = numbered(80, 120)
    assert np.array_equal(photo_of(photo, (120, 80)), photo)
    part = [[0.25, 0.25], [0.75, 0.25], [0.75, 0.75], [0.25, 0.75]]
    assert np.array_equal(photo_of(photo, (60, 40), corners=part), photo[20:60, 30:90])
    half = photo_of(photo, (60, 40)).astype(int)
    assert np.abs(half - photo.reshape(40, 2, 60, 2, 4).mean(axis=(1, 3))).max() < 700


def test_a_turned_photo_is_straightened_by_its_corners():
    photo = numbered(100, 100)
    quarter = [[0, 1], [0, 0], [1, 0], [1, 1]]  # the tile's upper left is the photo's lower left
    turned = photo_of(photo, (100, 100), corners=quarter).astype(int)
    assert np.abs(turned[..., 1] - photo[::-1, :, 1].T).max() < 8
    assert np.abs(turned[..., 0] - photo[:, :, 0].T).max() < 8


@pytest.mark.parametrize(
    "corners",
    [
        [[0, 0], [0, 1], [1, 1], [1, 0]],
        [[0, 0], [1, 0], [0.2, 0.2], [0, 1]],
        [[0, 0], [1, 0], [1, 0], [0, 1]],
        [[0, 0], [0.001, 0], [0.001, 0.001], [0, 0.001]],
    ],
)
def test_corners_the_wrong_way_round_dented_or_too_thin_are_refused(corners):
    with pytest.raises(BadValue, match="clockwise from the top left"):
        photo_of(numbered(40, 40), (40, 40), corners=corners)


def test_one_period_of_a_picture_becomes_the_tile_and_bad_ones_are_refused():
    y, x = np.mgrid[0:120, 0:160]
    grey = ((0.5 + 0.4 * np.sin(2 * np.pi * x / 40) * np.cos(2 * np.pi * y / 30)) * 65535).astype(np.uint16)
    pixels = np.dstack([grey, grey, grey, np.full_like(grey, 65535)])

    def made(period, size=(40, 30)):
        told = {"size": list(size), "source": {"name": "picture", "values": {"file": "p", "period": period}}}
        return Recipe.parse(told).run(lambda _: pixels).pixels

    assert np.abs(made([[40, 30], [40, 0], [0, 30]]).astype(int) - pixels[30:60, 40:80]).max() <= 2
    small = made([[40, 30], [80, 0], [0, 60]], (20, 15)).astype(int)
    assert small.shape == (15, 20, 4)
    assert small[..., 0].std() > 5000
    with pytest.raises(BadValue, match="two vectors"):
        made([[0, 0], [40, 0]])
    with pytest.raises(BadValue, match="arrows are swapped"):
        made([[0, 0], [0, 30], [40, 0]])


@pytest.mark.parametrize("source", ["courses", "basket", "polygons", "shingles"])
def test_a_window_of_one_px_is_that_px_of_the_tile(source):
    recipe = Recipe.parse({"size": [96, 80], "source": {"name": source, "values": {"irregular": 1, "ragged": 1}}})
    whole = recipe.render()
    for top, left in ((0, 0), (17, 40), (63, 95)):
        assert np.array_equal(recipe.render_source(window=Window(top, left, 1, 1))[0, 0], whole[top, left])
