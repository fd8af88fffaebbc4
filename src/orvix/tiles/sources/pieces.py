"""Pieces with joints: how every tiling turns the distance to a piece's edge into tone. Not a source itself.

A tiling says for each px which piece it lies in and how far from the piece's edges, in px. Corners are rounded by
r - sqrt(sum of max(r - d, 0)^2) over the edges' distances d, which is a circle of radius r where two edges meet at a
right angle. Light falls from the upper left.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from math import hypot
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.compiling import kernel
from orvix.errors import BadValue
from orvix.pictures.packing import grey_to_pixels
from orvix.registry import Value
from orvix.tiles.lattices import Lattice, Places, Wholes
from orvix.tiles.sources.noise import octaves, turned_lattice
from orvix.tiles.sources.registry import LIGHT, Order, Pixels, Plane

PIECE_VALUES = (
    Value("joint", "Joint", "number", 0.8, "Width of the joints.", "% of width", low=0, high=12),
    Value("rounding", "Rounding", "number", 0.8, "Rounding of the corners.", "% of width", low=0, high=25),
    Value("bevel", "Bevel", "number", 0.8, "Width of the bevel.", "% of width", low=0, high=12),
    Value("relief", "Relief", "number", 0.5, "Strength of light and shade on the bevel.", low=0, high=1),
    Value("tone", "Tone", "number", 0.68, "Lightness of the pieces.", low=0, high=1),
    Value("joint_tone", "Joint tone", "number", 0.14, "Lightness of the joints.", low=0, high=1),
    Value("variation", "Variation", "number", 0.25, "Variation in tone between pieces.", low=0, high=1),
    Value(
        "irregular", "Irregular", "number", 0.2, "Variation in the size of the pieces.", low=0, high=1,
    ),
    Value("ragged", "Ragged edge", "number", 0.15, "Roughness of the edges.", "% of width", low=0, high=3),
)  # fmt: skip

_STONE_SALT, _TONE, _EDGE = 31, 0, 1


@dataclass(frozen=True)
class DrawnBack:
    """How far up to six edges of every piece draw back: a table (pieces, 6) in px, and each px's piece."""

    table: Plane
    identity: Wholes


_NOTHING = DrawnBack(np.zeros((1, 1), np.float32), np.zeros((0, 0), np.int32))


class Edges:
    """The nearest edge of each px's piece, gathered edge by edge."""

    def __init__(self, shape: tuple[int, int], rounding_px: float = 0.0, back: DrawnBack = _NOTHING) -> None:
        self.radius = np.float32(rounding_px)
        self.nearest = np.full(shape, np.inf, np.float32)
        self.facing = np.zeros(shape, np.float32)
        self.inside = np.zeros(shape if rounding_px > 0 else (0, 0), np.float32)
        self._back = back

    def add(self, distance: Plane, outward: tuple[float, float], side: int = 0) -> None:
        """One edge: distances in px, positive inside, its outward direction in px (x, y), and which side it is."""
        length = hypot(*outward) or 1.0
        facing = np.float32((outward[0] * LIGHT[0] + outward[1] * LIGHT[1]) / length)
        back = np.ascontiguousarray(self._back.table[:, side])
        planes = (self.nearest, self.facing, self.inside, np.ascontiguousarray(distance), self._back.identity)
        _add_edge(*(plane.ravel() for plane in planes), back, facing, self.radius)


@kernel
def _add_edge(nearest, facing, inside, distance, identity, back, towards, radius):  # type: ignore[no-untyped-def]
    """Take an edge into account; unchecked kernel over flat planes. an empty identity: nothing draws back."""
    drawn = identity.shape[0] > 0
    for n in range(nearest.shape[0]):
        far = distance[n]
        if drawn:
            far -= back[identity[n]]
        if far < nearest[n]:
            nearest[n] = far
            facing[n] = towards
        if radius > 0:
            short = max(radius - far, np.float32(0))
            inside[n] += short * short


def edge_chance(order: Order, lattice: Lattice, identity: Wholes, most_px: float) -> DrawnBack:
    """How far each of up to six edges of each px's piece draws back, px: by chance, up to a share of `most_px`."""
    share = np.float32(0.5 * most_px * order.values["irregular"])
    return DrawnBack(lattice.numbers(order.seed, _STONE_SALT, 7)[:, _EDGE:] * share, identity)


def shade(order: Order, edges: Edges, lattice: Lattice, identity: Wholes, extra: Plane | None = None) -> Pixels:
    """Tone from distance: joint, then slant, then the face; `extra` is added to the face's tone."""
    values = order.values
    waver = _NONE
    if values["ragged"] > 0:
        waver = octaves(order, turned_lattice(order, 48, 1, 0), 0, 2, 0.6, salt=3)
        waver *= np.float32(2 * order.px(values["ragged"]))
    chance = lattice.numbers(order.seed, _STONE_SALT, 7)[:, _TONE]
    face = np.float32(values["tone"]) + (chance - np.float32(0.5)) * np.float32(values["variation"])
    numbers = (
        edges.radius, order.px(values["joint"]), order.px(values["bevel"]), 0.45 * values["relief"],
        values["joint_tone"],
    )  # fmt: skip
    out = np.empty(identity.shape, np.float32)
    planes = (edges.nearest, edges.inside, edges.facing, identity, waver, extra if extra is not None else _NONE, out)
    _shade(*(np.ascontiguousarray(plane).ravel() for plane in planes), face, np.array(numbers, np.float32))
    return grey_to_pixels(out.reshape(identity.shape))


_NONE = np.zeros((0, 0), np.float32)


@kernel
def _shade(nearest, inside, facing, identity, waver, extra, out, faces, numbers):  # type: ignore[no-untyped-def]
    """Tone of each px; unchecked kernel over flat planes; waver and extra may be empty.

    numbers: rounding, joint and bevel in px, strength of the slant, tone of the joint.
    """
    radius, joint, bevel, relief, joint_tone = numbers[0], numbers[1], numbers[2], numbers[3], numbers[4]
    zero, one, half = np.float32(0), np.float32(1), np.float32(0.5)
    thin = min(joint, one)  # joints under a px fade, down to none at all
    wavers, adds = waver.shape[0] > 0, extra.shape[0] > 0
    for n in range(out.shape[0]):
        distance = nearest[n]
        if radius > 0 and inside[n] > 0:
            distance = radius - np.sqrt(inside[n])
        distance -= joint * half
        if wavers:
            distance += waver[n]
        face = faces[identity[n]]
        if adds:
            face += extra[n]
        if bevel > np.float32(0.05):
            face += facing[n] * min(max(one - distance / bevel, zero), one) * relief
        cover = one - min(max(half - distance, zero), one) * thin
        out[n] = joint_tone * (one - cover) + min(max(face, zero), one) * cover


def box_edges(order: Order, places: tuple[Plane, Plane], size: tuple[Plane, Plane], back: DrawnBack) -> Edges:
    """Edges of upright boxes, all in px: places from the upper left corner, sizes, and how far sides draw back."""
    x, y = places
    edges = Edges(x.shape, order.px(order.values["rounding"]), back)
    edges.add(x, (-1, 0), 0)
    edges.add(size[0] - x, (1, 0), 1)
    edges.add(y, (0, -1), 2)
    edges.add(size[1] - y, (0, 1), 3)
    return edges


def check_pieces(order: Order, smallest_px: float) -> None:
    """Raise BadValue where a piece is smaller than 3 px or its joint leaves nothing of it."""
    if smallest_px < 3:
        raise BadValue(
            "piece", f"{smallest_px:.1f} px", "The pieces would be under 3 px. Use fewer pieces or a larger tile."
        )
    rounding = order.values.get("rounding", 0.0)
    if order.px(rounding) > 0.45 * smallest_px:
        nearest = 45 * smallest_px / order.width
        raise BadValue("rounding", f"{rounding:g}", f"rounder than a piece can be: at most {nearest:.3g} % here")
    joint = order.px(order.values["joint"])
    if joint > 0.8 * smallest_px:
        nearest = 80 * smallest_px / order.width
        raise BadValue(
            "joint", f"{order.values['joint']:g}", f"must leave a piece beside it: at most {nearest:.3g} % here"
        )


def grid_places(
    places: Places, anchor: tuple[Wholes, Wholes], unit: tuple[float, float]
) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Px from the upper left corner of the piece that starts at the anchor cell of a grid."""
    x = ((places.i - anchor[0]).astype(np.float32) + places.u) * np.float32(unit[0])
    y = ((places.j - anchor[1]).astype(np.float32) + places.v) * np.float32(unit[1])
    return x, y


def flat(values: Mapping[str, Any]) -> bool:
    """Pieces and joints of one tone are not seen; black ones neither, nor a few without joints that may be alike."""
    alike = abs(values["tone"] - values["joint_tone"]) < 0.1 or values["joint"] < 0.3
    plain = values["bevel"] < 0.6 or values["relief"] < 0.15
    same = values["variation"] < 0.15 or values["across"] < 4
    return (alike and plain and same) or values["tone"] < 0.1 or values["tone"] > 0.95
