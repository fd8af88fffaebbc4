"""Mending: photos that close, faults that are named, spots healed, repeats and clean parts found."""

from __future__ import annotations

import io

import cv2
import numpy as np
import pytest
from PIL import Image

from orvix.devices.photo_tray import PHOTOS, develop
from orvix.errors import BadValue
from orvix.pictures.writing import flat_rgb
from orvix.progress import Stopped, Watch
from orvix.tiles.closing.seam import seam
from orvix.tiles.closing.structure import structure_along
from orvix.tiles.lowpass import coarse
from orvix.tiles.mending.borders import METHODS, mend_borders, to_lab
from orvix.tiles.mending.cleanest import cleanest_parts
from orvix.tiles.mending.faults import faults_of
from orvix.tiles.mending.overlap import least_error_cut
from orvix.tiles.mending.periods import find_period
from orvix.tiles.mending.poisson import divergence, solve
from orvix.tiles.mending.stains import find_stains, heal
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import Repeat, cloth

WIDE, HIGH = 480, 360
GOOD = [photo.name for photo in PHOTOS if not photo.fault]


def laplacian(plane, repeat):
    """The discrete Laplacian of a tile, neighbours on the cloth."""
    rows, columns = plane.shape[:2]
    moved = repeat.stagger_px(columns, rows)
    across, down = np.roll(plane, -1, axis=1), np.roll(plane, -1, axis=0)
    if repeat.kind == "half-drop" and moved:
        across[:, -1] = np.roll(plane[:, 0], moved, axis=0)
    if repeat.kind == "brick" and moved:
        down[-1] = np.roll(plane[0], moved, axis=0)
    return divergence(across - plane, down - plane, repeat)


@pytest.fixture(scope="module")
def photos() -> dict[str, np.ndarray]:
    return {photo.name: develop(photo.name, WIDE, HIGH).astype(np.float32) / 255 for photo in PHOTOS}


def as_pixels(rgb: np.ndarray) -> np.ndarray:
    pixels = np.full((*rgb.shape[:2], 4), 65535, np.uint16)
    pixels[..., :3] = rgb * 65535
    return pixels


def recipe_of(repeat: str, *steps: str, size=(WIDE, HIGH)) -> Recipe:
    told = {"size": list(size), "repeat": repeat, "source": {"name": "photo", "values": {"file": "p"}}}
    return Recipe.parse({**told, "steps": [{"name": step} for step in steps]})


@pytest.mark.parametrize(
    "repeat", [Repeat(), Repeat("half-drop"), Repeat("brick", Repeat.parse("brick", "2/5").stagger)]
)
def test_poissons_equation_is_solved_on_every_torus(repeat):
    picture = np.random.default_rng(1).random((44, 60, 3)).astype(np.float32)
    again = solve(laplacian(picture, repeat), picture.mean(axis=(0, 1)), repeat)
    assert np.abs(again - picture).max() < 1e-5
    # The Laplacian looks at neighbours on the cloth.
    around = cloth(picture, repeat, -1, -1, 46, 62).astype(np.float64)
    want = around[1:-1, 2:] + around[1:-1, :-2] + around[2:, 1:-1] + around[:-2, 1:-1] - 4 * around[1:-1, 1:-1]
    assert np.abs(laplacian(picture, repeat) - want).max() < 1e-5
    zero = np.zeros_like(picture)
    assert np.abs(divergence(zero, zero, repeat)).max() == 0


def test_a_cut_takes_the_cheapest_way_and_closes_where_it_must():
    error = np.full((40, 12), 5.0, np.float32)
    error[:, 3] = 0
    assert (least_error_cut(error, circular=False) == 3).all()
    slanted = np.full((40, 50), 5.0, np.float32)
    slanted[np.arange(40), np.arange(40) + 4] = 0
    free, closed = (least_error_cut(slanted, circular=circular) for circular in (False, True))
    assert (free == np.arange(40) + 4).all()
    assert abs(int(closed[0]) - int(closed[-1])) <= 1
    assert np.abs(np.diff(closed)).max() <= 1


@pytest.mark.slow
@pytest.mark.parametrize("name", GOOD)
def test_photos_read_visible_raw_and_closed_when_mended(name, photos):
    photo = as_pixels(photos[name])
    raw = recipe_of("straight").run(lambda _: photo)
    assert seam(flat_rgb(raw.pixels), raw.repeat, borders=raw.borders).value > 1.35
    flattened = recipe_of("straight", "even-light").run(lambda _: photo)
    mended = recipe_of("straight", "even-light", "mend-border").run(lambda _: photo)
    rgb = flat_rgb(mended.pixels)
    assert seam(rgb, mended.repeat, borders=mended.borders).value <= 1.10
    low = coarse(to_lab(rgb), WIDE / 8, mended.repeat)
    assert np.sqrt(((low - low.mean(axis=(0, 1))) ** 2).sum(axis=2).mean()) < 3
    assert contrast(rgb) == pytest.approx(contrast(flat_rgb(flattened.pixels)), rel=0.03)


@pytest.mark.slow
@pytest.mark.parametrize("name", ["quay-wall", "deck-planking", "roof-slates"])
def test_courses_run_on_across_the_cuts(name, photos):
    flat = flat_rgb(recipe_of("straight", "even-light").run(lambda _: as_pixels(photos[name])).pixels)
    mended = mend_borders(flat, (WIDE, HIGH), Repeat("straight"), "gradient-domain", 0.1)
    lab = to_lab(mended.picture)
    assert structure_along(lab, mended.cut_across) <= 1.10
    assert structure_along(np.ascontiguousarray(lab.transpose(1, 0, 2)), mended.cut_down) <= 1.10
    assert mended.cut_across.shape == (HIGH,)
    assert mended.cut_down.shape == (WIDE,)
    shifted = np.roll(lab, HIGH // 3, axis=0)
    shifted[:, : WIDE // 2] = lab[:, : WIDE // 2]  # a fault down the middle is told from a cut that holds
    middle = np.full(HIGH, WIDE // 2)
    assert structure_along(shifted, middle) > structure_along(lab, middle) + 0.1


def contrast(rgb: np.ndarray) -> float:
    return float((rgb - coarse(rgb, rgb.shape[1] / 8, None)).std())


@pytest.mark.slow
@pytest.mark.parametrize("repeat", ["half-drop", "brick"])
@pytest.mark.parametrize("name", ["quay-wall", "beach-stones"])
def test_staggered_photos_close_too_and_every_method_closes(name, repeat, photos):
    mended = recipe_of(repeat, "even-light", "mend-border").run(lambda _: as_pixels(photos[name]))
    assert seam(flat_rgb(mended.pixels), mended.repeat).value <= 1.10
    for method in METHODS:
        closed = mend_borders(photos[name], (WIDE, HIGH), mended.repeat, method, 0.1)
        assert seam(closed.picture, mended.repeat).value <= 1.15, method


def test_a_moved_photo_reads_visible_until_it_is_mended(photos):
    photo = as_pixels(photos["beach-stones"])

    def read(*steps: str):
        state = recipe_of("straight", *steps).run(lambda _: photo)
        return seam(flat_rgb(state.pixels), state.repeat, borders=state.borders), state

    moved, state = read("half-move")
    assert state.borders == ((WIDE // 2, HIGH // 2),)
    assert seam(flat_rgb(state.pixels), state.repeat).value < 1.1
    assert moved.verdict == "visible"
    assert moved.at == (WIDE // 2, HIGH // 2)
    assert read("half-move", "mend-border")[0].verdict == "seamless"
    assert read("half-move", "mend-border", "half-move")[0].verdict == "seamless"


@pytest.mark.slow
def test_photos_that_cannot_be_closed_well_are_named_and_others_are_not():
    for photo in PHOTOS:
        told = " ".join(faults_of(develop(photo.name, 1024, 768).astype(np.float32) / 255))
        if photo.fault == "blur":
            assert "The photo is blurred at the right and sharp at the left" in told
        elif photo.fault == "angle":
            assert "Straighten it by its corners" in told
        else:
            assert told == "", photo.name


def test_four_corners_straighten_a_photo():
    flat = flat_rgb(Recipe.parse({"size": [300, 240], "source": {"name": "courses", "values": {"ragged": 0}}}).render())
    corners = np.array([[0.2, 0.1], [0.85, 0.2], [0.95, 0.9], [0.05, 0.8]])
    target = (corners * (600, 500)).astype(np.float32) - 0.5
    source = np.array([[0, 0], [300, 0], [300, 240], [0, 240]], np.float32) - 0.5
    photo = cv2.warpPerspective(flat, cv2.getPerspectiveTransform(source, target), (600, 500), flags=cv2.INTER_CUBIC)
    told = {"size": [300, 240], "source": {"name": "photo", "values": {"file": "p", "corners": corners.tolist()}}}
    state = Recipe.parse(told).run(lambda _: as_pixels(np.clip(photo, 0, 1)))
    inner = np.abs(flat_rgb(state.pixels) - flat)[8:-8, 8:-8]
    assert inner.mean() < 0.02
    dented = {"size": [64, 64], "source": {"name": "photo", "values": {"file": "p", "corners": corners[::-1].tolist()}}}
    with pytest.raises(BadValue, match="clockwise"):
        Recipe.parse(dented).run(lambda _: as_pixels(flat))


@pytest.mark.slow
def test_spots_are_found_where_they_are_and_healed_with_detail_kept(photos):
    clean = flat_rgb(
        Recipe.parse({"size": [400, 300], "source": {"name": "weave", "values": {"threads": 80}}}).render()
    )
    stained = clean.copy()
    y, x = np.mgrid[0:300, 0:400]
    for cx, cy in ((90, 80), (300, 210)):
        inside = np.clip(1.3 - np.hypot(x - cx, y - cy) / 14, 0, 1)[..., None]
        stained = stained * (1 - 0.5 * np.clip(inside, 0, 1)).astype(np.float32)
    found = find_stains(stained, Repeat())
    for cx, cy in ((90, 80), (300, 210)):
        assert any(np.hypot(one.x - cx, one.y - cy) < 10 for one in found[:3])
    healed = heal(stained, Repeat(), (90.0, 80.0, 26.0), [(300.0, 210.0, 26.0)])
    part = (slice(60, 101), slice(70, 111))
    assert abs(healed[part].mean() - clean[part].mean()) < 0.05 < abs(stained[part].mean() - clean[part].mean())
    assert 0.7 < healed[part].std() / clean[part].std() < 1.3
    assert np.array_equal(healed[150:], stained[150:])
    with pytest.raises(BadValue, match="too large to heal from this tile"):
        heal(stained, Repeat(), (90.0, 80.0, 120.0), [])


def test_a_spot_on_the_border_of_a_staggered_tile_is_healed_on_both_sides():
    told = {"size": [240, 200], "repeat": "half-drop", "source": {"name": "cells", "values": {"cells": 30}}}
    tile = flat_rgb(Recipe.parse(told).render())
    repeat = Repeat("half-drop")
    middle = cloth(tile, repeat, -100, -120, 200, 240).copy()
    cv2.circle(middle, (120, 100), 10, (1.0, 0.0, 0.0), -1)
    stained = cloth(middle, repeat, 100, 120, 200, 240)
    healed = heal(stained, repeat, (0.0, 0.0, 15.0), [])
    assert (cloth(healed, repeat, -100, -120, 200, 240)[85:116, 105:136, 0] > 0.99).mean() < 0.05


REPEATING = [
    ("courses", {"variation": 0.6}, "straight", (220, 190)),
    ("noise", {}, "half-drop", (200, 170)),
    ("specks", {"density": 60, "size": 5}, "straight", (180, 230)),
]


@pytest.mark.parametrize(("source", "values", "kind", "size"), REPEATING, ids=[row[0] for row in REPEATING])
def test_the_repeat_is_found_on_a_picture_that_is_resampled_turned_and_saved_as_jpeg(source, values, kind, size):
    told = {"size": list(size), "repeat": kind, "source": {"name": source, "values": values}}
    recipe = Recipe.parse(told)
    large = flat_rgb(cloth(recipe.render(), recipe.repeat, 0, 0, 1000, 1100))
    change = cv2.getRotationMatrix2D((550, 500), 2.0, 0.83)
    turned = cv2.warpAffine(large, change, (1100, 1000), flags=cv2.INTER_CUBIC)[200:-200, 200:-200]
    data = io.BytesIO()
    Image.fromarray((np.clip(turned, 0, 1) * 255).astype(np.uint8)).save(data, "JPEG", quality=80)
    picture = np.asarray(Image.open(data)).astype(np.float32) / 255
    found = find_period(picture)
    assert found.size == pytest.approx((size[0] * 0.83, size[1] * 0.83), abs=1.0)
    assert (found.repeat, found.turn_deg) == (kind, pytest.approx(2.0, abs=0.15))
    period = [[60, 60], list(found.across), list(found.down)]
    taken = {"size": list(found.size), "repeat": found.repeat, "stagger": str(found.stagger)}
    state = Recipe.parse({**taken, "source": {"name": "picture", "values": {"file": "p", "period": period}}}).run(
        lambda _: as_pixels(picture)
    )
    assert seam(flat_rgb(state.pixels), state.repeat).value <= 1.10


def test_where_nothing_repeats_that_is_said(photos):
    with pytest.raises(BadValue, match=r"No repeat found|in one direction only"):
        find_period(photos["beach-stones"])


def test_the_cleanest_part_has_no_stain_in_it(photos):
    photo = photos["sailcloth"].copy()
    cv2.circle(photo, (110, 100), 22, (0.1, 0.1, 0.1), -1)
    best = cleanest_parts(photo, 0.4, 0.4)[0]
    corners = np.array(best.corners()) * (WIDE, HIGH)
    inside = corners[0][0] < 110 < corners[2][0] and corners[0][1] < 100 < corners[2][1]
    assert not inside
    assert best.corners()[2] == pytest.approx([best.left + 0.4, best.top + 0.4], abs=0.01)
    with pytest.raises(BadValue, match=r"width=0.01: must be 0.1 to 1"):
        cleanest_parts(photo, 0.01, 0.4)


def test_long_work_tells_how_far_it_is_and_stops_when_asked(photos):
    told: list[float] = []
    photo = as_pixels(photos["quay-wall"])
    recipe = recipe_of("straight", "even-light", "mend-border")
    recipe.run(lambda _: photo, Watch(lambda share, words: told.append(share)))
    assert told == sorted(told)
    assert told[-1] == 1.0
    assert len(told) > 4
    with pytest.raises(Stopped):
        recipe.run(lambda _: photo, Watch(asked_to_stop=lambda: True))
