"""Periodic fractal noise: gradient noise on a lattice that closes under any repeat, summed over octaves.

K. Perlin, "An image synthesizer", SIGGRAPH 1985, with the quintic fade of "Improving noise", 2002. Positions are
reduced in whole numbers before they become floats: a lattice of nx by ny cells lies on the tile; under a staggered
repeat it is sheared by less than half a cell over the tile's width, so that its cells meet whatever the stagger.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from orvix.chance import fold, unit
from orvix.registry import Value
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Source, grey_to_pixels

VALUES = (
    Value(
        "cells", "Cells across", "whole", 6,
        "How many clouds lie side by side across the tile. More: a finer picture.", low=1, high=64,
    ),
    Value("octaves", "Octaves", "whole", 5, "How many finer layers are added, each twice as fine.", low=1, high=8),
    Value(
        "roughness", "Roughness", "number", 0.5,
        "How strong each finer layer is beside the one before it.", low=0, high=1,
    ),
    Value(
        "depth", "Depth", "number", 0.55,
        "How far light and dark lie apart.", low=0.05, high=1,
    ),
)  # fmt: skip


@dataclass(frozen=True)
class _Lattice:
    """One octave's lattice, seen along the axis whose copies are staggered ("along") and the other ("across")."""

    along_px: int
    across_px: int
    along: int
    across: int
    moved_px: int

    @property
    def moved(self) -> int:
        """The stagger in whole cells; what is left over shears the lattice."""
        return (2 * self.moved_px * self.across + self.across_px) // (2 * self.across_px)

    @property
    def below(self) -> int:
        """What positions across are counted in: this many to a cell."""
        return 2 * self.along_px * self.across_px


def render(order: Order) -> Pixels:
    """The window asked for, uint16 (rows, columns, 4), grey and opaque."""
    values, window = order.values, order.window
    cells = int(values["cells"])
    down = max(round(cells * order.height / order.width), 1)
    brick = order.repeat.kind == "brick"
    sides = (window.width, window.height) if brick else (window.height, window.width)
    total = np.zeros(sides, np.float32)
    strength, power = 1.0, 0.0
    for octave in range(int(values["octaves"])):
        if cells << octave <= order.width and down << octave <= order.height:
            _add_octave(total, order, _lattice(order, cells << octave, down << octave), octave, strength)
        power += strength * strength
        strength *= values["roughness"]
    gain = np.float32(2.0 * values["depth"] / np.sqrt(power))
    return grey_to_pixels((total.T if brick else total) * gain + np.float32(0.5))


def _lattice(order: Order, columns: int, rows: int) -> _Lattice:
    moved = order.repeat.stagger_px(order.width, order.height)
    if order.repeat.kind == "brick":
        return _Lattice(order.height, order.width, rows, columns, moved)
    return _Lattice(order.width, order.height, columns, rows, moved)


def _add_octave(total: NDArray[np.float32], order: Order, lattice: _Lattice, octave: int, strength: float) -> None:
    window = order.window
    start = (window.top, window.left) if order.repeat.kind == "brick" else (window.left, window.top)
    along = 2 * np.arange(start[0], start[0] + total.shape[1], dtype=np.int64) + 1
    across = 2 * np.arange(start[1], start[1] + total.shape[0], dtype=np.int64) + 1
    cell, part = np.divmod(along * lattice.along, 2 * lattice.along_px)
    lean, lean_rest = np.divmod(
        along * (lattice.moved_px * lattice.across - lattice.moved * lattice.across_px), lattice.below
    )
    place, place_rest = np.divmod(across * (lattice.across * lattice.along_px), lattice.below)
    columns = np.empty((5, total.shape[1]), np.int32)
    for n, corner in enumerate((cell, cell + 1)):
        columns[2 * n] = corner % lattice.along
        columns[2 * n + 1] = (lean + corner // lattice.along * lattice.moved) % lattice.across
    columns[4] = lean_rest
    rows = np.stack([place % lattice.across, place_rest]).astype(np.int32)
    share = (part / (2 * lattice.along_px)).astype(np.float32)
    table = _gradients(np.uint64(order.seed), np.uint64(octave), lattice.across, lattice.along)
    halves = np.array_split(np.arange(total.shape[0]), 2) if total.size > 65536 else [np.arange(total.shape[0])]

    def add(part: NDArray[np.int64]) -> None:
        lines = slice(int(part[0]), int(part[-1]) + 1)
        mine = np.ascontiguousarray(rows[:, lines])
        _octave(total[lines], table, columns, share, mine, np.int32(lattice.below), np.float32(strength))

    with ThreadPoolExecutor(len(halves)) as threads:
        list(threads.map(add, halves))


@njit(nogil=True, cache=True)
def _gradients(seed, octave, rows, columns):  # type: ignore[no-untyped-def]
    """Unit vectors float32 (2, rows, columns), x then y, each from its own key."""
    out = np.empty((2, rows, columns), np.float32)
    state = fold(fold(np.uint64(11), seed), octave)
    for j in range(rows):
        row = fold(state, np.uint64(j))
        for i in range(columns):
            angle = 6.283185307179586 * unit(fold(row, np.uint64(i)))
            out[0, j, i] = np.cos(angle)
            out[1, j, i] = np.sin(angle)
    return out


@njit(nogil=True, cache=True, error_model="numpy")
def _octave(total, gradients, columns, share, rows, below, strength):  # type: ignore[no-untyped-def]
    """Add one octave to `total` (across, along); unchecked kernel.

    columns: int32 (5, n): for the nearer and the further lattice column its place and the cells to take off across,
    then the rest to take off. share: how far between the two. rows: int32 (2, m), whole cells across and rest, of which
    `below` make a cell.
    """
    count = np.int32(gradients.shape[1])
    one, zero, wrap = np.float32(1.0), np.int32(0), np.int32(1)
    six, fifteen, ten = np.float32(6.0), np.float32(15.0), np.float32(10.0)
    scale = one / np.float32(below)
    near, near_off, far, far_off, lean = columns[0], columns[1], columns[2], columns[3], columns[4]
    level = not (near_off.any() or far_off.any() or lean.any())
    fade = np.empty_like(share)
    for x in range(share.shape[0]):
        u = share[x]
        fade[x] = u * u * u * (u * (u * six - fifteen) + ten)
    for y in range(total.shape[0]):
        line = total[y]
        cell, whole = rows[0, y], rows[1, y]
        if level:
            v = np.float32(whole) * scale
            fade_v = v * v * v * (v * (v * six - fifteen) + ten)
            upper_x, upper_y = gradients[0, cell], gradients[1, cell]
            lower = cell + wrap if cell + wrap < count else zero
            lower_x, lower_y = gradients[0, lower], gradients[1, lower]
            for x in range(line.shape[0]):
                u, a, c = share[x], near[x], far[x]
                top = upper_x[a] * u + upper_y[a] * v
                top_far = upper_x[c] * (u - one) + upper_y[c] * v
                low = lower_x[a] * u + lower_y[a] * (v - one)
                low_far = lower_x[c] * (u - one) + lower_y[c] * (v - one)
                top += (top_far - top) * fade[x]
                low += (low_far - low) * fade[x]
                line[x] += (top + (low - top) * fade_v) * strength
            continue
        for x in range(line.shape[0]):
            rest = whole - lean[x]
            borrow = wrap if rest < zero else zero
            rest += borrow * below
            b0 = cell - near_off[x] - borrow
            b0 += count if b0 < zero else zero
            b0 += count if b0 < zero else zero
            b1 = b0 + wrap if b0 + wrap < count else zero
            d0 = cell - far_off[x] - borrow
            d0 += count if d0 < zero else zero
            d0 += count if d0 < zero else zero
            d1 = d0 + wrap if d0 + wrap < count else zero
            u, v, a, c = share[x], np.float32(rest) * scale, near[x], far[x]
            top = gradients[0, b0, a] * u + gradients[1, b0, a] * v
            top_far = gradients[0, d0, c] * (u - one) + gradients[1, d0, c] * v
            low = gradients[0, b1, a] * u + gradients[1, b1, a] * (v - one)
            low_far = gradients[0, d1, c] * (u - one) + gradients[1, d1, c] * (v - one)
            top += (top_far - top) * fade[x]
            low += (low_far - low) * fade[x]
            line[x] += (top + (low - top) * (v * v * v * (v * (v * six - fifteen) + ten))) * strength


SOURCES.add(
    "noise",
    Source("noise", "Noise", "generated", "Cloudy tones that close on themselves at any setting.", VALUES, render),
)
