"""Irregular pieces: cells around scattered points, with joints like any tiling."""

from __future__ import annotations

from orvix.registry import Value
from orvix.tiles.sources.cells import measure
from orvix.tiles.sources.noise import turned_lattice
from orvix.tiles.sources.pieces import PIECE_VALUES, Edges, check_pieces, flat, shade
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Source

VALUES = (
    Value("across", "Pieces across", "whole", 7, "Number of pieces across.", low=1, high=128),
    Value("disorder", "Disorder", "number", 0.8, "Moves the pieces off an even grid.", low=0, high=1),
    *(value for value in PIECE_VALUES if value.name not in ("irregular", "rounding")),
)  # fmt: skip


def render(order: Order) -> Pixels:
    """The window asked for."""
    lattice = turned_lattice(order, order.values["across"], 1.0, 0.0)
    cell, (border, facing) = measure(order, lattice, order.values["disorder"], borders=True)
    edges = Edges(border.shape)
    edges.nearest, edges.facing = border, facing
    return shade(order, edges, lattice, cell)


def check(order: Order) -> None:
    """Pieces must be large enough for their joints."""
    check_pieces(order, 0.7 * order.width / order.values["across"])


SOURCES.add(
    "irregular",
    Source(
        "irregular", "Irregular pieces", "generated", "Pieces of unequal shape, with joints.", VALUES, render,
        "tilings", check, flat=flat,
    ),
)  # fmt: skip
