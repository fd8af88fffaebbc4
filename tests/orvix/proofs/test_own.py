"""A painter's own surface: its corners in perspective, its grid, mask and shade, at its true size."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from orvix.errors import BadValue, UnknownName
from orvix.pictures.packing import straight_to_pixels
from orvix.proofs.looks import Cloth, Panel, drawn
from orvix.proofs.own import Laying, OwnSurface
from orvix.proofs.rendering import Look
from orvix.tiles.repeats import Repeat

SEEN = [[0.15, 0.1], [0.9, 0.25], [0.8, 0.85], [0.2, 0.95]]
"""Corners of a cloth in perspective, clockwise."""


def laid(corners=SEEN, **told) -> Laying:
    a, b, c, d = corners
    return Laying.parse({"width_mm": 200, "height_mm": 100, "points": [a, b, d, c], **told})


def check_cloth() -> Cloth:
    """A check of 10 mm at 100 px an inch."""
    side = 79
    cells = (np.indices((2 * side, 2 * side)) // side).sum(axis=0) % 2
    return Cloth.of(straight_to_pixels(np.repeat(cells[..., None], 3, axis=2).astype(np.float32)), Repeat(), 200.66)


def surface(laying, picture=None, **told) -> OwnSurface:
    picture = np.full((480, 640, 3), 200, np.uint8) if picture is None else picture
    return OwnSurface(f"test:{np.random.default_rng().integers(1 << 60)}", picture, laying, **told)


def on(own, look=None, width=640):
    cloth = check_cloth()
    return own.drawn(cloth.pyramid, cloth.ppi, look or Look(), width)


def test_corners_are_seen_in_perspective_as_an_independent_warp_has_them():
    own = surface(laid(shade=0))
    seen = on(own)[..., 0].astype(int)
    # The cloth from above at 4 px a mm, warped as a whole by OpenCV.
    flat = (np.indices((400, 800)) // 40).sum(axis=0) % 2 * np.uint8(255)
    box = np.array([[0, 0], [800, 0], [800, 400], [0, 400]], np.float32)
    there = (np.array(SEEN) * (640, 480)).astype(np.float32)
    move = cv2.getPerspectiveTransform(box, there)
    want = cv2.warpPerspective(flat.astype(np.uint8), move, (640, 480), flags=cv2.INTER_AREA).astype(int)
    inside = cv2.erode(cv2.fillConvexPoly(np.zeros((480, 640), np.uint8), there.astype(int), 1), np.ones((9, 9))) > 0
    wrong = (abs(seen - want) > 128) & inside
    assert wrong.sum() < 0.01 * inside.sum(), "but for the borders of checks"


@pytest.mark.parametrize("grid", [(1, 1), (4, 3)])
def test_a_check_of_10_mm_measures_10_mm_at_ten_places(grid):
    """Measured on the picture: from border to border of the check, mapped back by the corners alone."""
    laying = laid().with_grid(*grid)
    corners = (np.array(SEEN) * (1600, 1200)).astype(np.float32)
    back = cv2.getPerspectiveTransform(corners, np.array([[0, 0], [200, 0], [200, 100], [0, 100]], np.float32))
    seen = on(surface(laying, np.full((1200, 1600, 3), 200, np.uint8)), width=1600)[..., 0].astype(np.float32)
    for down in np.linspace(0.22, 0.83, 10):
        a, b = laying.places(np.array([0.05, 0.95]), np.array([down]))[0]
        line = ((a + (b - a) * np.linspace(0, 1, 4000)[:, None]) * (1600, 1200)).astype(np.float32)
        row = cv2.remap(seen, line[:, :1], line[:, 1:], cv2.INTER_LINEAR)[:, 0]
        turns = np.flatnonzero(np.diff(row > (row.max() + row.min()) / 2))
        steps = np.diff(cv2.perspectiveTransform(line[turns][:, None], back)[:, 0, 0])
        steps = steps[steps > 5]
        assert len(steps) >= 15
        assert abs(steps.mean() - 10) <= 0.2, "within 2 %"


def test_a_grid_bends_the_cloth_through_its_knots_and_no_further():
    plain = laid().with_grid(4, 4)
    bent = plain.moved(12, *(plain.points[2, 2] + (0.05, -0.04)))
    knots = np.linspace(0, 1, 5)
    assert np.allclose(bent.places(knots, knots), bent.points, atol=1e-9)
    assert np.allclose(bent.points[[0, 0, -1, -1], [0, -1, -1, 0]], plain.points[[0, 0, -1, -1], [0, -1, -1, 0]])
    fine = np.linspace(0, 1, 41)
    moved = np.linalg.norm(bent.places(fine, fine) - plain.places(fine, fine), axis=-1)
    assert moved.max() <= 1.35 * np.hypot(0.05, 0.04), "it does not swing out between knots"
    assert moved[20, 20] == pytest.approx(np.hypot(0.05, 0.04))


def test_another_grid_is_the_same_cloth_and_a_corner_takes_its_knots_along():
    plain = laid()
    finer = plain.with_grid(4, 3)
    fine = np.linspace(0, 1, 21)
    assert np.allclose(plain.places(fine, fine), finer.places(fine, fine), atol=1e-6)
    dragged = finer.moved(0, 0.1, 0.05)
    straight = plain.moved(0, 0.1, 0.05)
    assert np.allclose(dragged.points, straight.with_grid(4, 3).points, atol=1e-6)
    assert Laying.parse(finer.as_dict()).as_dict() == finer.as_dict()


def test_outside_of_the_mask_it_is_the_picture():
    picture = np.random.default_rng(2).integers(0, 256, (480, 640, 3)).astype(np.uint8)
    mask = np.zeros((480, 640), np.uint8)
    mask[:, :320] = 255
    seen = on(surface(laid(), picture, mask=mask))[..., :3]
    assert np.array_equal(seen[:, 321:], picture[:, 321:])
    assert np.array_equal(seen[:40], picture[:40]), "and outside of the cloth"
    assert not np.array_equal(seen[200:300, 200:300], picture[200:300, 200:300])


def test_shade_falls_on_the_tile_by_its_strength():
    shade = np.full((480, 640), 255, np.uint8)
    shade[:, 320:] = 128
    white = Cloth.of(np.full((8, 8, 4), 65535, np.uint16), Repeat(), 100.0)
    for strength, want in ((0, 255), (1, 128), (0.5, 191)):
        own = surface(laid(shade=strength), shade=shade)
        seen = own.drawn(white.pyramid, 100.0, Look(), 640)
        assert abs(int(seen[240, 400, 0]) - want) <= 1
        assert seen[240, 250, 0] == 255
    dark = np.full((480, 640, 3), 200, np.uint8)
    dark[:, 500:] = 100
    seen = surface(laid(), dark).drawn(white.pyramid, 100.0, Look(), 640)
    assert abs(int(seen[240, 530, 0]) - 128) <= 2, "half as light as the brightest of the picture there"


def test_a_look_is_drawn_at_the_scale_of_its_wall():
    own = surface(laid([[0, 0], [1, 0], [1, 1], [0, 1]]))
    panel = Panel.parse({"kind": "surface", "surface": "own:7"}, lambda number: {7: own}[number])
    assert panel.size_mm(check_cloth()) == pytest.approx((200 * np.sqrt(2 / 3), 150 * np.sqrt(2 / 3)), rel=0.01)
    assert panel.as_dict()["surface"] == "own:7"
    seen = drawn(panel, check_cloth(), 2.0)
    assert seen.shape[1] == round(panel.size_mm(check_cloth())[0] * 2)
    with pytest.raises(UnknownName):
        Panel.parse({"kind": "surface", "surface": "own:7"})


@pytest.mark.parametrize(
    ("told", "rule"),
    [
        ({"points": [[0, 0], [1, 0], [1, 1]]}, "4 pairs"),
        ({"points": [[0, 0], [1, 0], [0, 1], [1, float("nan")]]}, "4 pairs"),
        ({"points": [[0, 0], [1, 0], [0, 1], [9, 1]]}, "from -1 to 2"),
        ({"points": [[1, 0], [0, 0], [0, 1], [1, 1]]}, "clockwise"),
        ({"points": [[0, 0], [1, 0], [0, 1], [0.2, 0.2]]}, "corners cross"),
        ({"width_mm": 0}, "width_mm"),
        ({"columns": 9}, "columns"),
        ({"sail": 1}, "sail"),
        ("flat", "must be an object"),
    ],
)
def test_what_is_no_laying_is_refused_by_name(told, rule):
    with pytest.raises((BadValue, UnknownName), match=rule):
        Laying.parse(told)
