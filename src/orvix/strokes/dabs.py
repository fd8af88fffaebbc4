"""How the marks of a stroke become dabs: the numbers that the kernel reads, and the pictures of the tip.

Each kind of tip has one class here; `strokes.coats` knows none of them by name.
"""

from __future__ import annotations

from functools import cached_property
from typing import Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.brushes.tips.outline import Outline
from orvix.brushes.tips.registry import Rgba
from orvix.strokes import laying, rhythm

Plane = NDArray[np.float32]
Wholes = NDArray[np.int64]
Marks = NDArray[np.float64]
"""Marks as `strokes.rhythm` lays them: (n, STAMP_WIDTH)."""


class Dabs(Protocol):
    """What a kind of tip must know."""

    @property
    def outlines(self) -> tuple[Outline, ...]:
        """Those of its pictures; none for a round tip."""

    @property
    def pictures(self) -> laying.Pictures:
        """What the kernel reads."""

    @property
    def kind(self) -> int:
        """laying.ROUND or laying.PICTURE."""

    @property
    def count(self) -> int:
        """How many pictures it has."""

    @property
    def advances(self) -> tuple[float, ...]:
        """The ways from picture to picture, in sizes, where it lays lettering."""

    def shape(self, dabs: Plane, marks: Marks, scale: float) -> Wholes:
        """Fill in the map, inner radius, level, crispness and flow of dabs; scale: canvas px a px of the marks.

        Returns how far each dab reaches from its place, in whole px.
        """


def _maps(marks: Marks) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Each mark's map from canvas px to the tip at size 1: rows (n, 2) for u and for v."""
    turn, flips = marks[:, rhythm.S_TURN], marks[:, rhythm.S_FLIPS].astype(np.int64)
    across, down = np.where(flips & 1, -1.0, 1.0), np.where(flips & 2, -1.0, 1.0)
    c, s = np.cos(turn), np.sin(turn)
    c, s = np.where(np.abs(c) < 1e-12, 0.0, c), np.where(np.abs(s) < 1e-12, 0.0, s)
    down = down / marks[:, rhythm.S_ROUNDNESS]
    return np.stack([c * across, s * across], axis=1), np.stack([-s * down, c * down], axis=1)


def _thinned(sizes: NDArray[np.float64], flow: NDArray[np.float64]) -> NDArray[np.float64]:
    """Flow of marks smaller than a px, by their area."""
    small = np.minimum(sizes, 1.0)
    return flow * small * small


def turned_over(dabs: Plane, across: bool, down: bool) -> Plane:
    """The same dabs mirrored across, down, both or not at all; a grain that moves with them is mirrored in place
    only."""
    if not across and not down:
        return dabs
    out = dabs.copy()
    columns = [laying.OX, laying.M00, laying.M10] if across else []
    columns += [laying.OY, laying.M01, laying.M11] if down else []
    out[:, columns] *= -1
    return out


class RoundDabs:
    """Round marks: full up to their hardness as a share of the radius, then falling to their edge."""

    outlines: tuple[Outline, ...] = ()
    advances: tuple[float, ...] = ()
    count = 0
    pictures = laying.NO_PICTURES
    kind = laying.ROUND

    def shape(self, dabs: Plane, marks: Marks, scale: float) -> Wholes:
        """See `Dabs`. An edge narrower than a px is one px wide."""
        sizes = marks[:, rhythm.S_SIZE] * scale
        round_, hardness = marks[:, rhythm.S_ROUNDNESS], marks[:, rhythm.S_HARDNESS]
        radius = sizes * 0.5
        crisp = radius * round_ * (1 - hardness) < 1.0
        disc = round_ >= 1.0
        grown = np.where(crisp & disc, radius + 0.5, radius)
        inner = np.where(crisp & disc, (radius - 0.5) / grown, hardness)
        u, v = _maps(marks)
        dabs[:, laying.M00 : laying.M01 + 1] = u / grown[:, None]
        dabs[:, laying.M10 : laying.M11 + 1] = v / grown[:, None]
        plain = disc & (marks[:, rhythm.S_FLIPS] == 0)
        dabs[plain, laying.M01] = dabs[plain, laying.M10] = 0
        dabs[plain, laying.M00] = dabs[plain, laying.M11] = (1 / grown[plain]).astype(np.float32)
        dabs[:, laying.INNER] = np.minimum(inner, 0.9999)
        flat = crisp & ~disc
        dabs[:, laying.CRISP] = flat
        dabs[:, laying.LEVEL] = np.where(flat, (1 + 1 / np.maximum(radius * round_, 0.05)) ** 2, 1.0)
        dabs[:, laying.FLOW] = _thinned(sizes * round_, marks[:, rhythm.S_FLOW])
        return np.ceil(grown).astype(np.int64) + 2


class PictureDabs:
    """Marks of pictures, whose longer side is the size of the mark.

    Each picture is kept in levels, each smaller than the one before by the root of two and averaged from the whole one,
    so that a mark of any size reads a level that differs from it by less than a fifth.
    """

    kind = laying.PICTURE

    def __init__(
        self,
        pictures: tuple[Rgba, ...],
        *,
        colours: bool = False,
        crisp: bool = False,
        longer: float = 1.0,
        advances: tuple[float, ...] = (),
    ) -> None:
        """pictures: as `orvix.brushes.tips.picture.tip_picture` gives them. colours: whether their own are painted.

        longer: how many sizes of the mark their longer side is; advances: for lettering, as `Dabs` has them.
        """
        self.count, self.advances, self._longer = len(pictures), advances, longer
        self._covers = [np.ascontiguousarray(one[..., 3]) for one in pictures]
        self._shapes = np.array([one.shape[:2] for one in pictures], np.int64)
        self._crisp = crisp
        parts: list[Plane] = []
        levels: list[tuple[int, ...]] = []
        start, firsts = 0, []
        for picture in pictures:
            firsts.append(len(levels))
            for level in _levels(picture if colours else picture[..., 3:]):
                parts.append(np.pad(level, ((1, 1), (1, 1), (0, 0))).reshape(-1, level.shape[2]))
                levels.append((start, *level.shape[:2]))
                start += len(parts[-1])
        whole = np.ascontiguousarray(np.concatenate(parts).T)
        self.pictures = laying.Pictures(_pairs(whole), np.array(levels, np.int64))
        self._firsts = np.array([*firsts, len(levels)], np.int64)

    @cached_property
    def outlines(self) -> tuple[Outline, ...]:
        """See `Dabs`. Lettering goes by its advances and needs none."""
        return () if self.advances else tuple(Outline(cover) for cover in self._covers)

    @property
    def longest(self) -> int:
        """The longer side of its largest picture, px."""
        return int(self._shapes.max())

    def shape(self, dabs: Plane, marks: Marks, scale: float) -> Wholes:
        """See `Dabs`."""
        sizes = marks[:, rhythm.S_SIZE] * (scale * self._longer)
        which = marks[:, rhythm.S_PICTURE].astype(np.int64)
        high, wide = self._shapes[which].T
        longest = np.maximum(high, wide)
        octaves = np.round(2 * np.log2(longest / sizes)).astype(np.int64)
        first, after = self._firsts[which], self._firsts[which + 1]
        level = np.clip(first + octaves, first, after - 1)
        levels = self.pictures.levels[level]
        u, v = _maps(marks)
        step_u, step_v = levels[:, 2] * longest / (wide * sizes), levels[:, 1] * longest / (high * sizes)
        dabs[:, laying.M00 : laying.M01 + 1] = u * step_u[:, None]
        dabs[:, laying.M10 : laying.M11 + 1] = v * step_v[:, None]
        dabs[:, laying.LEVEL] = level
        if self._crisp:
            dabs[:, laying.CRISP] = np.maximum(1.0, 1.0 / np.maximum(step_u, step_v))
        dabs[:, laying.FLOW] = _thinned(sizes * marks[:, rhythm.S_ROUNDNESS], marks[:, rhythm.S_FLOW])
        return np.ceil(np.hypot(levels[:, 2] / step_u, levels[:, 1] / step_v) * 0.5).astype(np.int64) + 2


def _pairs(channels: Plane) -> NDArray[np.uint32]:
    """Each px, 16 bits, with its right neighbour above it: uint32 (channels, n)."""
    wide = np.round(np.clip(channels, 0, 1) * 65535).astype(np.uint32)
    return wide | (np.roll(wide, -1, axis=1) << np.uint32(16))


def _levels(picture: Plane) -> list[Plane]:
    """A picture (rows, columns, channels) in levels, down to 2 px."""
    rows, columns, channels = picture.shape
    found, k = [], 0
    while True:
        high, wide = (max(round(side * 2 ** (-k / 2)), 1) for side in (rows, columns))
        level = picture if k == 0 else cv2.resize(picture, (wide, high), interpolation=cv2.INTER_AREA)
        found.append(np.ascontiguousarray(level).reshape(high, wide, channels))
        if max(high, wide) <= 2:
            return found
        k += 1
