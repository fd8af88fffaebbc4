"""Herringbone: oblong pieces at right angles, each end against the side of the next.

On a grid of squares, with r squares to a piece, a square (i, j) lies in a level piece where (i - j) mod 2r < r and in
an upright one elsewhere; the pattern repeats by (1, 1) and (2r, 0) squares.
"""

from __future__ import annotations

from math import hypot

import numpy as np

from orvix.registry import Value
from orvix.tiles.lattices import Lattice, closing_lattice
from orvix.tiles.sources.pieces import PIECE_VALUES, box_edges, check_pieces, edge_chance, flat, grid_places, shade
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Source

VALUES = (
    Value("across", "Squares across", "whole", 12, "Number of piece widths across.", low=2, high=256),
    Value("ratio", "Length", "whole", 2, "Length of a piece, in widths.", low=2, high=6),
    *PIECE_VALUES,
)  # fmt: skip


def lattice_of(order: Order) -> Lattice:
    """The grid of squares under the pattern."""
    unit, ratio = order.width / order.values["across"], int(order.values["ratio"])
    pattern = closing_lattice(
        order.width, order.height, order.repeat, (2.0 * ratio * unit, 0.0), (unit, unit), level=True
    )
    return pattern.seen_as(((2 * ratio, 1), (0, 1)))


def render(order: Order) -> Pixels:
    """The window asked for."""
    ratio = np.int32(order.values["ratio"])
    lattice = lattice_of(order)
    (px, py), (qx, qy) = lattice.vectors
    unit = hypot(px, py), hypot(qx, qy)
    at = lattice.places(order.window)
    place = (at.i - at.j) % (2 * ratio)
    level = place < ratio
    anchor = at.i - np.where(level, place, 0), at.j - np.where(level, 0, 2 * ratio - 1 - place)
    identity = lattice.identity(*anchor)
    size_x = np.where(level, np.float32(ratio * unit[0]), np.float32(unit[0]))
    size_y = np.where(level, np.float32(unit[1]), np.float32(ratio * unit[1]))
    back = edge_chance(order, lattice, identity, 0.25 * min(unit))
    edges = box_edges(order, grid_places(at, anchor, unit), (size_x, size_y), back)
    return shade(order, edges, lattice, identity)


def check(order: Order) -> None:
    """Pieces must be large enough for their joints."""
    check_pieces(order, order.width / order.values["across"])


SOURCES.add(
    "herringbone",
    Source(
        "herringbone", "Herringbone", "generated", "Long pieces at right angles.", VALUES, render,
        "tilings", check, flat=flat,
    ),
)  # fmt: skip
