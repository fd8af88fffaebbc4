"""The outline of a tip, from its own pixels: how long it is along any direction, and when copies of it touch.

For touch, the edge lies where the tip covers half of its most; its extent is that of everything that is seen.
Everything is in lengths of the tip's longer side (or, for a round one, its diameter), about its middle, x to the
right and y down. A stamp that is squeezed, turned or mirrored asks with the direction taken back into the tip, since
both properties follow straight maps (`kernels.rhythm`).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.brushes.tips.registry import Plane

ANGLES = 180
"""Tables hold half a turn in so many steps; the other half is the same."""
FINE = 256
BITS = 48
_SEEN, _EDGE = 0.02, 0.5


@dataclass(frozen=True, eq=False)
class Outline:
    """cover: float32 (rows, columns), the tip's picture, 0 to 1."""

    cover: Plane

    @cached_property
    def _fine(self) -> Plane:
        """The cover over its most, at most FINE px long, with a border of nothing; 0.5 is the edge."""
        cover = self.cover / max(float(self.cover.max()), 1e-6)
        longest = max(cover.shape)
        if longest > FINE:
            rows, columns = (max(round(side * FINE / longest), 1) for side in cover.shape)
            cover = cv2.resize(cover, (columns, rows), interpolation=cv2.INTER_AREA)
        return np.pad(np.ascontiguousarray(cover, np.float32), 2)

    @property
    def _side(self) -> int:
        return max(self._fine.shape) - 4

    @cached_property
    def _edge(self) -> NDArray[np.float64]:
        """Points where what is seen begins and ends in rows and columns, (n, 2), in px about the middle."""
        fine, found = self._fine, []
        for axis, plane in enumerate((fine, fine.T)):
            first, last = _ends(plane, _SEEN)
            there = np.flatnonzero(~np.isnan(first))
            for at in (first, last):
                pair = (at[there], there.astype(float))
                found.append(np.stack(pair if axis == 0 else pair[::-1], axis=1))
        rows, columns = fine.shape
        return np.concatenate(found) - (columns / 2 - 0.5, rows / 2 - 0.5)

    def extent(self, angle: float) -> float:
        """How far the tip reaches along a direction, radians."""
        along = self._edge @ (np.cos(angle), np.sin(angle))
        # A crisp edge is met half a px before it, on either side.
        return max(float(np.ptp(along)) - 2 * (_EDGE - _SEEN), 1.0) / self._side if len(along) else 1.0 / self._side

    def touch(self, angle: float) -> float:
        """The largest distance along a direction, radians, at which the edges of two copies meet.

        That is the longest of the lines in that direction from where the tip begins to where it ends, holes counted in.
        """
        fine = self._fine
        side = int(np.ceil(np.hypot(*fine.shape))) + 2
        cos, sin = np.cos(angle), np.sin(angle)
        place = np.array([[cos, sin, 0.0], [-sin, cos, 0.0]])
        rows, columns = fine.shape
        place[:, 2] = np.array([side / 2 - 0.5] * 2) - place[:, :2] @ (columns / 2 - 0.5, rows / 2 - 0.5)
        first, last = _ends(cv2.warpAffine(fine, place, (side, side), flags=cv2.INTER_LINEAR), _EDGE)
        there = ~np.isnan(first)
        return float((last[there] - first[there]).max(initial=1.0)) / self._side

    @cached_property
    def extents(self) -> NDArray[np.float64]:
        """The extent at ANGLES + 1 directions over half a turn."""
        return np.array([self.extent(np.pi * n / ANGLES) for n in range(ANGLES + 1)])

    @cached_property
    def touches(self) -> NDArray[np.float64]:
        """The touch at ANGLES + 1 directions over half a turn."""
        return np.array([self.touch(np.pi * n / ANGLES) for n in range(ANGLES + 1)])

    @cached_property
    def bits(self) -> NDArray[np.uint8]:
        """Where the tip is, on a square of its longer side: uint8 (BITS, BITS), 0 or 1."""
        fine = self._fine[2:-2, 2:-2]
        rows, columns = fine.shape
        at = (np.arange(BITS) + 0.5) / BITS - 0.5
        y = np.floor(at * self._side + rows / 2).astype(int)
        x = np.floor(at * self._side + columns / 2).astype(int)
        inside = ((y >= 0) & (y < rows))[:, None] & ((x >= 0) & (x < columns))[None, :]
        found = fine[np.clip(y, 0, rows - 1)[:, None], np.clip(x, 0, columns - 1)[None, :]]
        bits = (inside & (found >= 0.5)).astype(np.uint8)
        if not bits.any():
            bits[BITS // 2, BITS // 2] = 1
        return bits


def _ends(laid: Plane, level: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    return _crossings(laid, level), laid.shape[1] - 1 - _crossings(laid[:, ::-1], level)


def _crossings(laid: Plane, level: float) -> NDArray[np.float64]:
    """Where each row first crosses a level, in px between centres; NaN where it never does."""
    over = laid >= level
    first = over.argmax(axis=1)
    rows = np.arange(len(laid))
    after, before = laid[rows, first].astype(float), laid[rows, np.maximum(first - 1, 0)].astype(float)
    share = np.where(after > before, (level - before) / np.where(after > before, after - before, 1.0), 1.0)
    return np.where(over.any(axis=1), first - 1 + np.clip(share, 0, 1), np.nan)


def round_outline(hardness: float) -> tuple[float, NDArray[np.uint8]]:
    """(touch in diameters, bits) of a round tip: it covers half where d^2 is midway between inner^2 and outer^2."""
    touch = float(np.sqrt((1 + hardness * hardness) / 2))
    at = (np.arange(BITS) + 0.5) / BITS - 0.5
    return touch, (np.hypot(at[:, None], at[None, :]) <= touch / 2).astype(np.uint8)
