"""Shingles: courses of uneven pieces, each course hanging over the one below."""

from __future__ import annotations

from math import hypot

import numpy as np

from orvix.compiling import kernel, kernel_with
from orvix.registry import Value
from orvix.tiles.lattices import Lattice, closing_lattice, number_of
from orvix.tiles.sources.pieces import PIECE_VALUES, Edges, check_pieces, flat, shade
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Source

VALUES = (
    Value("across", "Pieces across", "whole", 6, "Number of shingles across.", low=1, high=128),
    Value("down", "Courses", "whole", 8, "Number of courses.", low=1, high=128),
    Value("shift", "Shift", "number", 0.5, "Shift of each course against the one above.", low=0, high=1),
    Value("hang", "Uneven ends", "number", 0.3, "Variation in length at the lower ends.", low=0, high=1),
    Value("shadow", "Shadow", "number", 0.35, "Shadow cast by the course above.", low=0, high=1),
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


@kernel
def _around(i, j, chance, cells, sway, ids, sides):  # type: ignore[no-untyped-def]
    """The shingles i - 1 to i + 1 of course j into `ids`, their sides from left to right, in shingles, into `sides`."""
    for k in range(4):
        number = number_of(i + np.int32(k - 1), j, cells[0], cells[1], cells[2])
        sides[k] = (chance[number, 0] - np.float32(0.5)) * sway + np.float32(k - 1)
        if k < 3:
            ids[k] = number


@kernel_with(inline="always")
def _which(part, sides):  # type: ignore[no-untyped-def]
    """Which of three shingles a place lies in."""
    return 0 if part < sides[1] else (2 if part >= sides[2] else 1)


@kernel
def _lay(i, j, u, v, identity, planes, chance, cells, given):  # type: ignore[no-untyped-def]
    """Which shingle lies at each px, the ways to its sides and its end in px, and its shade; unchecked kernel.

    chance: (count, 2) for sides and ends. given: sway, hang (shares of a course), shift, width, height (px), shadow.
    """
    sway, hang, shift, wide, high, shadow = given[0], given[1], given[2], given[3], given[4], given[5]
    one, far = np.float32(1), np.int32(-2147483647)
    upper_ids, lower_ids = np.empty(3, np.int32), np.empty(3, np.int32)
    upper_sides, lower_sides = np.empty(4, np.float32), np.empty(4, np.float32)
    upper_i = lower_i = upper_j = lower_j = far
    for k in range(u.shape[0]):
        along = u[k] + (v[k] + one) * shift
        over = np.floor(along)
        part, at = along - over, i[k] + np.int32(over)
        if at != upper_i or j[k] != upper_j:
            upper_i, upper_j = at, j[k]
            _around(at, j[k] - np.int32(1), chance, cells, sway, upper_ids, upper_sides)
        which = _which(part, upper_sides)
        number, left, right = upper_ids[which], part - upper_sides[which], upper_sides[which + 1] - part
        drop = chance[number, 1] * hang
        to_end, under = drop - v[k], one + v[k]
        if to_end <= 0:
            along = u[k] + v[k] * shift
            over = np.floor(along)
            part, at = along - over, i[k] + np.int32(over)
            if at != lower_i or j[k] != lower_j:
                lower_i, lower_j = at, j[k]
                _around(at, j[k], chance, cells, sway, lower_ids, lower_sides)
            which = _which(part, lower_sides)
            number, left, right = lower_ids[which], part - lower_sides[which], lower_sides[which + 1] - part
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
        "shingles", "Shingles", "generated", "Uneven pieces in overlapping courses.", VALUES, render,
        "tilings", check, flat=flat,
    ),
)  # fmt: skip
