"""Laws that hold for every starter brush: touch, opacity, erasing, and the same strokes at another size."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from functools import cache

import numpy as np
import pytest

from orvix.brushes.starters import STARTERS
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.strokes import Stroke, StrokeRun, paint_stroke
from orvix.devices.stylus import trial_strokes
from orvix.formats.brush_file import load_brush, no_files
from orvix.formats.strokes_file import load_strokes
from orvix.strokes import rhythm
from orvix.strokes.loaded import LoadedBrush

NAMES = [one.name for one in STARTERS]
CELL = (170, 150)
HAND = ("bend", "there and back", "pressure swell")


@cache
def starter(name: str) -> LoadedBrush:
    return load_brush(STARTERS.get(name).data, no_files)


def painters(name: str) -> LoadedBrush:
    """A starter brush at a size that its strokes show well, painting."""
    brush = starter(name)
    return brush.with_brush(brush.brush.in_hand(size=min(brush.brush.size, 44.0)))


def strokes_of(brush: LoadedBrush, **changed) -> list[Stroke]:
    return [replace(one, mode="paint", **changed) for one in load_strokes(trial_strokes(HAND, cell=CELL), brush)]


def painted(strokes: list[Stroke], times: Fraction = Fraction(1)) -> np.ndarray:
    """Straight from 0 to 1: (rows, columns, 4), premultiplied."""
    sides = (int(CELL[0] * len(HAND) * times), int(CELL[1] * times))
    canvas = Canvas(CanvasSpec(*sides))
    for stroke in strokes:
        paint_stroke(canvas, stroke, times=times)
    return canvas.layer.whole() / 65535


STAMPED = [name for name in NAMES if all(one.coat.ribbon is None for one in starter(name).coats)]
LETTERS = [name for name in STAMPED if starter(name).brush.coats[0].tip.name == "lettering"]


def bare(brush: LoadedBrush, size: float, **values) -> LoadedBrush:
    """The lowest coat alone, every stamp like the one before it."""
    coat = brush.coats[0]
    plain = {"size": size, "smallest": 0.5, "largest": max(size, 1), "flow": 1.0, "opacity": 1.0, "count": 1.0}
    still = dict.fromkeys(("scatter_along", "scatter_across", "count_jitter", "thin_start", "thin_end", "held"), 0.0)
    words = {"flip_across": "no", "flip_down": "no", "bends": "path", "colour_from": "paint", "wet_edge": 0.0}
    own = replace(coat.coat, leads=(), grain=None, values={**coat.coat.values, **plain, **still, **words, **values})
    return LoadedBrush(replace(brush.brush, coats=(own,)), (replace(coat, coat=own, grain=None, kept={}),))


def stamp(
    brush: LoadedBrush, heading: float, side: int, apart: float | None, times: int = 4
) -> tuple[np.ndarray, float]:
    """Where the second of two stamps covers half of its most, and its distance from the first; apart: another one."""
    middle, times = side / 2, 4
    way = np.array([np.cos(heading), np.sin(heading)])
    far = 3.2 * brush.brush.size + 10
    at = middle + (np.linspace(-far, far, 60)[:, None]) * way
    samples = np.column_stack([np.arange(60) * 9.0, at, np.ones(60), np.zeros((60, 3))])
    canvas = Canvas(CanvasSpec(side * times, side * times))
    run = StrokeRun(canvas, Stroke(brush, samples), times=Fraction(times))
    painter = run.painters[0]
    painter.keep_marks(only=True)
    run.feed(samples, last=True)
    marks = painter.kept_marks[:2].copy()
    gap = float(np.hypot(*(marks[1, :2] - marks[0, :2])))
    marks[:, rhythm.S_PICTURE] = 0
    marks[0, :2] = np.array([middle, middle]) - painter.origin_px
    marks[1, :2] = marks[0, :2] + (way * apart if apart is not None else 0)
    painter.paint(marks[1:] if apart is not None else marks[:1])
    cover = run.picture((0, 0, side * times, side * times))[..., 3]
    return cover >= 0.5 * cover.max(), gap


@pytest.mark.slow
@pytest.mark.parametrize("name", [name for name in STAMPED if name not in LETTERS])
@pytest.mark.parametrize(("size", "heading"), [(9.0, 0.4), (31.0, 0.0), (31.0, 2.2), (76.0, -0.9)])
def test_at_touch_every_starters_stamps_leave_a_gap_and_an_overlap_below_a_px(name, size, heading):
    brush = bare(starter(name), size, spaced_by="touch")
    side = int(3 * size) + 16
    first, gap = stamp(brush, heading, side, None)
    assert (first & stamp(brush, heading, side, gap - 1)[0]).any()
    assert not (first & stamp(brush, heading, side, gap + 1)[0]).any()


@pytest.mark.parametrize("opacity", [0.2, 0.65])
@pytest.mark.parametrize("name", NAMES)
def test_no_stroke_of_a_starter_passes_its_opacity(name, opacity):
    brush = painters(name)
    coats = tuple(replace(one, values={**one.values, "opacity": opacity}) for one in brush.brush.coats)
    brush = brush.with_brush(replace(brush.brush, coats=coats))
    most = 1 - (1 - opacity) ** len(coats)
    if any(one.values["mix"] == "plus-lighter" for one in coats[1:]):
        most = min(opacity * len(coats), 1)
    alpha = painted(strokes_of(brush)[:1])[..., 3]
    assert 0.3 * opacity < alpha.max() <= most + 1.5 / 65535


@pytest.mark.parametrize("name", NAMES)
def test_a_full_erase_after_any_starter_leaves_nothing(name):
    canvas = Canvas(CanvasSpec(CELL[0] * len(HAND), CELL[1]))
    for stroke in strokes_of(painters(name)):
        paint_stroke(canvas, stroke)
    assert canvas.layer.whole().any()
    rubber = bare(starter("harbour-liner"), 400.0, hardness=1.0, spacing=0.1)
    line = np.array([[9.0 * n, 5.0 * n, CELL[1] / 2, 1, 0, 0, 0] for n in range(110)])
    paint_stroke(canvas, Stroke(rubber, line, mode="erase"))
    assert not canvas.layer.whole().any()
    assert canvas.layer.keys() == []


def edges(picture: np.ndarray) -> np.ndarray:
    """Where a picture changes from one px to the next by more than 3/255."""
    steps = [np.abs(np.diff(picture, axis=axis, append=picture.take([-1], axis))).max(axis=-1) for axis in (0, 1)]
    return np.maximum(*steps) > 3 / 255


@pytest.mark.slow
@pytest.mark.parametrize("name", NAMES)
def test_at_twice_the_size_a_starter_paints_the_same_picture_with_more_detail(name):
    brush = painters(name)
    one, two = painted(strokes_of(brush)), painted(strokes_of(brush), Fraction(2))
    rows, columns = one.shape[:2]
    small = two.reshape(rows, 2, columns, 2, 4).mean(axis=(1, 3))
    apart = (np.abs(small - one) > 2 / 255).any(axis=-1)
    # A grain may be cut between two px of the smaller picture: an edge is one of either.
    edge = edges(one) | edges(two).reshape(rows, 2, columns, 2).any(axis=(1, 3))
    near = np.zeros_like(edge)
    for dy in (-1, 0, 1):
        for dx in (-1, 0, 1):
            near |= np.roll(edge, (dy, dx), axis=(0, 1))
    assert one[..., 3].max() > 0.2
    assert not (apart & ~near).any()
