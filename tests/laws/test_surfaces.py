"""Every surface shows a tile at its true scale, in its own shape, closing under its repeat and without aliasing."""

from __future__ import annotations

from collections import OrderedDict

import numpy as np
import pytest

from orvix.errors import OrvixError
from orvix.proofs import rendering
from orvix.proofs.drawing import NOTHING
from orvix.proofs.rendering import Look, on_surface, scene_at
from orvix.proofs.sampling import Pyramid
from orvix.proofs.surfaces import SURFACES
from orvix.tiles.repeats import Repeat

CHECK_MM, PPI = 10.0, 254.0
NAMES = SURFACES.names()


def width_of(name: str) -> int:
    """So wide that a check is many px."""
    return int(max(1600, SURFACES.get(name).make().size_mm[0]))


def reach_of(name: str) -> int:
    """So many px that both ways together they see a good part of a check, and less than one."""
    return int(3 * scene_at(name, width_of(name))[1].px_per_mm)


def waves(axis: int) -> Pyramid:
    """A tile of two 10 mm checks that tells where it is: red and green the cosine and sine of the way along an axis."""
    side = round(2 * CHECK_MM / 25.4 * PPI)
    way = 2 * np.pi * (np.arange(side) + 0.5) / side
    tile = np.full((side, side, 4), 255, np.uint8)
    for channel, wave in enumerate((np.cos(way), np.sin(way), np.zeros(side))):
        plane = np.round(127.5 + 120 * wave)
        tile[..., channel] = plane[None, :] if axis == 0 else plane[:, None]
    return Pyramid.of(tile, Repeat())


def seen_mm(name: str, axis: int):
    """Where on the cloth each px looks, in mm within two checks, read from the picture alone."""
    picture = on_surface(name, waves(axis), PPI, Look(), width_of(name)).astype(float)
    grey = np.maximum(picture[..., 2], 1)
    turn = np.arctan2(picture[..., 1] / grey - 1, picture[..., 0] / grey - 1)
    return turn / (2 * np.pi) * 2 * CHECK_MM


def stretch(name: str, points):
    """How long 1 mm of the picture's checks is in space at places (row, column) of the picture, both ways."""
    scene, drawn = scene_at(name, width_of(name))
    space = drawn.places(scene)
    cloth = [seen_mm(name, axis) for axis in (0, 1)]
    reach = reach_of(name)
    found = []
    for row, column in points:
        moves = ((0, reach), (reach, 0))
        ahead = [space[row + dy, column + dx] - space[row - dy, column - dx] for dy, dx in moves]
        on_cloth = [
            [
                (part[row + dy, column + dx] - part[row - dy, column - dx] + CHECK_MM) % (2 * CHECK_MM) - CHECK_MM
                for part in cloth
            ]
            for dy, dx in moves
        ]
        tangents = np.linalg.solve(np.array(on_cloth), np.array(ahead))
        found.append(np.linalg.norm(tangents, axis=1))
    return np.array(found)


def inner_points(name: str, count: int):
    """Places well inside the cloth and turned to the eye, evenly taken."""
    scene, drawn = scene_at(name, width_of(name))
    reach = reach_of(name) + 2
    shows = np.array([sheet.colour is None for sheet in scene.sheets] + [False] * (256 - len(scene.sheets)))
    inside = shows[drawn.sheet] & (drawn.cover == 1) & (drawn.told[1] < 0.02)
    for dy, dx in ((reach, 0), (-reach, 0), (0, reach), (0, -reach)):
        inside &= np.roll(drawn.sheet, (dy, dx), (0, 1)) == drawn.sheet
    for plane in (drawn.u, drawn.v):
        inside &= np.hypot(*np.gradient(plane)) * drawn.px_per_mm < 1.4
    rows, columns = np.nonzero(inside)
    taken = np.linspace(0, len(rows) - 1, count + 2).astype(int)[1:-1]
    return list(zip(rows[taken], columns[taken], strict=True))


@pytest.mark.parametrize("name", NAMES)
def test_ten_millimetres_of_a_check_are_ten_millimetres_of_the_surface(name):
    found = stretch(name, inner_points(name, 10)) * CHECK_MM
    assert np.abs(found - CHECK_MM).max() < 0.02 * CHECK_MM, found


@pytest.mark.parametrize("name", ["cushion", "deck-chair", "endpaper", "mug", "tote"])
def test_the_checks_bend_where_the_cloth_does(name):
    _, drawn = scene_at(name, width_of(name))
    points = inner_points(name, 60)
    steps = np.hypot(*np.gradient(drawn.u))
    seen = [steps[point] * drawn.px_per_mm for point in points]
    assert max(seen) > 1.05 * min(seen), "one px sees more of the cloth where it turns away"


@pytest.mark.parametrize("name", NAMES)
def test_a_tile_moved_by_its_repeat_looks_the_same_and_light_and_cover_are_shares(name):
    rng = np.random.default_rng(5)
    tile = np.full((60, 40, 4), 255, np.uint8)
    tile[..., :3] = rng.integers(0, 256, (60, 40, 3))
    for kind, vector in (("straight", (40, 60)), ("brick", (20, 60)), ("half-drop", (40, 30))):
        pyramid = Pyramid.of(tile, Repeat(kind))
        here = on_surface(name, pyramid, 25.4, Look(), 300).astype(int)
        there = on_surface(name, pyramid, 25.4, Look(x=vector[0], y=-vector[1]), 300).astype(int)
        assert np.abs(here - there).max() <= 1
    _, drawn = scene_at(name, 300)
    assert drawn.cover.min() >= 0
    assert drawn.cover.max() <= 1
    assert (drawn.light[drawn.sheet != NOTHING] > 0.2).all()


@pytest.mark.parametrize("name", NAMES)
def test_what_is_finer_than_a_px_is_its_mean_and_not_a_moire(name):
    tile = np.full((64, 64, 4), 255, np.uint8)
    tile[:, ::2, :3] = 0
    fine = on_surface(name, Pyramid.of(tile, Repeat()), 25.4 * 40, Look(turn=7), 400).astype(int)
    tile[..., :3] = 128
    plain = on_surface(name, Pyramid.of(tile, Repeat()), 25.4 * 40, Look(turn=7), 400).astype(int)
    assert np.abs(fine - plain).max() <= 3


def test_a_surface_lists_its_values_and_refuses_what_it_does_not_know():
    for surface in SURFACES:
        told = surface.describe()
        assert told["help"]
        assert told["size"]
        assert {value["name"] for value in told["values"]} == {"scale", "turn", "x", "y", "cloth"}
    blank = Pyramid.of(np.zeros((4, 4, 4), np.uint8), Repeat())
    for told, words in (
        (("sail", 300, 100), "known are"),
        (("tote", 10, 100), "64 to 4096"),
        (("tote", 300, 0), "1 to 10000"),
    ):
        name, width, ppi = told
        with pytest.raises(OrvixError, match=words):
            on_surface(name, blank, ppi, Look(), width)
    with pytest.raises(OrvixError, match="scale"):
        Look.parse({"scale": 0})


def test_where_the_tile_is_clear_the_cloth_shows_in_its_own_light():
    _, drawn = scene_at("flat-cloth", 300)
    clear = Pyramid.of(np.zeros((4, 4, 4), np.uint8), Repeat())
    seen = on_surface("flat-cloth", clear, 100, Look(cloth="#406080"), 300)
    smooth = (np.abs(drawn.light - 1) < 0.002) & (drawn.cover == 1)
    assert smooth.sum() > 1000
    assert (np.abs(seen[smooth][:, :3].astype(int) - [0x40, 0x60, 0x80]) <= 1).all()


def test_scenes_are_kept_up_to_a_weight_and_the_last_one_always(monkeypatch):
    monkeypatch.setattr(rendering, "_drawn", OrderedDict())
    for width in (100, 101, 102):
        scene_at("mug", width)
    assert len(rendering._drawn) == 3
    assert scene_at("mug", 100)[1] is scene_at("mug", 100)[1]
    monkeypatch.setattr(rendering, "KEPT_BYTES", 1)
    last = scene_at("mug", 103)
    assert list(rendering._drawn.values()) == [last]
