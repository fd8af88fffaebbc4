"""The reserve: a guide outline that reaches towards the middles of a tile's sides and leaves its corners bare."""

from __future__ import annotations

import numpy as np

from orvix.errors import BadValue

RHOMB = [[0.5, 0.0], [1.0, 0.5], [0.5, 1.0], [0.0, 0.5]]
CLEAR = 0.02
"""How far from every corner of the tile an outline must stay, as a share of its side."""


def check_reserve(outline: list[list[float]]) -> list[list[float]]:
    """The outline itself, points (x, y) in shares of the tile, 0 to 1, in order; raises BadValue.

    It must have 3 to 24 points, clear all four corners, and not cross itself.
    """
    points = np.array(outline, np.float64).reshape(-1, 2)
    if not 3 <= len(points) <= 24 or points.min() < 0 or points.max() > 1:
        raise BadValue("outline", outline, "must have 3 to 24 points, each from 0 to 1")
    for corner in ((0, 0), (1, 0), (0, 1), (1, 1)):
        if _inside(points, corner) or _distance(points, corner) < CLEAR:
            raise BadValue("outline", outline, f"must not cover a corner of the tile. It covers {corner}")
    ends = np.roll(points, -1, axis=0)
    count = len(points)
    for i in range(count):
        for j in range(i + 2, count - (i == 0)):
            if _cross(points[i], ends[i], points[j], ends[j]):
                raise BadValue("outline", outline, "must not cross itself")
    return [[float(x), float(y)] for x, y in points]


def _inside(points: np.ndarray, at: tuple[float, float]) -> bool:
    """Even-odd rule."""
    odd = False
    for (x0, y0), (x1, y1) in zip(points, np.roll(points, -1, axis=0), strict=True):
        if (y0 > at[1]) != (y1 > at[1]) and at[0] < x0 + (at[1] - y0) * (x1 - x0) / (y1 - y0):
            odd = not odd
    return odd


def _distance(points: np.ndarray, at: tuple[float, float]) -> float:
    """From a point to the nearest side."""
    starts, ways = points, np.roll(points, -1, axis=0) - points
    lengths = np.maximum((ways**2).sum(axis=1), 1e-12)
    share = np.clip(((np.array(at) - starts) * ways).sum(axis=1) / lengths, 0, 1)
    return float(np.hypot(*(starts + ways * share[:, None] - at).T).min())


def _cross(a: np.ndarray, b: np.ndarray, c: np.ndarray, d: np.ndarray) -> bool:
    def side(p: np.ndarray, q: np.ndarray, r: np.ndarray) -> float:
        return float((q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0]))

    return side(a, b, c) * side(a, b, d) < 0 and side(c, d, a) * side(c, d, b) < 0
