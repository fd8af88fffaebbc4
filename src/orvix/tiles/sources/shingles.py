"""Shingles: courses of uneven pieces, each course hanging over the one below."""

from __future__ import annotations

from math import hypot

import numpy as np

from orvix.registry import Value
from orvix.tiles.lattices import Lattice, Wholes, closing_lattice
from orvix.tiles.sources.pieces import PIECE_VALUES, Edges, check_pieces, flat, shade
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Plane, Source

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
    chance = lattice.numbers(order.seed, _SALT, 2)
    sway = np.float32(0.6 * values["irregular"])

    def shingle(along: Plane, j: Wholes) -> tuple[Wholes, Plane, Plane]:
        """The shingle at a place along its course: its number, and the ways to its left and right, in shingles."""
        over = np.floor(along)
        i, part = at.i + over.astype(np.int32), along - over
        left = (chance[lattice.identity(i, j), 0] - np.float32(0.5)) * sway
        right = (chance[lattice.identity(i + np.int32(1), j), 0] - np.float32(0.5)) * sway + 1
        before, after = part < left, part >= right
        i = i - before.astype(np.int32) + after.astype(np.int32)
        beside = np.where(before, chance[lattice.identity(i, j), 0], chance[lattice.identity(i + np.int32(1), j), 0])
        beside = (beside - np.float32(0.5)) * sway
        start = np.where(before, beside - 1, np.where(after, right, left))
        end = np.where(before, left, np.where(after, beside + 2, right))
        return lattice.identity(i, j), part - start, end - part

    above = shingle(at.u + (at.v + 1) * shift, at.j - np.int32(1))
    own = shingle(at.u + at.v * shift, at.j)
    drop = chance[:, 1] * np.float32(0.45 * values["hang"])
    covered = at.v < drop[above[0]]
    identity = np.where(covered, above[0], own[0])
    to_end = np.where(covered, drop[above[0]] - at.v, 1 + drop[own[0]] - at.v)
    under = np.where(covered, 1 + at.v, at.v - drop[above[0]])
    edges = Edges(at.u.shape)
    edges.add(np.where(covered, above[1], own[1]) * np.float32(wide), (-1, 0))
    edges.add(np.where(covered, above[2], own[2]) * np.float32(wide), (1, 0))
    edges.add(to_end * np.float32(high), (0, 1))
    extra = np.exp(under * np.float32(-5)) * np.float32(-values["shadow"])
    return shade(order, edges, lattice, identity, extra)


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
