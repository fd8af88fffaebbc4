"""Touch: measured on the tip's own pixels, at any size, turn and heading, also on the command line's answer."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from orvix.brushes.tips.outline import Outline
from orvix.brushes.touch import touch_report
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.strokes import Stroke, paint_stroke
from tests.orvix.strokes.test_dabs import picture_brush


def ellipse() -> np.ndarray:
    cover = np.zeros((300, 300), np.uint8)
    cv2.ellipse(cover, (150, 150), (145, 60), 20, 0, 360, 255, -1, cv2.LINE_AA)
    return cropped(cover)


def ell() -> np.ndarray:
    cover = np.zeros((200, 200), np.uint8)
    cover[20:180, 30:70] = 255
    cover[140:180, 30:170] = 255
    return cropped(cover)


def ring() -> np.ndarray:
    cover = np.zeros((240, 240), np.uint8)
    cv2.circle(cover, (120, 120), 110, 255, 22, cv2.LINE_AA)
    return cropped(cover)


def cropped(cover: np.ndarray) -> np.ndarray:
    rows, columns = (np.flatnonzero(cover.max(axis=axis) > 4) for axis in (1, 0))
    return cover[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1].astype(np.float32) / 255


SHAPES = {"ellipse": ellipse, "ell": ell, "ring": ring}


def overlap(cover: np.ndarray, size: float, apart: float, heading: float, turn: float) -> int:
    """How many px two stamps share, drawn finely and without the outline's help."""
    fine = 4
    side = round(size * fine * 3)
    scale = size * fine / max(cover.shape)

    def mask(dx: float, dy: float) -> np.ndarray:
        c, s = np.cos(np.radians(turn)) * scale, np.sin(np.radians(turn)) * scale
        middle = np.array([cover.shape[1] / 2 - 0.5, cover.shape[0] / 2 - 0.5])
        place = np.array([[c, -s, 0.0], [s, c, 0.0]])
        place[:, 2] = np.array([side / 2 + dx, side / 2 + dy]) - place[:, :2] @ middle
        return cv2.warpAffine(cover, place, (side, side), flags=cv2.INTER_AREA) >= 0.5

    step = np.array([np.cos(np.radians(heading)), np.sin(np.radians(heading))]) * apart * fine / 2
    return int((mask(*-step) & mask(*step)).sum())


@pytest.mark.parametrize("name", SHAPES)
@pytest.mark.parametrize(("heading", "turn"), [(0, 0), (90, 0), (37, 15), (200, -60)])
@pytest.mark.parametrize("size", [48, 120])
def test_stamps_at_the_touch_spacing_just_touch(name, heading, turn, size):
    cover = SHAPES[name]()
    told = touch_report(Outline(cover), size, turn, heading)
    apart = told["touch"] * told["extent_px"]
    assert overlap(cover, size, apart + 1, heading, turn) == 0
    assert overlap(cover, size, apart - 1, heading, turn) > 0
    assert told["overlap_10"] == pytest.approx(0.9 * told["touch"])
    assert told["clear_1px"] * told["extent_px"] == pytest.approx(apart + 1)
    assert told["touch"] <= 1.01


@pytest.mark.parametrize("size", [30.0, 90.0])
@pytest.mark.parametrize("turn", [0.0, 33.0])
def test_painted_stamps_leave_a_gap_and_an_overlap_below_a_px(size, turn):
    cover = ellipse()
    line = np.array([[10.0 * n, 150 + 3 * n, 150, 1, 0, 0, 0] for n in range(100)])

    def painted(gap: float) -> np.ndarray:
        canvas = Canvas(CanvasSpec(700, 300))
        by = {"spaced_by": "clear", "clear_px": gap} if gap else {"spaced_by": "touch"}
        brush = picture_brush(cover, size=size, flow=1.0, turn=turn, largest=size, smallest=1, **by)
        paint_stroke(canvas, Stroke(brush, line))
        return canvas.layer.whole()[..., 3] >= 32768

    pieces, count = cv2.connectedComponents(painted(2.0).astype(np.uint8), connectivity=4)[:2][::-1]
    assert pieces.max() == count - 1
    assert count - 1 > 300 // size
    touching = cv2.connectedComponents(painted(0.0).astype(np.uint8), connectivity=8)[0] - 1
    assert touching < count - 1, "with no gap at least some of them meet"


def test_an_extent_is_all_that_is_seen_and_follows_the_squeeze():
    outline = Outline(ell())
    assert outline.extent(0) == pytest.approx(140 / 160, abs=0.01)
    assert outline.extent(np.pi / 2) == pytest.approx(1, abs=0.01)
    soft = np.exp(-(((np.arange(101) - 50) / 16.0) ** 2)).astype(np.float32)
    faint = Outline(soft[None, :] * soft[:, None])
    assert faint.extent(0) > 1.5 * faint.touch(0)
