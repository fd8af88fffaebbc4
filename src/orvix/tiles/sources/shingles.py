"""Shingles: courses of uneven pieces, each course hanging over the one below."""

from __future__ import annotations

from math import hypot

import numpy as np
from numba import njit

from orvix.registry import Value
from orvix.tiles.lattices import Lattice, closing_lattice, number_of
from orvix.tiles.sources.pieces import PIECE_VALUES, Edges, check_pieces, flat, shade
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Source

VALUES = (
    Value("across", "Pieces across", "whole", 6, "How many shingles lie side by side.", low=1, high=128),
    Value("down", "Courses", "whole", 8, "How many courses lie on the tile.", low=1, high=128),
    Value("shift", "Shift", "number", 0.5, "How far each course is moved against the one above.", low=0, high=1),
    Value("hang", "Uneven ends", "number", 0.3, "How unequally far the ends hang down.", low=0, high=1),
    Value("shadow", "Shadow", "number", 0.35, "How dark a shingle is under the ends above it.", low=0, high=1),
    *(value for value in PIECE_VALUES if value.name != "rounding"),
)  # fmt: skip
_SALT = 37


def lattice_of(order: Order) -> Lattice:
    """Places of the shingles."""
    w, h = order.width / order.values["across"], order.height / order.values["down"]
    return closing_lattice(
        order.width, order.height, order.repeat, (w, 0.0), (w * order.values["shift"], h), level=True
    )


def render(order: Order) -> Pixels:
    """The window asked for."""
    values = order.values
    lattice = lattice_of(order)
    (px, py), (qx, qy) = lattice.vectors
    wide, high = hypot(px, py), (px * qy - py * qx) / hypot(px, py)
    shift = np.float32((qx * px + qy * py) / wide**2)
    at = lattice.places(order.window)
    identity, planes = np.empty(at.u.shape, np.int32), np.empty((4, *at.u.shape), np.float32)
    given = (0.6 * values["irregular"], 0.45 * values["hang"], shift, wide, high, values["shadow"])
    cells = np.array(lattice.reduced(), np.int32)
    flat_planes = (plane.ravel() for plane in (*at, identity))
    chance = lattice.numbers(order.seed, _SALT, 2)
    _lay(*flat_planes, planes.reshape(4, -1), chance, cells, np.array(given, np.float32))
    edges = Edges(at.u.shape)
    for distance, outward in zip(planes, ((-1, 0), (1, 0), (0, 1)), strict=False):
        edges.add(distance, outward)
    return shade(order, edges, lattice, identity, planes[3])


@njit(nogil=True, cache=True, error_model="numpy", inline="always")
def _sway(i, j, chance, n, s, m, sway):  # type: ignore[no-untyped-def]
    """How far the left side of a shingle has moved, in shingles."""
    return (chance[number_of(i, j, n, s, m), 0] - np.float32(0.5)) * sway


@njit(nogil=True, cache=True, error_model="numpy")
def _shingle(i, j, along, chance, n, s, m, sway):  # type: ignore[no-untyped-def]
    """The shingle at a place along its course: its number, and the ways to its left and right, in shingles."""
    one = np.float32(1)
    over = np.floor(along)
    i, part = i + np.int32(over), along - over
    left = _sway(i, j, chance, n, s, m, sway)
    right = _sway(i + np.int32(1), j, chance, n, s, m, sway) + one
    if part < left:
        i -= np.int32(1)
        right = left
        left = _sway(i, j, chance, n, s, m, sway) - one
    elif part >= right:
        i += np.int32(1)
        left = right
        right = _sway(i + np.int32(1), j, chance, n, s, m, sway) + one + one
    return number_of(i, j, n, s, m), part - left, right - part


@njit(nogil=True, cache=True, error_model="numpy")
def _lay(i, j, u, v, identity, planes, chance, cells, given):  # type: ignore[no-untyped-def]
    """Which shingle lies at each px, the ways to its sides and its end in px, and its shade; unchecked kernel.

    chance: (count, 2) for sides and ends. given: sway, hang (shares of a course), shift, width, height (px), shadow.
    """
    n, s, m = cells[0], cells[1], cells[2]
    sway, hang, shift, wide, high, shadow = given[0], given[1], given[2], given[3], given[4], given[5]
    one = np.float32(1)
    for k in range(u.shape[0]):
        number, left, right = _shingle(i[k], j[k] - np.int32(1), u[k] + (v[k] + one) * shift, chance, n, s, m, sway)
        to_end, under = chance[number, 1] * hang - v[k], one + v[k]
        if to_end <= 0:
            drop = chance[number, 1] * hang
            number, left, right = _shingle(i[k], j[k], u[k] + v[k] * shift, chance, n, s, m, sway)
            to_end, under = one + chance[number, 1] * hang - v[k], v[k] - drop
        identity[k] = number
        planes[0, k], planes[1, k], planes[2, k] = left * wide, right * wide, to_end * high
        planes[3, k] = -shadow * np.exp(under * np.float32(-5))


def check(order: Order) -> None:
    """Shingles must be large enough for their joints."""
    check_pieces(order, min(order.width / order.values["across"], order.height / order.values["down"]))


SOURCES.add(
    "shingles",
    Source(
        "shingles", "Shingles", "generated", "Uneven pieces in courses that hang over each other.", VALUES, render,
        "tilings", check, flat=flat,
    ),
)  # fmt: skip
