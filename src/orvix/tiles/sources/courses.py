"""Courses: oblong pieces in rows, each row moved against the one above (stretcher), or not at all (stack)."""

from __future__ import annotations

from math import floor, hypot

import numpy as np

from orvix.registry import Value
from orvix.tiles.lattices import Lattice, closing_lattice
from orvix.tiles.sources.pieces import PIECE_VALUES, box_edges, check_pieces, edge_chance, flat, shade
from orvix.tiles.sources.registry import SOURCES, Given, Order, Pixels, Source

VALUES = (
    Value("across", "Pieces across", "whole", 4, "Number of pieces across.", low=1, high=128),
    Value("down", "Courses", "whole", 8, "Number of rows.", low=1, high=128),
    Value(
        "shift", "Shift", "number", 0.5,
        "Shift of each course against the one above, in pieces. 0 is a stack.", low=0, high=1,
    ),
    *PIECE_VALUES,
)  # fmt: skip


def lattice_of(order: Order) -> Lattice:
    """Pieces as asked, the courses' shift taken to the nearest that closes."""
    w, h = order.width / order.values["across"], order.height / order.values["down"]
    return closing_lattice(
        order.width, order.height, order.repeat, (w, 0.0), (w * order.values["shift"], h), level=True
    )


def render(order: Order) -> Pixels:
    """The window asked for."""
    lattice = lattice_of(order)
    (px, py), (qx, qy) = lattice.vectors
    length, high = hypot(px, py), (px * qy - py * qx) / hypot(px, py)
    shift = (qx * px + qy * py) / length**2
    at = lattice.places(order.window)
    along = at.u + at.v * np.float32(shift)
    over = np.floor(along)
    identity = lattice.identity(at.i + over.astype(np.int32), at.j)
    x, y = (along - over) * np.float32(length), at.v * np.float32(high)
    sizes = np.full_like(x, length), np.full_like(y, high)
    back = edge_chance(order, lattice, identity, 0.25 * min(length, high))
    return shade(order, box_edges(order, (x, y), sizes, back), lattice, identity)


def check(order: Order) -> None:
    """Pieces must be large enough for their joints."""
    check_pieces(order, min(order.width / order.values["across"], order.height / order.values["down"]))


def given(order: Order) -> list[Given]:
    """The shift asked for and the one that closes."""
    lattice = lattice_of(order)
    (px, py), (qx, qy) = lattice.vectors
    shift = (qx * px + qy * py) / (px * px + py * py)
    return [Given("Shift", order.values["shift"], round(shift - floor(shift + 1e-9), 4), "pieces")]


SOURCES.add(
    "courses",
    Source(
        "courses", "Courses", "generated", "Oblong pieces in rows: stretcher or stack.", VALUES, render, "tilings",
        check, given, flat=flat,
    ),
)  # fmt: skip
