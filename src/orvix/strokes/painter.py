"""One stroke being painted: samples in, changed boxes out, coverage kept in a sparse one-channel buffer.

The canvas room feeds it batch by batch while the pen moves; a replay feeds it once. Both give the same bits. It knows
nothing of layers or colours: `canvases.strokes` puts the finished buffer on a layer.
"""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor
from dataclasses import dataclass
from fractions import Fraction
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from orvix.geometry import BLOCK, Box, Key, clip
from orvix.strokes import kernels
from orvix.strokes.dabs import Dabs
from orvix.strokes.samples import Samples
from orvix.tiles.joining import Copy, Joining

Plane = NDArray[np.float32]
USUAL_STAMPS = 256
NO_GRAIN: Plane = np.ones((1, 1), np.float32)


class BlockGrain(Protocol):
    """What gives the grain under a block."""

    def block(self, row: int, column: int) -> Plane:
        """float32 (BLOCK, BLOCK), 0 to 1."""


@dataclass(frozen=True)
class Area:
    """Where a stroke lands: the canvas in px (after `times`), how its edges are joined if they are, and the scale."""

    width: int
    height: int
    joined: Joining | None = None
    times: Fraction = Fraction(1)


class StrokePainter:
    """Paints one stroke. `grain_at` gives the grain for an origin (whole px of the unscaled canvas), or None."""

    def __init__(
        self,
        rules: NDArray[np.float64],
        dabs: Dabs,
        area: Area,
        grain_at: Callable[[tuple[int, int]], BlockGrain | None] | None = None,
        threads: Executor | None = None,
    ) -> None:
        self.planes: dict[Key, Plane] = {}
        self.stamp_count = 0
        self._rules = rules
        self._tip = dabs
        self._area = area
        self._grain_at = grain_at
        self._grain: BlockGrain | None = None
        self._threads = threads
        self._state = np.zeros(kernels.STATE_WIDTH)
        self._origin: tuple[int, int] | None = None
        self._cell: Copy | None = None

    def feed(self, samples: Samples, *, last: bool = False) -> dict[Key, Box]:
        """Carry on by checked samples (n, 7); returns the changed box of each changed block, in canvas px."""
        if self._origin is None:
            if not len(samples):
                return {}
            self._origin = int(np.floor(samples[0, 1])), int(np.floor(samples[0, 2]))
            self._grain = self._grain_at(self._origin) if self._grain_at else None
        near = samples.copy()
        near[:, 1] -= self._origin[0]
        near[:, 2] -= self._origin[1]
        stamps = self._lay(near, last)
        self.stamp_count += len(stamps)
        return self._paint(stamps) if len(stamps) else {}

    def _lay(self, samples: Samples, last: bool) -> NDArray[np.float64]:
        """Lay the stamps of a batch; where there are more than room was made for, once more with room for all."""
        room = USUAL_STAMPS
        while True:
            state, stamps = self._state.copy(), np.empty((room, kernels.STAMP_WIDTH))
            count = kernels.lay_stamps(state, self._rules, samples, last, stamps)
            if count <= room:
                self._state = state
                return stamps[:count]
            room = count

    def _paint(self, stamps: NDArray[np.float64]) -> dict[Key, Box]:
        places, shapes = self._dabs(stamps)
        places, shapes, reach = self._wrapped(places, shapes)
        if not len(places):
            return {}
        order_of = _by_block(places, reach, self._area)
        jobs = [(key, order, self._plane(key), self._tooth(key)) for key, order in order_of.items()]

        def lay(job: tuple[Key, NDArray[np.int64], Plane, Plane]) -> None:
            (row, column), order, plane, tooth = job
            self._tip.lay(plane, row * BLOCK, column * BLOCK, tooth, places, shapes, order)

        if self._threads is None or len(jobs) == 1:
            for job in jobs:
                lay(job)
        else:
            list(self._threads.map(lay, jobs))
        return {key: _box_of(key, order, places, reach, self._area) for key, order in order_of.items()}

    def _dabs(self, stamps: NDArray[np.float64]) -> tuple[NDArray[np.int64], Plane]:
        """Stamps to dabs in canvas px: whole places (n, 2) and shapes, one row a dab."""
        assert self._origin is not None
        times = self._area.times
        scale = float(times)
        places = np.empty((len(stamps), 2), np.int64)
        offsets = np.empty((len(stamps), 2), np.float32)
        for axis in (0, 1):
            whole, rest = divmod(self._origin[axis] * times.numerator, times.denominator)
            at = stamps[:, axis] * scale + (rest / times.denominator - 0.5)
            floor = np.floor(at)
            places[:, axis] = floor.astype(np.int64) + whole
            offsets[:, axis] = (at - floor).astype(np.float32)
        return places, self._tip.shapes(offsets, stamps[:, 2] * scale, stamps[:, 3])

    def _wrapped(self, places: NDArray[np.int64], shapes: Plane) -> tuple[NDArray[np.int64], Plane, NDArray[np.int64]]:
        """Every copy of every dab that touches the canvas, dab by dab, with its reach in whole px."""
        area = self._area
        reach = self._tip.reach(shapes)
        if area.joined is None:
            return places, shapes, reach
        most = int(reach.max())
        (left, top), (right, bottom) = (places.min(axis=0) - most).tolist(), (places.max(axis=0) + most + 1).tolist()
        copies = self._copies_at((left, top, right, bottom), area.joined)
        if not copies:
            return places[:0], shapes[:0], reach[:0]
        if len(copies) == 1:
            return *self._in_copy(places, shapes, copies[0]), reach
        size = np.array([area.width, area.height])
        in_each = [self._in_copy(places, shapes, copy) for copy in copies]
        moved = np.stack([at for at, _ in in_each], axis=1).reshape(-1, 2)
        shapes = np.stack([shape for _, shape in in_each], axis=1).reshape(len(moved), -1)
        reach = np.repeat(reach, len(copies))
        touches = ((moved + reach[:, None] >= 0) & (moved - reach[:, None] < size)).all(axis=1)
        return np.ascontiguousarray(moved[touches]), np.ascontiguousarray(shapes[touches]), reach[touches]

    def _copies_at(self, box: Box, joined: Joining) -> list[Copy]:
        """The copies that a box touches; a stroke mostly stays within the one it was in."""
        cell, area = self._cell, self._area
        if cell is not None:
            low, high = cell.x <= box[0] and cell.y <= box[1], (cell.x + area.width, cell.y + area.height)
            if low and box[2] <= high[0] and box[3] <= high[1]:
                return [cell]
        copies = list(joined.copies_near(box, area.width, area.height))
        self._cell = copies[0] if len(copies) == 1 else None
        return copies

    def _in_copy(self, places: NDArray[np.int64], shapes: Plane, copy: Copy) -> tuple[NDArray[np.int64], Plane]:
        """Dabs as they lie in the part that a copy shows: moved, and mirrored where the copy is."""
        moved = places - np.array([copy.x, copy.y])
        if copy.across:
            moved[:, 0] = self._area.width - 1 - moved[:, 0]
        if copy.down:
            moved[:, 1] = self._area.height - 1 - moved[:, 1]
        return moved, self._tip.turned_over(shapes, copy.across, copy.down)

    def _plane(self, key: Key) -> Plane:
        plane = self.planes.get(key)
        if plane is None:
            plane = self.planes[key] = np.zeros((BLOCK, BLOCK), np.float32)
        return plane

    def _tooth(self, key: Key) -> Plane:
        return NO_GRAIN if self._grain is None else self._grain.block(*key)


def _by_block(places: NDArray[np.int64], reach: NDArray[np.int64], area: Area) -> dict[Key, NDArray[np.int64]]:
    """For each block of the canvas that dabs touch, their numbers in order."""
    last = np.array([(area.width - 1) // BLOCK, (area.height - 1) // BLOCK])
    low = np.maximum((places - reach[:, None]) // BLOCK, 0)
    high = np.minimum((places + reach[:, None]) // BLOCK, last)
    found: dict[Key, NDArray[np.int64]] = {}
    for column in range(int(low[:, 0].min()), int(high[:, 0].max()) + 1):
        across = np.flatnonzero((low[:, 0] <= column) & (high[:, 0] >= column))
        if not len(across):
            continue
        for row in range(int(low[across, 1].min()), int(high[across, 1].max()) + 1):
            order = across[(low[across, 1] <= row) & (high[across, 1] >= row)]
            if len(order):
                found[(row, column)] = order
    return found


def _box_of(key: Key, order: NDArray[np.int64], places: NDArray[np.int64], reach: NDArray[np.int64], area: Area) -> Box:
    low = (places[order] - reach[order, None]).min(axis=0)
    high = (places[order] + reach[order, None] + 1).max(axis=0)
    row, column = key
    block = (column * BLOCK, row * BLOCK, (column + 1) * BLOCK, (row + 1) * BLOCK)
    box = clip((int(low[0]), int(low[1]), int(high[0]), int(high[1])), block)
    return clip(box, (0, 0, area.width, area.height))
