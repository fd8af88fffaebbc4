"""How a tip's stamps become dabs: the shapes that the kernels read, and which kernel lays them.

Each kind of tip has one class here; `strokes.painter` knows none of them by name.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.strokes import kernels

Plane = NDArray[np.float32]
Wholes = NDArray[np.int64]
Lay = Callable[[Plane, int, int, Plane, Wholes, Plane, Wholes], None]
"""(plane, top, left, grain under the plane, places, shapes, order)"""


class Dabs(Protocol):
    """What a kind of tip must know."""

    def shapes(self, offsets: Plane, sizes: NDArray[np.float64], flow: NDArray[np.float64]) -> Plane:
        """Shapes (n, k) of dabs: offsets (n, 2) from whole px in px, sizes in px of the canvas, flow 0 to 1."""

    def reach(self, shapes: Plane) -> Wholes:
        """How far each dab reaches from its place, in whole px."""

    def turned_over(self, shapes: Plane, across: bool, down: bool) -> Plane:
        """The same dabs mirrored across, down, both or not at all."""

    def lay(
        self, plane: Plane, top: int, left: int, tooth: Plane, places: Wholes, shapes: Plane, order: Wholes
    ) -> None:
        """Lay dabs into a block of the stroke buffer whose upper left px is (top, left); `tooth` lies under it."""


def _thinned(sizes: NDArray[np.float64], flow: NDArray[np.float64]) -> NDArray[np.float64]:
    """Flow of marks smaller than a px, by their area."""
    small = np.minimum(sizes, 1.0)
    return flow * small * small


def _negated(shapes: Plane, columns: tuple[bool, ...]) -> Plane:
    out = shapes.copy()
    out[:, np.flatnonzero(columns)] *= -1
    return out


class RoundDabs:
    """Round marks: full up to `hardness` of their radius, then falling to their edge."""

    def __init__(self, hardness: float) -> None:
        self._hardness = hardness

    def shapes(self, offsets: Plane, sizes: NDArray[np.float64], flow: NDArray[np.float64]) -> Plane:
        """(n, 5), as `kernels.lay_round_dabs` reads them."""
        radius = sizes * 0.5
        inner = radius * self._hardness
        crisp = radius - inner < 1.0
        outer = np.where(crisp, radius + 0.5, radius)
        inner = np.where(crisp, radius - 0.5, inner)
        return np.column_stack([offsets, outer, inner, _thinned(sizes, flow)]).astype(np.float32)

    def reach(self, shapes: Plane) -> Wholes:
        """The radius, and a px."""
        return np.ceil(shapes[:, 2]).astype(np.int64) + 1

    def turned_over(self, shapes: Plane, across: bool, down: bool) -> Plane:
        """See `Dabs`: a round mark is its own mirror image, but for where it lies in its px."""
        return _negated(shapes, (across, down)) if across or down else shapes

    def lay(
        self, plane: Plane, top: int, left: int, tooth: Plane, places: Wholes, shapes: Plane, order: Wholes
    ) -> None:
        """See `Dabs`."""
        kernels.lay_round_dabs(plane, top, left, tooth, top, left, places, shapes, order)


class PictureDabs:
    """Marks of a picture, whose longer side is the size of the mark.

    The mask is kept in levels, each smaller than the one before by the root of two and averaged from the whole mask,
    so that a mark of any size reads a level that differs from it by less than a fifth.
    """

    def __init__(self, mask: Plane) -> None:
        """mask: (rows, columns), 0 to 1."""
        self._high, self._wide = mask.shape
        self._longest = max(mask.shape)
        parts, levels, start, k = [], [], 0, 0
        while True:
            high, wide = (max(round(side * 2 ** (-k / 2)), 1) for side in mask.shape)
            level = mask if k == 0 else cv2.resize(mask, (wide, high), interpolation=cv2.INTER_AREA)
            parts.append(np.pad(level.reshape(high, wide), 1).ravel())
            levels.append((start, high, wide))
            start += len(parts[-1])
            if max(high, wide) <= 2:
                break
            k += 1
        self._masks = np.concatenate(parts).astype(np.float32)
        self._levels = np.array(levels, np.int64)

    def shapes(self, offsets: Plane, sizes: NDArray[np.float64], flow: NDArray[np.float64]) -> Plane:
        """(n, 6), as `kernels.lay_picture_dabs` reads them."""
        octaves = np.round(2 * np.log2(self._longest / sizes))
        level = np.clip(octaves, 0, len(self._levels) - 1).astype(np.int64)
        shrunk = sizes / self._longest
        step_x = self._levels[level, 2] / (self._wide * shrunk)
        step_y = self._levels[level, 1] / (self._high * shrunk)
        return np.column_stack([offsets, step_x, step_y, _thinned(sizes, flow), level]).astype(np.float32)

    def reach(self, shapes: Plane) -> Wholes:
        """Half the longer side, and the px over which its edge fades."""
        sides = self._levels[shapes[:, 5].astype(np.int64), 1:] + 1
        half = np.maximum(sides[:, 1] / np.abs(shapes[:, 2]), sides[:, 0] / np.abs(shapes[:, 3])) * 0.5
        return np.ceil(half).astype(np.int64) + 2

    def turned_over(self, shapes: Plane, across: bool, down: bool) -> Plane:
        """See `Dabs`: the mask is read backwards."""
        return _negated(shapes, (across, down, across, down)) if across or down else shapes

    def lay(
        self, plane: Plane, top: int, left: int, tooth: Plane, places: Wholes, shapes: Plane, order: Wholes
    ) -> None:
        """See `Dabs`."""
        given = (places, shapes, order, self._masks, self._levels)
        kernels.lay_picture_dabs(plane, top, left, tooth, top, left, *given)
