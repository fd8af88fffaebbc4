"""The regular tilings: triangles, squares or hexagons, all sides equal as nearly as the tile lets them.

Regular hexagons close straight only where their rows are even and the tile's sides suit; else they are stretched a
little, which `given` tells.
"""

from __future__ import annotations

from math import hypot, sqrt

import numpy as np

from orvix.errors import BadValue
from orvix.registry import Value
from orvix.tiles.lattices import Lattice, Places, Vector, Wholes, closing_lattice
from orvix.tiles.sources.pieces import PIECE_VALUES, Edges, check_pieces, edge_chance, flat, shade
from orvix.tiles.sources.registry import SOURCES, Given, Order, Pixels, Plane, Source

SHAPES = ("hexagons", "triangles", "squares")
VALUES = (
    Value("shape", "Shape", "choice", "hexagons", "What the pieces are.", choices=SHAPES),
    Value("across", "Pieces across", "whole", 6, "How many pieces lie across the tile.", low=1, high=128),
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
    edges = Edges(x.shape, order.px(order.values["rounding"]))
    for n, (nx, ny) in enumerate(neighbours):
        length = hypot(nx, ny)
        along = (x * np.float32(nx) + y * np.float32(ny)) * np.float32(1 / length)
        edges.add(np.float32(length / 2) - along - back[2 * n], (nx, ny))
        edges.add(np.float32(length / 2) + along - back[2 * n + 1], (-nx, -ny))
    return shade(order, edges, lattice, identity)


def _nearest(at: Places, vectors: tuple[Vector, Vector], boxes: bool) -> tuple[Wholes, Wholes, Plane, Plane]:
    """The nearest point of the lattice (of boxes: their middle) and the way from it, px."""
    (px, py), (qx, qy) = (tuple(np.float32(one) for one in vector) for vector in vectors)
    if boxes:
        u, v = at.u - np.float32(0.5), at.v - np.float32(0.5)
        return at.i, at.j, u * px + v * qx, u * py + v * qy
    best = np.full(at.u.shape, np.inf, np.float32)
    i, j, x, y = np.zeros_like(at.i), np.zeros_like(at.j), np.zeros_like(at.u), np.zeros_like(at.v)
    for di in (0, 1):
        for dj in (0, 1):
            u, v = at.u - np.float32(di), at.v - np.float32(dj)
            dx, dy = u * px + v * qx, u * py + v * qy
            far = dx * dx + dy * dy
            closer = far < best
            best = np.where(closer, far, best)
            i, j = np.where(closer, at.i + np.int32(di), i), np.where(closer, at.j + np.int32(dj), j)
            x, y = np.where(closer, dx, x), np.where(closer, dy, y)
    return i, j, x, y


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
    edges = Edges(at.u.shape, order.px(order.values["rounding"]))
    turned = np.where(upper, np.float32(1), np.float32(-1))
    # The lower triangle is the upper one turned by half: the same distances, facing the other way.
    edges.add(np.where(upper, at.v, 1 - at.v) * to_v - back[0], (py, -px))
    edges.add(np.where(upper, u, 1 - u) * to_u - back[1], (-qy, qx))
    edges.add(np.where(upper, 1 - u - at.v, u + at.v - 1) * to_uv - back[2], (qy - py, px - qx))
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
