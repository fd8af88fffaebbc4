"""Fish-scale: round-ended pieces in staggered rows, each row lying over the one below."""

from __future__ import annotations

from math import hypot

import numpy as np

from orvix.registry import Value
from orvix.tiles.lattices import Lattice, closing_lattice
from orvix.tiles.sources.pieces import PIECE_VALUES, Edges, check_pieces, flat, shade
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Source

VALUES = (
    Value("across", "Scales across", "whole", 6, "Number of scales across.", low=1, high=128),
    Value(
        "height", "Row height", "number", 0.5, "Distance to the next row, in scale widths.", low=0.25,
        high=1,
    ),
    Value("shadow", "Shadow", "number", 0.25, "Shadow cast by the row above.", low=0, high=1),
    *(value for value in PIECE_VALUES if value.name not in ("rounding", "irregular")),
)  # fmt: skip


def lattice_of(order: Order) -> Lattice:
    """The middles of the scales."""
    w = order.width / order.values["across"]
    h = w * order.values["height"]
    return closing_lattice(order.width, order.height, order.repeat, (w, 0.0), (w / 2, h), level=True)


def render(order: Order) -> Pixels:
    """The window asked for.

    In units of half a scale across and a row down each scale is a disc of radius 1 around its middle. A px lies in the
    disc of the row above it where there is one, else in the piece of the row below that it shows.
    """
    lattice = lattice_of(order)
    (px, py), (qx, qy) = lattice.vectors
    half, high = hypot(px, py) / 2, (px * qy - py * qx) / hypot(px, py)
    shift = np.float32((qx * px + qy * py) / hypot(px, py) / half)
    at = lattice.places(order.window)
    along = 2 * at.u + at.v * shift
    i = np.floor(along * np.float32(0.5) + np.float32(0.5))
    dx = np.abs(along - 2 * i)
    far = np.sqrt(dx * dx + at.v * at.v)
    inside = far <= 1
    below_i = np.floor((along - shift) * np.float32(0.5) + np.float32(0.5))
    moved = at.i + np.where(inside, i, below_i).astype(np.int32)
    identity = lattice.identity(moved, at.j + np.where(inside, 0, 1).astype(np.int32))
    two_above = np.sqrt((1 - dx) ** 2 + (1 + at.v) ** 2) - 1
    to_above = np.where(inside, two_above, far - 1)
    scale = np.float32(min(half, high))
    edges = Edges(dx.shape)
    edges.add(np.where(inside, (1 - far) * scale, np.inf).astype(np.float32), (0, 1))
    edges.add(to_above * scale, (0, -1))
    extra = np.exp(to_above * np.float32(-3)) * np.float32(-order.values["shadow"])
    return shade(order, edges, lattice, identity, extra)


def check(order: Order) -> None:
    """Scales must be large enough for their joints."""
    w = order.width / order.values["across"]
    check_pieces(order, min(w, w * order.values["height"]))


SOURCES.add(
    "fish-scale",
    Source(
        "fish-scale", "Fish-scale", "generated", "Round-ended pieces, each row overlapping the one below.", VALUES,
        render,
        "tilings", check, flat=flat,
    ),
)  # fmt: skip
