"""The regular tilings: triangles, squares or hexagons, all sides equal as nearly as the tile lets them.

Regular hexagons close straight only where their rows are even and the tile's sides suit; else they are stretched a
little, which `given` tells.
"""

from __future__ import annotations

from math import hypot, sqrt

import numpy as np

from orvix.compiling import kernel
from orvix.errors import BadValue
from orvix.registry import Value
from orvix.tiles.lattices import Lattice, Places, Vector, Wholes, closing_lattice
from orvix.tiles.sources.pieces import PIECE_VALUES, Edges, check_pieces, edge_chance, flat, shade
from orvix.tiles.sources.registry import SOURCES, Given, Order, Pixels, Plane, Source

SHAPES = ("hexagons", "triangles", "squares")
VALUES = (
    Value("shape", "Shape", "choice", "hexagons", "Shape of the pieces.", choices=SHAPES),
    Value("across", "Pieces across", "whole", 6, "Number of pieces across.", low=1, high=128),
    *PIECE_VALUES,
)  # fmt: skip


def _wanted(order: Order) -> tuple[Vector, Vector]:
    side = order.width / order.values["across"]
    if order.values["shape"] == "squares":
        return (side, 0.0), (0.0, side)
    return (side, 0.0), (side / 2, side * sqrt(3) / 2)


def lattice_of(order: Order) -> Lattice:
    """The lattice of middles (hexagons) or corners."""
    lattice = closing_lattice(order.width, order.height, order.repeat, *_wanted(order), level=True)
    return lattice.seen_as(((2, 0), (0, 1))) if order.values["shape"] == "triangles" else lattice


def render(order: Order) -> Pixels:
    """The window asked for."""
    if order.values["shape"] == "triangles":
        return _triangles(order)
    lattice = lattice_of(order)
    at = lattice.places(order.window)
    i, j, x, y = _nearest(at, lattice.vectors, order.values["shape"] == "squares")
    identity = lattice.identity(i, j)
    p, q = lattice.vectors
    neighbours = (p, q) if order.values["shape"] == "squares" else (p, q, (q[0] - p[0], q[1] - p[1]))
    back = edge_chance(order, lattice, identity, 0.25 * hypot(*p))
    edges = Edges(x.shape, order.px(order.values["rounding"]), back)
    for n, (nx, ny) in enumerate(neighbours):
        length = hypot(nx, ny)
        along = (x * np.float32(nx) + y * np.float32(ny)) * np.float32(1 / length)
        edges.add(np.float32(length / 2) - along, (nx, ny), 2 * n)
        edges.add(np.float32(length / 2) + along, (-nx, -ny), 2 * n + 1)
    return shade(order, edges, lattice, identity)


def _nearest(at: Places, vectors: tuple[Vector, Vector], boxes: bool) -> tuple[Wholes, Wholes, Plane, Plane]:
    """The nearest point of the lattice (of boxes: their middle) and the way from it, px."""
    (px, py), (qx, qy) = (tuple(np.float32(one) for one in vector) for vector in vectors)
    if boxes:
        u, v = at.u - np.float32(0.5), at.v - np.float32(0.5)
        return at.i, at.j, u * px + v * qx, u * py + v * qy
    i, j = at.i.copy(), at.j.copy()
    x, y = np.empty_like(at.u), np.empty_like(at.u)
    _nearest_corner(*(plane.ravel() for plane in (i, j, at.u, at.v, x, y)), np.array([px, py, qx, qy], np.float32))
    return i, j, x, y


@kernel
def _nearest_corner(i, j, u, v, x, y, vectors):  # type: ignore[no-untyped-def]
    """Of the four corners of each px's cell the nearest, and the way from it; i and j are changed. Unchecked kernel."""
    px, py, qx, qy = vectors[0], vectors[1], vectors[2], vectors[3]
    for k in range(u.shape[0]):
        best = np.float32(np.inf)
        own_i, own_j = i[k], j[k]
        for di in range(2):
            for dj in range(2):
                du, dv = u[k] - np.float32(di), v[k] - np.float32(dj)
                dx, dy = du * px + dv * qx, du * py + dv * qy
                far = dx * dx + dy * dy
                if far < best:
                    best = far
                    i[k], j[k] = own_i + np.int32(di), own_j + np.int32(dj)
                    x[k], y[k] = dx, dy


def _triangles(order: Order) -> Pixels:
    """Each cell of the corner lattice is two triangles; the grid counts them in halves along u."""
    lattice = lattice_of(order)
    (hx, hy), (qx, qy) = lattice.vectors
    px, py = 2 * hx, 2 * hy
    at = lattice.places(order.window)
    half = at.i % 2
    cell = at.i - half
    u = (half.astype(np.float32) + at.u) * np.float32(0.5)
    upper = u + at.v < 1
    area = px * qy - py * qx
    to_v = np.float32(area / hypot(px, py))
    to_u = np.float32(area / hypot(qx, qy))
    to_uv = np.float32(area / hypot(qx - px, qy - py))
    identity = lattice.identity(cell + np.where(upper, 0, 1).astype(np.int32), at.j)
    back = edge_chance(order, lattice, identity, 0.25 * float(to_v))
    edges = Edges(at.u.shape, order.px(order.values["rounding"]), back)
    turned = np.where(upper, np.float32(1), np.float32(-1))
    # The lower triangle is the upper one turned by half: the same distances, facing the other way.
    edges.add(np.where(upper, at.v, 1 - at.v) * to_v, (py, -px), 0)
    edges.add(np.where(upper, u, 1 - u) * to_u, (-qy, qx), 1)
    edges.add(np.where(upper, 1 - u - at.v, u + at.v - 1) * to_uv, (qy - py, px - qx), 2)
    edges.facing = edges.facing * turned
    return shade(order, edges, lattice, identity)


def check(order: Order) -> None:
    """Pieces must be large enough, and few enough for the tile."""
    side = order.width / order.values["across"]
    check_pieces(order, side * (0.5 if order.values["shape"] == "triangles" else 0.8))
    if side > 2 * order.height:
        most = max(int(order.width / (2 * order.height)) + 1, 1)
        raise BadValue("across", order.values["across"], f"a piece is larger than its tile: at least {most} here")


def given(order: Order) -> list[Given]:
    """How far the pieces are stretched so that they close."""
    wanted = np.array(_wanted(order)).T
    lattice = closing_lattice(order.width, order.height, order.repeat, *_wanted(order), level=True)
    change = np.array(lattice.vectors).T @ np.linalg.inv(wanted)
    stretches = np.linalg.svd(change, compute_uv=False)
    return [Given("Stretch", 1.0, round(float(stretches[0] / stretches[1]), 4), "× longer than wide")]


SOURCES.add(
    "polygons",
    Source(
        "polygons", "Regular tilings", "generated", "Hexagons, triangles or squares.", VALUES, render, "tilings",
        check, given, flat=flat,
    ),
)  # fmt: skip
