"""Basket courses: square blocks of r pieces side by side, by turns level and upright."""

from __future__ import annotations

from math import hypot

import numpy as np

from orvix.registry import Value
from orvix.tiles.lattices import Lattice, closing_lattice
from orvix.tiles.sources.pieces import PIECE_VALUES, box_edges, check_pieces, edge_chance, flat, grid_places, shade
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Source

VALUES = (
    Value("across", "Blocks across", "whole", 4, "Number of blocks across the tile.", low=2, high=128),
    Value("pieces", "Pieces per block", "whole", 2, "Number of pieces in a block.", low=1, high=6),
    *PIECE_VALUES,
)  # fmt: skip


def lattice_of(order: Order) -> Lattice:
    """The grid of piece widths under the pattern, which repeats by one block aside and down, and by two aside."""
    block, r = order.width / order.values["across"], int(order.values["pieces"])
    pattern = closing_lattice(order.width, order.height, order.repeat, (2 * block, 0.0), (block, block), level=True)
    return pattern.seen_as(((2 * r, r), (0, r)))


def render(order: Order) -> Pixels:
    """The window asked for."""
    r = np.int32(order.values["pieces"])
    lattice = lattice_of(order)
    (px, py), (qx, qy) = lattice.vectors
    unit = hypot(px, py), hypot(qx, qy)
    at = lattice.places(order.window)
    block_i, block_j = at.i // r, at.j // r
    level = (block_i + block_j) % 2 == 0
    anchor = np.where(level, block_i * r, at.i), np.where(level, at.j, block_j * r)
    identity = lattice.identity(*anchor)
    size_x = np.where(level, np.float32(r * unit[0]), np.float32(unit[0]))
    size_y = np.where(level, np.float32(unit[1]), np.float32(r * unit[1]))
    back = edge_chance(order, lattice, identity, 0.25 * min(unit))
    edges = box_edges(order, grid_places(at, anchor, unit), (size_x, size_y), back)
    return shade(order, edges, lattice, identity)


def check(order: Order) -> None:
    """Pieces must be large enough for their joints."""
    check_pieces(order, order.width / order.values["across"] / order.values["pieces"])


SOURCES.add(
    "basket",
    Source(
        "basket", "Basket", "generated", "Blocks of pieces, alternately horizontal and vertical.", VALUES, render,
        "tilings",
        check, flat=flat,
    ),
)  # fmt: skip
