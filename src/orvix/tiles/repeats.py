"""How copies of a tile lie: straight, brick or half-drop, as a basis of two whole-pixel vectors."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction
from math import floor, gcd
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.errors import BadValue, UnknownName

REPEATS = ("straight", "brick", "half-drop")
Vector = tuple[int, int]


@dataclass(frozen=True)
class Repeat:
    """A repeat and its stagger, the fraction by which neighbouring rows or columns are moved (0 to 1)."""

    kind: str = "straight"
    stagger: Fraction = Fraction(1, 2)

    @classmethod
    def parse(cls, kind: Any = "straight", stagger: Any = None) -> Repeat:
        """Build one from outside words; raises UnknownName or BadValue. The stagger is one half when left out."""
        if kind not in REPEATS:
            raise UnknownName("repeat", kind, list(REPEATS))
        return cls(kind, parse_fraction("stagger", Fraction(1, 2) if stagger is None else stagger, 0, 1))

    def stagger_px(self, width: int, height: int) -> int:
        """The stagger of a width x height tile in whole px (halves up): down for half-drop, across for brick."""
        length = {"straight": 0, "brick": width, "half-drop": height}[self.kind]
        return floor(self.stagger * length + Fraction(1, 2)) % length if length else 0

    def basis(self, width: int, height: int) -> tuple[Vector, Vector]:
        """The two vectors (x, y) in px by which the cloth repeats."""
        moved = self.stagger_px(width, height)
        if self.kind == "half-drop":
            return (width, moved), (0, height)
        if self.kind == "brick":
            return (width, 0), (moved, height)
        return (width, 0), (0, height)

    def unrolled_size(self, width: int, height: int) -> tuple[int, int]:
        """The smallest straight tile (width, height) that shows the same cloth."""
        moved = self.stagger_px(width, height)
        if self.kind == "half-drop":
            return width * (height // gcd(height, moved)), height
        if self.kind == "brick":
            return width, height * (width // gcd(width, moved))
        return width, height

    def shifts_near(self, box: tuple[int, int, int, int], width: int, height: int) -> Iterator[Vector]:
        """The moves (x, y) of the repeat that bring some part of `box` (left, top, right, bottom) into the tile."""
        (ax, ay), (bx, by) = self.basis(width, height)
        left, top, right, bottom = box
        for i, j in _indices(self, box, width, height):
            x, y = i * ax + j * bx, i * ay + j * by
            if left - x < width and right - x > 0 and top - y < height and bottom - y > 0:
                yield x, y


def indexed_shifts(
    repeat: Repeat, box: tuple[int, int, int, int], width: int, height: int
) -> Iterator[tuple[Vector, Vector]]:
    """Whole numbers (i, j) and the move i a + j b of the repeat's vectors, for all moves in a box and some round it.

    They come in an order that moving the box by a vector of the repeat does not change.
    """
    (ax, ay), (bx, by) = repeat.basis(width, height)
    for i, j in _indices(repeat, box, width, height):
        yield (i, j), (i * ax + j * bx, i * ay + j * by)


def _indices(repeat: Repeat, box: tuple[int, int, int, int], width: int, height: int) -> Iterator[Vector]:
    left, top, right, bottom = box
    (_, ay), (bx, _) = repeat.basis(width, height)
    if repeat.kind == "brick":
        for j in range(top // height - 1, bottom // height + 2):
            for i in range((left - j * bx) // width - 1, (right - j * bx) // width + 2):
                yield i, j
        return
    for i in range(left // width - 1, right // width + 2):
        for j in range((top - i * ay) // height - 1, (bottom - i * ay) // height + 2):
            yield i, j


def parse_fraction(name: str, given: Any, low: float, high: float) -> Fraction:
    """A number given as a decimal or as "p/q", kept exact; raises BadValue.

    A decimal keeps the digits it was written with, so 0.3 is 3/10. At most 9 digits count on either side of the line.
    """
    rule = f"must be a decimal or a fraction such as 5/17, from {low:g} to {high:g}"
    if isinstance(given, bool) or not isinstance(given, int | float | str | Fraction):
        raise BadValue(name, given, rule)
    try:
        fraction = given if isinstance(given, Fraction) else Fraction(str(given).strip()[:40])
    except (ValueError, ZeroDivisionError) as error:
        raise BadValue(name, given, rule) from error
    fraction = fraction.limit_denominator(1_000_000_000)
    if not low <= fraction <= high:
        raise BadValue(name, given, rule)
    return fraction


def cloth(tile: NDArray[Any], repeat: Repeat, top: int, left: int, height: int, width: int) -> NDArray[Any]:
    """A window (height, width, ...) of the cloth of a tile (rows, columns, ...), upper left pixel at (top, left)."""
    rows, columns = tile.shape[:2]
    if (height // rows + 2) * (width // columns + 2) > _MOST_SLICES:
        return _cloth_px_by_px(tile, repeat, top, left, height, width)
    out = np.empty((height, width, *tile.shape[2:]), tile.dtype)
    bottom, right = top + height, left + width
    for x, y in repeat.shifts_near((left, top, right, bottom), columns, rows):
        x0, x1, y0, y1 = max(x, left), min(x + columns, right), max(y, top), min(y + rows, bottom)
        out[y0 - top : y1 - top, x0 - left : x1 - left] = tile[y0 - y : y1 - y, x0 - x : x1 - x]
    return out


_MOST_SLICES = 4096


def _cloth_px_by_px(tile: NDArray[Any], repeat: Repeat, top: int, left: int, height: int, width: int) -> NDArray[Any]:
    """The same for a small tile many times over, where a slice for each copy would take longer."""
    rows, columns = tile.shape[:2]
    y, x = np.arange(top, top + height)[:, None], np.arange(left, left + width)[None, :]
    moved = repeat.stagger_px(columns, rows)
    if repeat.kind == "half-drop":
        y = y - (x // columns) * moved
    elif repeat.kind == "brick":
        x = x - (y // rows) * moved
    return tile[np.broadcast_to(y % rows, (height, width)), np.broadcast_to(x % columns, (height, width))]
