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

import numpy as np

from orvix.errors import BadValue
from orvix.geometry import MOST_SIDE
from orvix.grains.field import Closing
from orvix.registry import Value
from orvix.tiles.repeats import Repeat

CLOSE_PX = Fraction(1, 20)
_OFFERED = 6
_REACH = 48
_TURN_REACH = 4
_HALF = Fraction(1, 2)
MOST_AWAY = 2
"""How many times larger or smaller than the scale asked for an offered one is at most."""


TURN = Value("turn", "Turn", "number", 0.0, "How the grain is turned, clockwise.", unit="°", low=-360, high=360)


@dataclass(frozen=True)
class FitQuestion:
    """tile and canvas: (width, height) in px; scale: canvas px a tile px; ratio: canvas ppi over tile ppi.

    turn_deg: how the grain is turned, clockwise. stretch: how much larger it is across than down, before it is turned.
    """

    tile: tuple[int, int]
    canvas: tuple[int, int]
    scale: Fraction
    repeat: Repeat = Repeat("straight")
    canvas_repeat: Repeat = Repeat("straight")
    ratio: Fraction = Fraction(1)
    turn_deg: float = 0.0
    stretch: float = 1.0

    def __post_init__(self) -> None:
        if not 1 / 64 <= self.stretch <= 64:
            raise BadValue("stretch", self.stretch, "must be 1/64 to 64")

    @property
    def straight(self) -> bool:
        """Whether it lies as its tile does: then everything is done in fractions."""
        return not self.turn_deg and self.stretch == 1

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
    if question.straight:
        return list(_misses(question))
    basis, whole = _turned(question)
    canvas = question.canvas_repeat.basis(*question.canvas)
    return [
        (cx - basis[0] * k - basis[1] * m, cy - basis[2] * k - basis[3] * m)
        for (cx, cy), (k, m) in zip(canvas, whole, strict=True)
    ]


def _turned(question: FitQuestion) -> tuple[tuple[float, float, float, float], list[tuple[int, int]]]:
    """The scaled and turned basis of the grain, row by row, and for each canvas vector the nearest whole K_j."""
    (ax, ay), (bx, by) = np.array(question.repeat.basis(*question.tile), np.float64).tolist()
    c, s, scale = cos(radians(question.turn_deg)), sin(radians(question.turn_deg)), float(question.full_scale)
    wide = scale * question.stretch
    basis = (
        wide * c * ax - scale * s * ay, wide * c * bx - scale * s * by,
        wide * s * ax + scale * c * ay, wide * s * bx + scale * c * by,
    )  # fmt: skip
    area = basis[0] * basis[3] - basis[1] * basis[2]
    canvas = question.canvas_repeat.basis(*question.canvas)
    return basis, [
        (round((cx * basis[3] - cy * basis[1]) / area), round((cy * basis[0] - cx * basis[2]) / area))
        for cx, cy in canvas
    ]


def closing(question: FitQuestion) -> Closing | None:
    """How a turned grain closes on the canvas, exactly, where it is within 0.05 px of it; else None."""
    if not question.turn_deg or question.stretch != 1 or not closes(question):
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
        "turns": nearest_turns(question),
    }


def nearest_turns(question: FitQuestion) -> list[dict[str, float]]:
    """Turns with their scales and stretches at which the grain closes on this canvas, the nearest first, at most six.

    Of the whole matrices K near the asked one, those whose M = C K^-1 P^-1 leaves the sides of the tile square to each
    other: then M is a stretch along them, a scale and a turn. {"turn_deg", "scale", "stretch"}. Scale and stretch are
    at most `MOST_AWAY` times away from those asked for.
    """
    tile = np.array(question.repeat.basis(*question.tile), np.float64).T
    canvas = np.array(question.canvas_repeat.basis(*question.canvas), np.float64).T
    asked = np.array(_turned(question)[1]).T
    near = np.arange(-_TURN_REACH, _TURN_REACH + 1)
    whole = np.stack(np.meshgrid(near, near, near, near, indexing="ij"), axis=-1).reshape(-1, 2, 2) + asked
    whole = whole[whole[:, 0, 0] * whole[:, 1, 1] - whole[:, 0, 1] * whole[:, 1, 0] > 0]
    maps = canvas @ np.linalg.inv(whole) @ np.linalg.inv(tile)
    across, down = np.linalg.norm(maps[:, :, 0], axis=1), np.linalg.norm(maps[:, :, 1], axis=1)
    skew = np.abs((maps[:, :, 0] * maps[:, :, 1]).sum(axis=1)) / (across * down)
    turn = np.degrees(np.arctan2(maps[:, 1, 0], maps[:, 0, 0]))
    ratio = float(question.ratio)
    away = (turn - question.turn_deg + 180) % 360 - 180
    cost = np.hypot(np.log(down / float(question.full_scale)), np.log(across / down / question.stretch))
    cost = np.hypot(cost, np.radians(away))
    square = np.flatnonzero(skew * max(question.canvas) < float(CLOSE_PX))
    found: list[dict[str, float]] = []
    for n in square[np.argsort(cost[square], kind="stable")]:
        stretch = float(across[n] / down[n])
        stretch = 1.0 if abs(stretch - 1) < 1e-12 else stretch
        told = {"turn_deg": float(turn[n]) + 0.0, "scale": float(down[n]) / ratio, "stretch": stretch}
        if not (_near(told["scale"], float(question.scale)) and _near(stretch, question.stretch)):
            continue
        if not 1 / 64 <= stretch <= 64 or any(_alike(told, one) for one in found):
            continue
        given = replace(question, turn_deg=told["turn_deg"], scale=Fraction(told["scale"]), stretch=stretch)
        if closes(given):
            found.append(told)
            if len(found) == _OFFERED:
                break
    return found


def _near(scale: Any, asked: Any) -> bool:
    """Whether a scale is near enough to the one asked for to be offered."""
    return bool(asked <= scale * MOST_AWAY and scale <= asked * MOST_AWAY)


def _alike(a: dict[str, float], b: dict[str, float]) -> bool:
    return all(abs(a[name] - b[name]) < 1e-9 for name in a)


def nearest_canvases(question: FitQuestion) -> list[tuple[int, int]]:
    """Canvas sizes (width, height) on which the grain closes at its scale, the nearest first, at most six."""
    across, down = _periods(question)
    widths = sorted({size for period in across for size in _near_multiples(question.canvas[0], period)})
    heights = sorted({size for period in down for size in _near_multiples(question.canvas[1], period)})
    asked_w, asked_h = question.canvas
    pairs = sorted((hypot(w - asked_w, h - asked_h), w, h) for w in widths for h in heights)
    found: list[tuple[int, int]] = []
    for _, w, h in pairs:
        if closes(replace(question, canvas=(w, h))):
            found.append((w, h))
            if len(found) == _OFFERED:
                break
    return found


def _periods(question: FitQuestion) -> tuple[list[Fraction], list[Fraction]]:
    """Lengths in px of which a canvas's width and height may be multiples, before that is looked at closely."""
    scale, stretch = question.full_scale, Fraction(question.stretch)
    wide, high = question.tile[0] * scale * stretch, question.tile[1] * scale
    if not question.turn_deg:
        return [wide], [high]
    c, s = abs(cos(radians(question.turn_deg))), abs(sin(radians(question.turn_deg)))
    across = [side / Fraction(part) for side, part in ((wide, c), (high, s)) if part > 1e-9]
    down = [side / Fraction(part) for side, part in ((wide, s), (high, c)) if part > 1e-9]
    return across, down


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
    """Scales (as asked, without the ratio) at which the grain closes on this canvas, the nearest first, at most six.

    None is more than `MOST_AWAY` times larger or smaller than the one asked for: that would be another grain.
    """
    if not question.straight:
        return _turned_scales(question)
    width, height = question.canvas
    columns, rows = question.tile
    found: set[Fraction] = set()
    middle = max(round(width / (columns * question.full_scale)), 1)
    for across in range(max(middle - _REACH, 1), middle + _REACH + 1):
        about = Fraction(width, across * columns)
        down = max(round(height / (rows * about)), 1)
        scale = _common(Fraction(width), across * columns, Fraction(height), down * rows)
        if scale is None or not _near(scale / question.ratio, question.scale):
            continue
        if closes(replace(question, scale=scale / question.ratio)):
            found.add(scale / question.ratio)
    return sorted(found, key=lambda scale: (abs(scale - question.scale), scale))[:_OFFERED]


def _turned_scales(question: FitQuestion) -> list[Fraction]:
    """As `nearest_scales`, for a grain that is turned or stretched: such that its vectors go whole times into one."""
    found: set[Fraction] = set()
    unit = replace(question, scale=Fraction(1), ratio=Fraction(1))
    for side, periods in zip(question.canvas, _periods(unit), strict=True):
        for period in periods:
            middle = max(round(side / (period * question.full_scale)), 1)
            for count in range(max(middle - _REACH, 1), middle + _REACH + 1):
                scale = (side / (count * period)).limit_denominator(10**9)
                if _near(scale / question.ratio, question.scale) and closes(
                    replace(question, scale=scale / question.ratio)
                ):
                    found.add(scale / question.ratio)
    nearest: list[Fraction] = []
    for scale in sorted(found, key=lambda one: (abs(one - question.scale), one)):
        if len(nearest) < _OFFERED and all(abs(scale / one - 1) > 1e-6 for one in nearest):
            nearest.append(scale)
    return nearest


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
    if not question.straight:
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
