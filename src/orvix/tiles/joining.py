"""Joined edges: how the copies of one drawn part lie, also where neighbours are mirrored, half-turned or glided.

A drawing keeps one part, width x height px. `neighbours` says how the parts of one whole tile are turned over, and the
repeat how that whole tile is laid; so every drawing unfolds to a tile with a plain repeat, px for px.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from math import sqrt
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from orvix.errors import BadValue, UnknownName
from orvix.tiles.repeats import Repeat, Vector

Box = tuple[int, int, int, int]
PLAIN = "plain"


class Place(NamedTuple):
    """One part of the whole tile: its column and row there, and whether it is mirrored across and down."""

    column: int
    row: int
    across: bool
    down: bool


class Copy(NamedTuple):
    """One copy of the part on the cloth: the upper left px of its cell, and whether it is mirrored across and down."""

    x: int
    y: int
    across: bool
    down: bool


_HERE = Place(0, 0, False, False)
NEIGHBOURS: dict[str, tuple[str, tuple[Place, ...]]] = {
    PLAIN: ("plain", (_HERE,)),
    "mirror-across": ("mirrored left–right", (_HERE, Place(1, 0, True, False))),
    "mirror-down": ("mirrored top–bottom", (_HERE, Place(0, 1, False, True))),
    "mirror-both": (
        "mirrored both ways",
        (_HERE, Place(1, 0, True, False), Place(0, 1, False, True), Place(1, 1, True, True)),
    ),
    "half-turn-across": ("rotated 180° left–right", (_HERE, Place(1, 0, True, True))),
    "half-turn-down": ("rotated 180° top–bottom", (_HERE, Place(0, 1, True, True))),
    "glide-across": ("glide left–right", (_HERE, Place(1, 0, False, True))),
    "glide-down": ("glide top–bottom", (_HERE, Place(0, 1, True, False))),
}
"""For each kind of neighbours its words, and the parts of the whole tile. Symmetry groups pm, pmm, p2 and pg."""


@dataclass(frozen=True)
class Joining:
    """Joined edges: the repeat of the whole tile, and how its parts are turned over (a key of NEIGHBOURS)."""

    repeat: Repeat = Repeat()
    neighbours: str = PLAIN

    def __post_init__(self) -> None:
        if self.neighbours not in NEIGHBOURS:
            raise UnknownName("neighbours", self.neighbours, list(NEIGHBOURS))

    @classmethod
    def parse(cls, kind: Any = "straight", stagger: Any = None, neighbours: Any = PLAIN) -> Joining:
        """Build one from outside words; raises UnknownName or BadValue."""
        return cls(Repeat.parse(kind, stagger), str(neighbours))

    def check(self, width: int, height: int) -> None:
        """Raise BadValue where parts turned over like this do not meet under the repeat of a width x height part.

        The parts' symmetries and the repeat's vectors must make a group: each symmetry takes vectors to vectors, and
        two after each other are a third. Straight repeats always do; of staggers, those of nothing or a half.
        """
        places = self.places
        for g in places:
            turned = [(-x if g.across else x, -y if g.down else y) for x, y in self.basis(width, height)]
            met = all(self._is_period(*vector, width, height) for vector in turned)
            for h in places:
                both = self._after(g, h, width, height)
                met = met and any(
                    (both.across, both.down) == (k.across, k.down)
                    and self._is_period(
                        both.x - self._at(k, width, height).x, both.y - self._at(k, width, height).y, width, height
                    )
                    for k in places
                )
            if not met:
                words = NEIGHBOURS[self.neighbours][0]
                rule = f"A {words} tile does not work with {self.repeat.kind} at {self.repeat.stagger}. "
                raise BadValue(
                    "neighbours", self.neighbours, rule + "Choose a straight repeat, or a stagger of 1/2 or 0"
                )

    @staticmethod
    def _at(place: Place, width: int, height: int) -> Copy:
        """Where a symmetry takes the place (0, 0) of the part, and whether it mirrors."""
        x, y = (place.column + place.across) * width, (place.row + place.down) * height
        return Copy(x, y, place.across, place.down)

    def _after(self, g: Place, h: Place, width: int, height: int) -> Copy:
        """h, then g."""
        one, two = self._at(g, width, height), self._at(h, width, height)
        x = one.x + (-two.x if g.across else two.x)
        y = one.y + (-two.y if g.down else two.y)
        return Copy(x, y, g.across != h.across, g.down != h.down)

    @property
    def places(self) -> tuple[Place, ...]:
        """The parts of the whole tile."""
        return NEIGHBOURS[self.neighbours][1]

    def whole_size(self, width: int, height: int) -> tuple[int, int]:
        """Width and height in px of the whole tile that a width x height part unfolds to."""
        columns, rows = (max(place[axis] for place in self.places) + 1 for axis in (0, 1))
        return width * columns, height * rows

    def unfold(self, part: NDArray[Any]) -> NDArray[Any]:
        """The whole tile (rows, columns, ...) of a part (rows, columns, ...); the part itself where it is the whole."""
        if self.neighbours == PLAIN:
            return part
        rows, columns = part.shape[:2]
        width, height = self.whole_size(columns, rows)
        out = np.empty((height, width, *part.shape[2:]), part.dtype)
        for place in self.places:
            top, left = place.row * rows, place.column * columns
            out[top : top + rows, left : left + columns] = turned_over(part, place.across, place.down)
        return out

    def copies_near(self, box: Box, width: int, height: int) -> Iterator[Copy]:
        """The copies whose cells touch a box (left, top, right, bottom) of the cloth, px."""
        whole = self.whole_size(width, height)
        for place in self.places:
            left, top = place.column * width, place.row * height
            # A box as wide as the part, seen from the part's place in the whole tile.
            near = (box[0] - left, box[1] - top, box[2] - left, box[3] - top)
            for x, y in self.repeat.shifts_near(near, *whole):
                if near[0] - x < width and near[1] - y < height:
                    yield Copy(x + left, y + top, place.across, place.down)

    def folded(self, box: Box, width: int, height: int) -> Iterator[Box]:
        """The boxes of the part that a box (left, top, right, bottom) of the cloth shows, one for each copy."""
        for copy in self.copies_near(box, width, height):
            left, right = max(box[0] - copy.x, 0), min(box[2] - copy.x, width)
            top, bottom = max(box[1] - copy.y, 0), min(box[3] - copy.y, height)
            if copy.across:
                left, right = width - right, width - left
            if copy.down:
                top, bottom = height - bottom, height - top
            yield left, top, right, bottom

    def basis(self, width: int, height: int) -> tuple[Vector, Vector]:
        """The two vectors (x, y) in px by which the cloth of a width x height part repeats."""
        return self.repeat.basis(*self.whole_size(width, height))

    def cloth(self, part: NDArray[Any], top: int, left: int, height: int, width: int) -> NDArray[Any]:
        """A window (height, width, ...) of the cloth of a part (rows, columns, ...)."""
        rows, columns = part.shape[:2]
        out = np.empty((height, width, *part.shape[2:]), part.dtype)
        for copy in self.copies_near((left, top, left + width, top + height), columns, rows):
            for to, cut in slices((left, top, left + width, top + height), copy, columns, rows):
                out[to] = turned_over(part[cut], copy.across, copy.down)
        return out

    def refuse_move(self, x: int, y: int, width: int, height: int) -> str:
        """Why the content cannot be moved by (x, y) px without breaking the neighbours; empty where it can.

        A move t keeps a symmetry g where g t g^-1 is t up to a vector of the repeat: so a mirrored axis can be moved
        along, not across, by less than a whole part.
        """
        for place in self.places:
            for mirrored, by, axis in ((place.across, x, "across"), (place.down, y, "down")):
                turned = (2 * x if axis == "across" else 0, 2 * y if axis == "down" else 0)
                if mirrored and by and not self._is_period(*turned, width, height):
                    return (
                        f"A tile with {NEIGHBOURS[self.neighbours][0]} neighbours cannot be shifted by {by} px. "
                        "Its borders already match"
                    )
        return ""

    def _is_period(self, x: int, y: int, width: int, height: int) -> bool:
        (ax, ay), (bx, by) = self.basis(width, height)
        size = ax * by - ay * bx
        return (x * by - y * bx) % size == 0 and (y * ax - x * ay) % size == 0


def turned_over(pixels: NDArray[Any], across: bool, down: bool) -> NDArray[Any]:
    """Pixels (rows, columns, ...) mirrored across, down, both or not at all; a view."""
    return pixels[:: -1 if down else 1, :: -1 if across else 1]


def slices(box: Box, copy: Copy, width: int, height: int) -> Iterator[tuple[Any, Any]]:
    """Where a copy lies in a window of the cloth, and which part of the part that is: two pairs of slices, or none."""
    x0, x1 = max(copy.x, box[0]), min(copy.x + width, box[2])
    y0, y1 = max(copy.y, box[1]), min(copy.y + height, box[3])
    if x1 <= x0 or y1 <= y0:
        return
    to = slice(y0 - box[1], y1 - box[1]), slice(x0 - box[0], x1 - box[0])
    yield to, (_cut(y0 - copy.y, y1 - copy.y, height, copy.down), _cut(x0 - copy.x, x1 - copy.x, width, copy.across))


def _cut(first: int, last: int, size: int, mirrored: bool) -> slice:
    return slice(size - last, size - first) if mirrored else slice(first, last)


@dataclass(frozen=True)
class Unrolling:
    """Unrolling a repeat to a straight tile: its size, and where it is not exact which sides of the tile make it so."""

    width: int
    height: int
    exact: bool
    sides: tuple[int, ...] = ()

    @classmethod
    def of(cls, repeat: Repeat, width: int, height: int) -> Unrolling:
        """How a width x height tile unrolls. It is exact where the stagger is a whole number of px."""
        length = {"straight": 1, "brick": width, "half-drop": height}[repeat.kind]
        times = repeat.stagger.denominator
        if repeat.kind == "straight" or length % times == 0:
            return cls(*repeat.unrolled_size(width, height), True)
        low = length // times * times
        sides = sorted((side for side in (low, low + times) if side > 0), key=lambda side: abs(side - length))
        across, down = (width, height * times) if repeat.kind == "brick" else (width * times, height)
        return cls(across, down, False, tuple(sides))


def unroll(tile: NDArray[Any], repeat: Repeat) -> NDArray[Any]:
    """The straight tile that shows the same cloth; raises BadValue where no whole px make it, naming sizes that do."""
    rows, columns = tile.shape[:2]
    found = Unrolling.of(repeat, columns, rows)
    if not found.exact:
        side = "width" if repeat.kind == "brick" else "height"
        sides = " or ".join(str(one) for one in found.sides)
        have = columns if repeat.kind == "brick" else rows
        raise BadValue(side, have, f"a stagger of {repeat.stagger} is whole px only at a {side} of {sides} px")
    return Joining(repeat).cloth(tile, 0, 0, found.height, found.width)


def honeycomb(height: int) -> tuple[int, float]:
    """The width in px at which a half-drop of one half has all six neighbours equally far, and how far off it is.

    Exact is height x sqrt(3) / 2; off is the share by which whole px miss it.
    """
    exact = height * sqrt(3) / 2
    width = max(round(exact), 1)
    return width, abs(width - exact) / exact
