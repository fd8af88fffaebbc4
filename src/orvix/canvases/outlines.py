"""Outlines of shape layers: pieces of straight and curved sides, what they are filled with and outlined by.

A piece is a row of points, each with the handle before it and the handle after it, both relative to it: cubic Bézier
curves run from point to point. Everything is in px of the canvas.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from fractions import Fraction
from math import cos, hypot, pi, sin
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.errors import BadValue, UnknownName
from orvix.registry import check_colour
from orvix.strokes.samples import PRESSURE, T, X, Y
from orvix.tiles.repeats import parse_fraction

MOST_PIECES, MOST_POINTS, MOST_DRAWN = 64, 512, 20_000
FARTHEST = 65_536.0
"""Places lie within so many px of the canvas's first px."""
TIMES = (1 / 64, 64)
"""So many times larger a painting can be painted again, at least and at most."""
STEP_PX = 4.0
_MOST_STEPS = 4096
_ROUND = 4 / 3 * (2**0.5 - 1)
"""The handle of a quarter circle of radius 1."""
_TRUE = 0.06
"""A drawn outline is taken for its true form where it strays from it by no more than this share of its size."""

Point = tuple[float, float, float, float, float, float]
"""x, y, then the handle before and the handle after, relative."""
Places = NDArray[np.float64]


@dataclass(frozen=True)
class Piece:
    """One outline of a shape. colour: that of its outline where it has one of its own, `#rrggbb`, or empty."""

    points: tuple[Point, ...]
    closed: bool = True
    colour: str = ""


@dataclass(frozen=True)
class Outline:
    """What a shape layer shows. fill: `#rrggbb`, or empty. brush: the version that paints its outline, 0 for none.

    size: that of its marks, px, 0 for the brush's own. colour, second_colour: of its paint. press: pressure along each
    piece, rows of a share of the way and a pressure, both 0 to 1. times: its brush paints so many times larger.
    """

    pieces: tuple[Piece, ...]
    fill: str = ""
    brush: int = 0
    size: float = 0.0
    colour: str = "#000000"
    second_colour: str = "#d9793f"
    press: tuple[tuple[float, float], ...] = ((0.0, 1.0), (1.0, 1.0))
    seed: int = 0
    times: Fraction = Fraction(1)

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it; `Outline.parse` gives the same again."""
        pieces = [
            {"points": [list(at) for at in one.points], "closed": one.closed, "colour": one.colour}
            for one in self.pieces
        ]
        told = {name: getattr(self, name) for name in ("fill", "brush", "size", "colour", "second_colour", "seed")}
        told |= {"times": str(self.times)} if self.times != 1 else {}
        return {"pieces": pieces, **told, "press": [list(row) for row in self.press]}

    @classmethod
    def parse(cls, told: Any) -> Outline:
        """One from JSON data; raises BadValue."""
        known = ("pieces", "fill", "brush", "size", "colour", "second_colour", "press", "seed", "times")
        if not isinstance(told, dict):
            raise BadValue("shape", str(told)[:60], "must be an object with pieces")
        for name in told:
            if name not in known:
                raise UnknownName("value of a shape", name, list(known))
        pieces = told.get("pieces")
        if not isinstance(pieces, list) or not 1 <= len(pieces) <= MOST_PIECES:
            raise BadValue("pieces", str(pieces)[:60], f"must be a list of 1 to {MOST_PIECES} pieces")
        brush, size, seed = told.get("brush", 0), told.get("size", 0.0), told.get("seed", 0)
        if type(brush) is not int or not 0 <= brush < 2**53:
            raise BadValue("brush", brush, "must be the number of a saved brush, or 0")
        if type(size) not in (int, float) or not 0 <= size <= 4096:
            raise BadValue("size", size, "must be 0 to 4096 px")
        if type(seed) is not int or not 0 <= seed < 2**32:
            raise BadValue("seed", seed, "must be a whole number from 0 to 4294967295")
        colours = {
            name: check_colour(name, told.get(name, usual))
            for name, usual in (("colour", "#000000"), ("second_colour", "#d9793f"))
        }
        fill = check_colour("fill", told["fill"]) if told.get("fill") else ""
        return cls(
            tuple(_piece(one) for one in pieces),
            fill,
            brush,
            float(size),
            **colours,
            press=_press(told.get("press")),
            seed=seed,
            times=parse_fraction("times", told.get("times", "1"), *TIMES),
        )

    def moved(self, x: float, y: float) -> Outline:
        """The same, moved right and down by px."""
        pieces = tuple(
            replace(one, points=tuple((at[0] + x, at[1] + y, *at[2:]) for at in one.points)) for one in self.pieces
        )
        return replace(self, pieces=pieces)

    def at_times(self, times: Fraction) -> Outline:
        """The same, everything so many times larger."""
        scaled = self.mapped(np.array([[float(times), 0, 0], [0, float(times), 0]]))
        return replace(scaled, times=self.times * times)

    def mapped(self, matrix: Places) -> Outline:
        """The same under an affine map (2, 3) of places; the size of its marks stays."""

        def point(at: Point) -> Point:
            x, y = matrix @ (at[0], at[1], 1.0)
            before, after = matrix[:, :2] @ at[2:4], matrix[:, :2] @ at[4:6]
            found = (x, y, *before, *after)
            return tuple(round(64 * float(n)) / 64 for n in found)  # type: ignore[return-value]

        return replace(self, pieces=tuple(replace(one, points=tuple(map(point, one.points))) for one in self.pieces))

    def path_data(self) -> str:
        """Its closed pieces as SVG path data; where pieces lie in each other, every other one is a hole."""
        return " ".join(_path(one) for one in self.pieces if one.closed)


def _piece(told: Any) -> Piece:
    points = told.get("points") if isinstance(told, dict) else None
    if not isinstance(points, list) or not 2 <= len(points) <= MOST_POINTS:
        raise BadValue("points", str(points)[:60], f"a piece has 2 to {MOST_POINTS} points")
    found: list[Point] = []
    for at in points:
        good = (
            isinstance(at, list)
            and len(at) in (2, 6)
            and all(type(n) in (int, float) and abs(n) <= FARTHEST for n in at)
        )
        if not good:
            raise BadValue("point", str(at)[:60], f"must be 2 or 6 numbers within {FARTHEST:.0f} px")
        x, y, bx, by, ax, ay = (*at, 0, 0, 0, 0)[:6]
        found.append((float(x), float(y), float(bx), float(by), float(ax), float(ay)))
    closed = told.get("closed", True)
    if not isinstance(closed, bool):
        raise BadValue("closed", closed, "must be true or false")
    return Piece(tuple(found), closed, check_colour("colour", told["colour"]) if told.get("colour") else "")


def _press(told: Any) -> tuple[tuple[float, float], ...]:
    if told is None:
        return Outline.press
    good = (
        isinstance(told, list) and 2 <= len(told) <= 16 and all(isinstance(row, list) and len(row) == 2 for row in told)
    )
    if not good or not all(type(n) in (int, float) and 0 <= n <= 1 for row in told for n in row):
        raise BadValue("press", str(told)[:60], "must be 2 to 16 rows of a share of the way and a pressure, 0 to 1")
    rows = [(float(share), float(press)) for share, press in told]
    if rows != sorted(rows, key=lambda row: row[0]):
        raise BadValue("press", str(told)[:60], "must go on along the way")
    return tuple(rows)


def _path(piece: Piece) -> str:
    sides = [[(_exact(x), _exact(y)) for x, y in side] for side in _sides(piece)]
    (x, y) = sides[0][0]
    curves = " ".join("C" + " ".join(f"{n:.6f}" for at in side[1:] for n in at) for side in sides)
    return f"M{x:.6f} {y:.6f} {curves} Z"


def _exact(at: float) -> float:
    """A place in whole 64ths of a px, which a renderer in float32 moves by whole px without rounding."""
    return round(64 * at) / 64


def _sides(piece: Piece) -> list[list[tuple[float, float]]]:
    """Each side as the four points of a cubic Bézier curve."""
    points = piece.points
    pairs = list(zip(points, [*points[1:], points[0]] if piece.closed else points[1:], strict=False))
    return [[(a[0], a[1]), (a[0] + a[4], a[1] + a[5]), (b[0] + b[2], b[1] + b[3]), (b[0], b[1])] for a, b in pairs]


def along(piece: Piece) -> tuple[Places, NDArray[np.bool_]]:
    """Places along a piece, (n, 2), STEP_PX apart or closer, and which of them are corners."""
    found: list[Places] = []
    corners: list[bool] = []
    sides = _sides(piece)
    for n, side in enumerate(sides):
        a, b, c, d = (np.array(at) for at in side)
        rough = np.linalg.norm(b - a) + np.linalg.norm(c - b) + np.linalg.norm(d - c)
        t = np.linspace(0, 1, int(np.clip(np.ceil(rough), 16, 4 * _MOST_STEPS)) + 1)[:, None]
        dense = (1 - t) ** 3 * a + 3 * (1 - t) ** 2 * t * b + 3 * (1 - t) * t**2 * c + t**3 * d
        gone = np.append(0, np.cumsum(np.linalg.norm(np.diff(dense, axis=0), axis=1)))
        steps = int(np.clip(np.ceil(gone[-1] / STEP_PX), 1, _MOST_STEPS))
        at = np.arange(steps + (n == len(sides) - 1)) * (gone[-1] / steps)
        found.append(np.column_stack([np.interp(at, gone, dense[:, axis]) for axis in (0, 1)]))
        corners += [_is_corner(piece, n), *[False] * (len(at) - 1)]
    return np.concatenate(found), np.array(corners)


def _is_corner(piece: Piece, n: int) -> bool:
    """Whether the path turns at a point rather than passing through it."""
    if not piece.closed and n == 0:
        return False
    sides = _sides(piece)
    before, after = sides[n - 1], sides[n]
    came = next(
        (np.subtract(before[3], at) for at in (before[2], before[1], before[0]) if at != before[3]), np.zeros(2)
    )
    goes = next((np.subtract(at, after[0]) for at in after[1:] if at != after[0]), np.zeros(2))
    size = hypot(*came) * hypot(*goes)
    return bool(size > 0 and np.dot(came, goes) / size < 0.97)


def samples_along(piece: Piece, press: tuple[tuple[float, float], ...], over_px: float = 0.0) -> NDArray[np.float64]:
    """Samples (n, 7) of a hand that follows a piece at an even pace; it stays at corners, so that they stay corners.

    over_px: how far it goes on over where it began, on a closed piece, so that a band shows no line there.
    """
    places, corners = along(piece)
    if piece.closed and over_px:
        way = (places[1] - places[0]) / max(hypot(*(places[1] - places[0])), 1e-9)
        places, corners = np.vstack([places, places[0] + over_px * way]), np.append(corners, False)
    steps = np.append(0, np.cumsum(np.linalg.norm(np.diff(places, axis=0), axis=1)))
    total = max(float(steps[-1]), 1e-6)
    pressure = np.interp(steps / total, [row[0] for row in press], [row[1] for row in press])
    times = np.where(corners, 3, 1)
    rows = np.repeat(np.column_stack([places, pressure]), times, axis=0)
    samples = np.zeros((len(rows), 7))
    samples[:, T] = 4.0 * np.arange(len(rows))
    samples[:, [X, Y, PRESSURE]] = rows
    return samples.astype(np.float32).astype(np.float64)


def rectangle(x0: float, y0: float, x1: float, y1: float) -> Piece:
    """A rectangle by two of its corners."""
    return Piece(tuple((x, y, 0.0, 0.0, 0.0, 0.0) for x, y in ((x0, y0), (x1, y0), (x1, y1), (x0, y1))))


def ellipse(x: float, y: float, rx: float, ry: float, turn: float = 0.0) -> Piece:
    """An ellipse by its middle, its radii and its turn in radians, as four curves."""
    c, s, points = cos(turn), sin(turn), []
    for n in range(4):
        u, v = round(cos(n * pi / 2)), round(sin(n * pi / 2))
        hx, hy = -v * rx * _ROUND, u * ry * _ROUND
        hx, hy = c * hx - s * hy, s * hx + c * hy
        px, py = u * rx, v * ry
        points.append((x + c * px - s * py, y + s * px + c * py, -hx, -hy, hx, hy))
    return Piece(tuple(points))


def polygon(x: float, y: float, radius: float, sides: int, turn: float = -pi / 2) -> Piece:
    """A regular polygon by its middle and the way to its corners."""
    if type(sides) is not int or not 3 <= sides <= 64:
        raise BadValue("sides", sides, "must be 3 to 64")
    turns = [turn + 2 * pi * n / sides for n in range(sides)]
    return Piece(tuple((x + radius * cos(t), y + radius * sin(t), 0.0, 0.0, 0.0, 0.0) for t in turns))


def drawn(told: Any, closed: bool, *, true_form: bool) -> Piece:
    """A piece from places a hand drew, [[x, y], ...]: smoothed to few points, or taken to its true form.

    true_form: a closed outline becomes the ellipse, the circle or the polygon of few sides that it nearly is; where it
    is near none, it is smoothed. Raises BadValue.
    """
    good = isinstance(told, list) and 2 <= len(told) <= MOST_DRAWN
    if not good or not all(
        isinstance(at, list) and len(at) == 2 and all(type(n) in (int, float) for n in at) for at in told
    ):
        raise BadValue("drawn", str(told)[:60], f"must be 2 to {MOST_DRAWN} places, [x, y]")
    places = np.array(told, np.float64)
    if not np.isfinite(places).all() or np.abs(places).max() > FARTHEST:
        raise BadValue("drawn", "a place", f"must be within {FARTHEST:.0f} px")
    size = float(np.ptp(places, axis=0).max())
    if size < 2:
        raise BadValue("drawn", round(size, 2), "must go further than 2 px")
    found = _true_form(places, size) if closed and true_form and len(places) >= 8 else None
    return found or _smoothed(places, closed, max(size * 0.008, 1.0))


def _true_form(places: Places, size: float) -> Piece | None:
    flat = places.astype(np.float32)
    hull = cv2.approxPolyDP(flat[:, None], size * 0.07, True)[:, 0].astype(np.float64)
    (x, y), (wide, high), degrees = cv2.fitEllipse(flat)
    turn = degrees * pi / 180
    away = places - (x, y)
    u = (away[:, 0] * cos(turn) + away[:, 1] * sin(turn)) / max(wide / 2, 1e-6)
    v = (away[:, 1] * cos(turn) - away[:, 0] * sin(turn)) / max(high / 2, 1e-6)
    strays = float(np.abs(np.hypot(u, v) - 1).max()) * max(wide, high) / 2 / size
    straight = _strays_from(hull, places) / size if 3 <= len(hull) <= 8 else 1.0
    if straight < min(strays, _TRUE):
        return Piece(tuple((float(a), float(b), 0.0, 0.0, 0.0, 0.0) for a, b in hull))
    if strays >= _TRUE:
        return None
    if abs(wide - high) < 0.1 * max(wide, high):
        wide = high = (wide + high) / 2
    return ellipse(float(x), float(y), wide / 2, high / 2, turn)


def _strays_from(corners: Places, places: Places) -> float:
    """The farthest that a place lies from the sides of a polygon."""
    starts, ways = corners, np.roll(corners, -1, axis=0) - corners
    away = places[:, None] - starts[None]
    share = np.clip((away * ways).sum(axis=2) / np.maximum((ways**2).sum(axis=1), 1e-9), 0, 1)
    return float(np.linalg.norm(away - share[..., None] * ways[None], axis=2).min(axis=1).max())


def _smoothed(places: Places, closed: bool, stray_px: float) -> Piece:
    """Few points with handles along the way from the one before to the one after (Catmull-Rom)."""
    few = cv2.approxPolyDP(places.astype(np.float32)[:, None], stray_px, closed)[:, 0].astype(np.float64)
    few = few[:MOST_POINTS]
    if len(few) < 2:
        few = np.stack([places[0], places[-1]])
    count = len(few)
    points: list[Point] = []
    for n, at in enumerate(few):
        before = few[n - 1] if closed or n else at
        after = few[(n + 1) % count] if closed or n < count - 1 else at
        came, goes = at - before, after - at
        long = hypot(*came), hypot(*goes)
        sharp = min(long) > 0 and float(np.dot(came, goes)) / (long[0] * long[1]) < 0.2
        way = np.zeros(2) if sharp or min(long) == 0 else (after - before) / max(hypot(*(after - before)), 1e-9)
        points.append((*at.tolist(), *(-way * long[0] / 3).tolist(), *(way * long[1] / 3).tolist()))  # type: ignore[arg-type]
    return Piece(tuple(points), closed)
