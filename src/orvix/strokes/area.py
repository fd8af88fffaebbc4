"""Where a stroke lands: its canvas, and which copies of a mark touch it where the edges are joined."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from orvix.geometry import BLOCK, Box, Key, clip
from orvix.strokes.dabs import turned_over
from orvix.strokes.symmetry import Maps, Symmetry, copies_of
from orvix.tiles.joining import Copy, Joining

Plane = NDArray[np.float32]
Wholes = NDArray[np.int64]


@dataclass(frozen=True)
class Area:
    """Where a stroke lands: the canvas in px (after `times`), how its edges are joined if they are, and the scale.

    symmetry: where its marks are laid again.
    """

    width: int
    height: int
    joined: Joining | None = None
    times: Fraction = Fraction(1)
    symmetry: Symmetry | None = None

    @property
    def maps(self) -> Maps | None:
        """The copies of each mark by the symmetry, or None for none."""
        return None if self.symmetry is None else self.symmetry.maps(self.width, self.height, self.times)


class Wrapping:
    """The copies of marks on one area; a stroke mostly stays within the one it was in."""

    def __init__(self, area: Area) -> None:
        self._area = area
        self._maps = area.maps
        self._cell: Copy | None = None

    def wrapped(self, places: Wholes, dabs: Plane, reach: Wholes) -> tuple[Wholes, Plane, Wholes]:
        """Every copy of every dab that touches the canvas, dab by dab, with its reach in whole px."""
        area = self._area
        if self._maps is not None:
            places, dabs, reach = copies_of(self._maps, places, dabs, reach)
        if area.joined is None:
            return places, dabs, reach
        most = int(reach.max())
        (left, top), (right, bottom) = (places.min(axis=0) - most).tolist(), (places.max(axis=0) + most + 1).tolist()
        copies = self._copies_at((left, top, right, bottom), area.joined)
        if not copies:
            return places[:0], dabs[:0], reach[:0]
        if len(copies) == 1:
            return *self._in_copy(places, dabs, copies[0]), reach
        size = np.array([area.width, area.height])
        in_each = [self._in_copy(places, dabs, copy) for copy in copies]
        moved = np.stack([at for at, _ in in_each], axis=1).reshape(-1, 2)
        dabs = np.stack([shape for _, shape in in_each], axis=1).reshape(len(moved), -1)
        reach = np.repeat(reach, len(copies))
        touches = ((moved + reach[:, None] >= 0) & (moved - reach[:, None] < size)).all(axis=1)
        return np.ascontiguousarray(moved[touches]), np.ascontiguousarray(dabs[touches]), reach[touches]

    def _copies_at(self, box: Box, joined: Joining) -> list[Copy]:
        cell, area = self._cell, self._area
        if cell is not None:
            low, high = cell.x <= box[0] and cell.y <= box[1], (cell.x + area.width, cell.y + area.height)
            if low and box[2] <= high[0] and box[3] <= high[1]:
                return [cell]
        copies = list(joined.copies_near(box, area.width, area.height))
        self._cell = copies[0] if len(copies) == 1 else None
        return copies

    def _in_copy(self, places: Wholes, dabs: Plane, copy: Copy) -> tuple[Wholes, Plane]:
        """Dabs as they lie in the part that a copy shows: moved, and mirrored where the copy is."""
        moved = places - np.array([copy.x, copy.y])
        if copy.across:
            moved[:, 0] = self._area.width - 1 - moved[:, 0]
        if copy.down:
            moved[:, 1] = self._area.height - 1 - moved[:, 1]
        return moved, turned_over(dabs, copy.across, copy.down)


def by_block(places: Wholes, reach: Wholes, area: Area) -> dict[Key, Wholes]:
    """For each block of the canvas that dabs touch, their numbers in order."""
    last = np.array([(area.width - 1) // BLOCK, (area.height - 1) // BLOCK])
    low = np.maximum((places - reach[:, None]) // BLOCK, 0)
    high = np.minimum((places + reach[:, None]) // BLOCK, last)
    found: dict[Key, Wholes] = {}
    for column in range(int(low[:, 0].min()), int(high[:, 0].max()) + 1):
        across = np.flatnonzero((low[:, 0] <= column) & (high[:, 0] >= column))
        if not len(across):
            continue
        for row in range(int(low[across, 1].min()), int(high[across, 1].max()) + 1):
            order = across[(low[across, 1] <= row) & (high[across, 1] >= row)]
            if len(order):
                found[(row, column)] = order
    return found


def box_of(key: Key, order: Wholes, places: Wholes, reach: Wholes, area: Area) -> Box:
    """The box of a block that dabs reach, within the canvas."""
    low = (places[order] - reach[order, None]).min(axis=0)
    high = (places[order] + reach[order, None] + 1).max(axis=0)
    row, column = key
    block = (column * BLOCK, row * BLOCK, (column + 1) * BLOCK, (row + 1) * BLOCK)
    box = clip((int(low[0]), int(low[1]), int(high[0]), int(high[1])), block)
    return clip(box, (0, 0, area.width, area.height))
