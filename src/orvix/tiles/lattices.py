"""Lattices of cells that close on a tile under its repeat: what screens, tilings, weaves and noises are laid out on.

A lattice has two vectors p and q in px; a place on the cloth is u p + v q. It closes when the tile's two basis vectors
A and B are whole in u and v: [A B] = [p q] K with K whole. So p and q wanted by a painter are taken to the nearest
that close. u and v are computed in whole numbers over 2 W H and only their rest becomes a float; therefore a place
moved by a vector of the repeat has the same rest, bit for bit, and its cell differs by a vector of the lattice K.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from itertools import product
from math import atan2, degrees, hypot
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from orvix.chance import fold, unit
from orvix.compiling import kernel, kernel_with
from orvix.errors import BadValue
from orvix.tiles.repeats import Repeat
from orvix.tiles.window import Window

Vector = tuple[float, float]
Whole = tuple[int, int]
Floats = NDArray[np.float32]
Wholes = NDArray[np.int32]

MOST_CELLS = 2_000_000
LEVEL_WORTH = 0.6
"""How much more a level lattice may miss what was asked, in logarithms and radians."""


class Places(NamedTuple):
    """Where the px centres of a window lie: cell (i, j) and rest (u, v) in 0 to 1, each (rows, columns)."""

    i: Wholes
    j: Wholes
    u: Floats
    v: Floats


@dataclass(frozen=True)
class Lattice:
    """A lattice on a tile. k: ((a, b), (c, d)), the columns being A and B counted in p and q."""

    width: int
    height: int
    basis: tuple[Whole, Whole]
    k: tuple[Whole, Whole]

    @property
    def count(self) -> int:
        """How many cells lie on the tile."""
        (a, b), (c, d) = self.k
        return a * d - b * c

    @property
    def vectors(self) -> tuple[Vector, Vector]:
        """p and q in px, as (x, y)."""
        (ax, ay), (bx, by) = self.basis
        (a, b), (c, d) = self.k
        n = self.count
        return ((ax * d - bx * c) / n, (ay * d - by * c) / n), ((bx * a - ax * b) / n, (by * a - ay * b) / n)

    def finer(self, times: int) -> Lattice:
        """The lattice with both vectors divided."""
        (a, b), (c, d) = self.k
        return Lattice(self.width, self.height, self.basis, ((a * times, b * times), (c * times, d * times)))

    def seen_as(self, s: tuple[Whole, Whole]) -> Lattice:
        """The lattice whose coordinates are s (u, v): a finer grid on which p and q are the columns of s."""
        (a, b), (c, d) = self.k
        (e, f), (g, h) = s
        k = ((e * a + f * c, e * b + f * d), (g * a + h * c, g * b + h * d))
        return Lattice(self.width, self.height, self.basis, k)

    @property
    def steps(self) -> tuple[Whole, Whole]:
        """How far u (and v) moves with a px to the right and a px down, in shares of W H."""
        (ax, ay), (bx, by) = self.basis
        (a, b), (c, d) = self.k
        return (a * by - b * ay, b * ax - a * bx), (c * by - d * ay, d * ax - c * bx)

    def axes(self, window: Window) -> list[tuple[Wholes, Wholes, Wholes, Wholes]]:
        """For u and for v: whole cells and rest along the window's columns, and down its rows; the rest in 1 / 2WH."""
        unit_px = 2 * self.width * self.height
        x = 2 * np.arange(window.left, window.left + window.width, dtype=np.int64) + 1
        y = 2 * np.arange(window.top, window.top + window.height, dtype=np.int64) + 1
        out = []
        for across, down in self.steps:
            columns, rows = np.divmod(across * x, unit_px), np.divmod(down * y, unit_px)
            a, b, c, d = (part.astype(np.int32) for part in (*columns, *rows))
            out.append((a, b, c, d))
        return out

    def places(self, window: Window) -> Places:
        """Where each px centre of the window lies."""
        unit_px = np.int32(2 * self.width * self.height)
        got: list[NDArray[Any]] = []
        for cells, rest, rows, rows_rest in self.axes(window):
            whole = rows[:, None] + cells[None]
            part = rows_rest[:, None] + rest[None]
            over = part >= unit_px
            whole += over
            part -= over * unit_px
            got += [whole, part.astype(np.float32) * np.float32(1 / unit_px)]
        return Places(got[0], got[2], got[1], got[3])

    def identity(self, i: Wholes, j: Wholes) -> Wholes:
        """The number of a cell, 0 to count - 1: the same for all its copies."""
        out = np.empty(i.shape, np.int32)
        flat_i, flat_j = np.ascontiguousarray(i).ravel(), np.ascontiguousarray(j).ravel()
        n, s, m = (np.int32(one) for one in self.reduced())
        _number(flat_i, flat_j, out.ravel(), n, s, m)
        return out

    def column_period(self) -> int:
        """After how many cells along u a column of cells (all of one u) comes back, whatever v."""
        (a, b), _ = self.k
        return int(np.gcd(a, b))

    def row_period(self) -> int:
        """After how many cells along v a row of cells comes back, whatever u."""
        _, (c, d) = self.k
        return int(np.gcd(c, d))

    def numbers(self, seed: int, salt: int, each: int) -> Floats:
        """Chance for every cell: float32 (count, each) in 0 to 1, by the cell's number."""
        return numbers(seed, salt, self.count, each)

    def reduced(self) -> tuple[int, int, int]:
        """(n, s, m): cells (i, j) and (i + n, j + s) are copies, and so are (i, j) and (i, j + m)."""
        (n, s), m = _reduced(self.k)
        return n, s, m


def closing_lattice(width: int, height: int, repeat: Repeat, p: Vector, q: Vector, *, level: bool = False) -> Lattice:
    """The lattice nearest to p and q (px, x right, y down) that closes on a tile under its repeat.

    q lies clockwise of p, as painters see it. Nearest: the largest miss of their lengths (as logarithms)
    and directions (radians) is least, over the whole K around [p q]^-1 [A B]. Raises BadValue where more
    than 2 000 000 cells would lie on the tile. level: where a lattice whose p is level misses by little more, take it:
    courses that slope are seen before a shift that differs.
    """
    return _closing(width, height, repeat.basis(width, height), p, q, level)


@lru_cache(256)
def _closing(width: int, height: int, basis: tuple[Whole, Whole], p: Vector, q: Vector, level: bool) -> Lattice:
    wanted = np.array([p, q], np.float64).T
    tile = np.array(basis, np.float64).T
    ideal = np.linalg.solve(wanted, tile)
    if np.linalg.det(ideal) > MOST_CELLS:
        raise BadValue("cells", round(np.linalg.det(ideal)), f"a tile has at most {MOST_CELLS} cells")
    near = np.floor(ideal).astype(int).ravel()
    tries = near + np.array(list(product((0, 1), repeat=4)))
    tries = np.concatenate([tries, *_around(ideal)])
    dets = tries[:, 0] * tries[:, 3] - tries[:, 1] * tries[:, 2]
    tries = tries[dets > 0]
    inverse = np.linalg.inv(tries.reshape(-1, 2, 2).astype(np.float64))
    got = tile @ inverse
    lengths = np.abs(np.log(np.hypot(got[:, 0], got[:, 1]) / np.hypot(wanted[0], wanted[1])))
    turns = np.arctan2(got[:, 1], got[:, 0]) - np.arctan2(wanted[1], wanted[0])
    misses = np.concatenate([lengths, np.abs((turns + np.pi) % (2 * np.pi) - np.pi)], axis=1)
    # Rounded, so that the order of tries and not the last bit of a logarithm decides between equals.
    cost = np.round(misses.max(axis=1) + 0.1 * misses.sum(axis=1), 9)
    if level:
        flat = tries[:, 3] * basis[0][1] == tries[:, 2] * basis[1][1]
        if flat.any() and cost[flat].min() < cost.min() + LEVEL_WORTH:
            tries, cost = tries[flat], cost[flat]
    a, b, c, d = (int(whole) for whole in tries[int(np.argmin(cost))])
    return Lattice(width, height, basis, ((a, b), (c, d)))


def _around(ideal: NDArray[Any]) -> list[NDArray[np.int64]]:
    """More tries: a cell more or fewer in each row, and the smallest whole lattices for tiles under one cell."""
    near = np.rint(ideal).astype(int).ravel()
    tries = [near + np.array(list(product((-1, 0, 1), repeat=4)))]
    if np.abs(ideal).max() < 2:
        tries.append(np.array([[1, 0, 0, 1], [1, 1, 0, 1], [1, 0, 1, 1], [-1, 0, 0, -1], [0, 1, -1, 0], [0, -1, 1, 0]]))
    return tries


@lru_cache(1024)
def _reduced(k: tuple[Whole, Whole]) -> tuple[Whole, int]:
    """The lattice of copies in Hermite form: (n, s) and (0, m)."""
    (a, b), (c, d) = k
    n, x, y = _bezout(a, b)
    m = abs(a * d - b * c) // n
    return (n, (x * c + y * d) % m), m


def _bezout(a: int, b: int) -> tuple[int, int, int]:
    """g > 0, x, y with a x + b y = g, the greatest common divisor."""
    x0, y0, x1, y1 = 1, 0, 0, 1
    while b:
        times = a // b
        a, b, x0, y0, x1, y1 = b, a - times * b, x1, y1, x0 - times * x1, y0 - times * y1
    return (a, x0, y0) if a > 0 else (-a, -x0, -y0)


@lru_cache(32)
def numbers(seed: int, salt: int, count: int, each: int) -> Floats:
    """Chance keyed by (seed, salt, row, column): float32 (count, each) in 0 to 1, read-only."""
    out = np.empty((count, each), np.float32)
    _fill(out, np.uint64(seed), np.uint64(salt))
    out.setflags(write=False)
    return out


@kernel_with(error_model="python")
def _fill(out, seed, salt):  # type: ignore[no-untyped-def]
    """Chance keyed by (seed, salt, row, column); unchecked kernel."""
    state = fold(fold(np.uint64(23), seed), salt)
    for n in range(out.shape[0]):
        row = fold(state, np.uint64(n))
        for k in range(out.shape[1]):
            out[n, k] = np.float32(unit(fold(row, np.uint64(k))))


@kernel_with(inline="always")
def number_of(i, j, n, s, m):  # type: ignore[no-untyped-def]
    """The number of one cell; n, s, m as `Lattice.reduced` gives them, int32."""
    times = i // n
    return np.int32((i - times * n) * m + (j - times * s) % m)


@kernel
def _number(i, j, out, n, s, m):  # type: ignore[no-untyped-def]
    """The numbers of cells, all flat int32; computed anew where the cell changes. Unchecked kernel."""
    last_i, last_j, number = np.int32(-2147483647), np.int32(0), np.int32(0)
    for k in range(i.shape[0]):
        if i[k] != last_i or j[k] != last_j:
            last_i, last_j = i[k], j[k]
            number = number_of(last_i, last_j, n, s, m)
        out[k] = number


def turn_and_length(vector: Vector) -> tuple[float, float]:
    """The direction of a vector in degrees (anticlockwise from right, as painters see it) and its length in px."""
    return degrees(atan2(-vector[1], vector[0])), hypot(*vector)
