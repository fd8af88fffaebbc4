"""Whether a grain closes on a canvas, by how much it misses, and what would make it close.

With P the basis of the grain's tile, s its scale and C the canvas basis, the painted canvas repeats when
K = (s P)^-1 C is whole. All of it is done in fractions; a miss of at most 0.05 px at the far edge counts as closing.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from fractions import Fraction
from math import ceil, cos, floor, hypot, radians, sin
from typing import Any

from orvix.geometry import MOST_SIDE
from orvix.grains.field import Closing
from orvix.tiles.repeats import Repeat

CLOSE_PX = Fraction(1, 20)
_OFFERED = 6
_REACH = 48
_HALF = Fraction(1, 2)


@dataclass(frozen=True)
class FitQuestion:
    """tile and canvas: (width, height) in px; scale: canvas px a tile px; ratio: canvas ppi over tile ppi.

    turn_deg: how the grain is turned, clockwise.
    """

    tile: tuple[int, int]
    canvas: tuple[int, int]
    scale: Fraction
    repeat: Repeat = Repeat("straight")
    canvas_repeat: Repeat = Repeat("straight")
    ratio: Fraction = Fraction(1)
    turn_deg: float = 0.0

    @property
    def full_scale(self) -> Fraction:
        """Canvas px a tile px, everything counted in."""
        return self.scale * self.ratio


def off_px(question: FitQuestion) -> float:
    """The largest miss of a canvas vector from the nearest whole vector of the scaled grain, in px."""
    return max(hypot(float(x), float(y)) for x, y in _all_misses(question))


def closes(question: FitQuestion) -> bool:
    """Whether every canvas vector is met within 0.05 px."""
    return all(x * x + y * y <= CLOSE_PX * CLOSE_PX for x, y in _all_misses(question))


def _all_misses(question: FitQuestion) -> list[tuple[Any, Any]]:
    if not question.turn_deg:
        return list(_misses(question))
    basis, whole = _turned(question)
    canvas = question.canvas_repeat.basis(*question.canvas)
    return [
        (cx - basis[0] * k - basis[1] * m, cy - basis[2] * k - basis[3] * m)
        for (cx, cy), (k, m) in zip(canvas, whole, strict=True)
    ]


def _turned(question: FitQuestion) -> tuple[tuple[float, float, float, float], list[tuple[int, int]]]:
    """The scaled and turned basis of the grain, row by row, and for each canvas vector the nearest whole K_j."""
    (ax, ay), (bx, by) = question.repeat.basis(*question.tile)
    c, s, scale = cos(radians(question.turn_deg)), sin(radians(question.turn_deg)), float(question.full_scale)
    basis = (
        scale * (c * ax - s * ay), scale * (c * bx - s * by), scale * (s * ax + c * ay), scale * (s * bx + c * by)
    )  # fmt: skip
    area = basis[0] * basis[3] - basis[1] * basis[2]
    canvas = question.canvas_repeat.basis(*question.canvas)
    return basis, [
        (round((cx * basis[3] - cy * basis[1]) / area), round((cy * basis[0] - cx * basis[2]) / area))
        for cx, cy in canvas
    ]


def closing(question: FitQuestion) -> Closing | None:
    """How a turned grain closes on the canvas, exactly, where it is within 0.05 px of it; else None."""
    if not question.turn_deg or not closes(question):
        return None
    (ax, ay), (bx, by) = question.canvas_repeat.basis(*question.canvas)
    (k, m), (n, p) = _turned(question)[1]
    return None if k * p == m * n else ((ax, bx, ay, by), (k, n, m, p))


def _misses(question: FitQuestion) -> Iterator[tuple[Fraction, Fraction]]:
    (ax, ay), (bx, by) = question.repeat.basis(*question.tile)
    scale = question.full_scale
    area = ax * by - ay * bx
    for cx, cy in question.canvas_repeat.basis(*question.canvas):
        i = floor(Fraction(cx * by - cy * bx) / (scale * area) + _HALF)
        j = floor(Fraction(cy * ax - cx * ay) / (scale * area) + _HALF)
        yield cx - scale * (i * ax + j * bx), cy - scale * (i * ay + j * by)


def fit(question: FitQuestion) -> dict[str, Any]:
    """The whole answer, as the command line gives it (JSON types only)."""
    return {
        "closes": closes(question),
        "off_px": off_px(question),
        "canvases": [list(size) for size in nearest_canvases(question)],
        "scales": [{"fraction": str(scale), "decimal": float(scale)} for scale in nearest_scales(question)],
        "turns": [],
    }


def nearest_canvases(question: FitQuestion) -> list[tuple[int, int]]:
    """Canvas sizes (width, height) on which the grain closes at its scale, the nearest first, at most six."""
    widths = list(_near_multiples(question.canvas[0], question.tile[0] * question.full_scale))
    heights = list(_near_multiples(question.canvas[1], question.tile[1] * question.full_scale))
    asked_w, asked_h = question.canvas
    pairs = sorted((hypot(w - asked_w, h - asked_h), w, h) for w in widths for h in heights)
    found: list[tuple[int, int]] = []
    for _, w, h in pairs:
        if closes(replace(question, canvas=(w, h))):
            found.append((w, h))
            if len(found) == _OFFERED:
                break
    return found


def _near_multiples(asked: int, period: Fraction) -> Iterator[int]:
    """Whole sizes within 0.05 px of a multiple of `period`, the 12 nearest on either side."""
    below, above = floor(asked / period), floor(asked / period) + 1
    for start, step in ((below, -1), (above, 1)):
        found = 0
        for count in range(start, start + step * 4000, step):
            size = floor(count * period + _HALF)
            if not 1 <= size <= MOST_SIDE or found == 12:
                break
            if abs(size - count * period) <= CLOSE_PX:
                found += 1
                yield size


def nearest_scales(question: FitQuestion) -> list[Fraction]:
    """Scales (as asked, without the ratio) at which the grain closes on this canvas, the nearest first, at most six."""
    width, height = question.canvas
    columns, rows = question.tile
    found: set[Fraction] = set()
    middle = max(round(width / (columns * question.full_scale)), 1)
    for across in range(max(middle - _REACH, 1), middle + _REACH + 1):
        about = Fraction(width, across * columns)
        down = max(round(height / (rows * about)), 1)
        scale = _common(Fraction(width), across * columns, Fraction(height), down * rows)
        if scale is not None and closes(replace(question, scale=scale / question.ratio)):
            found.add(scale / question.ratio)
    return sorted(found, key=lambda scale: (abs(scale - question.scale), scale))[:_OFFERED]


def _common(width: Fraction, across: int, height: Fraction, down: int) -> Fraction | None:
    """A scale s with across * s near width and down * s near height: exact if there is one, else the simplest."""
    if width / across == height / down:
        return width / across
    room = CLOSE_PX * Fraction(7, 10)
    low = max((width - room) / across, (height - room) / down)
    high = min((width + room) / across, (height + room) / down)
    return _simplest(low, high) if 0 < low <= high else None


def _simplest(low: Fraction, high: Fraction) -> Fraction:
    """The fraction with the smallest denominator in [low, high], by walking its continued fraction."""
    whole = ceil(low)
    if whole <= high:
        return Fraction(whole)
    base = floor(low)
    return base + 1 / _simplest(1 / (high - base), 1 / (low - base))


def snapped_scales(question: FitQuestion) -> tuple[Fraction, Fraction] | None:
    """Scales across and down (without the ratio) at which the grain closes exactly, if it is within 0.05 px of it.

    None where it already closes exactly, misses by more, or where a straight snap along both axes cannot close it.
    """
    if question.turn_deg:
        return None
    misses = list(_misses(question))
    if not any(x or y for x, y in misses) or not closes(question):
        return None
    (width, height), (columns, rows) = question.canvas, question.tile
    across = round(width / (columns * question.full_scale))
    down = round(height / (rows * question.full_scale))
    if question.repeat.kind != "straight" or question.canvas_repeat.kind != "straight" or not across or not down:
        return None
    return (
        Fraction(width, across * columns) / question.ratio,
        Fraction(height, down * rows) / question.ratio,
    )
