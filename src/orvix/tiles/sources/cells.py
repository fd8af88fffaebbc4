"""Cells around scattered points: how near the nearest is, the second, their difference, or the cell itself.

S. Worley, "A cellular texture basis function", SIGGRAPH 1996. One point lies in each cell of a closing lattice, moved
by chance; the two nearest are sought in the 5 x 5 cells around. Also what irregular pieces are cut by.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from orvix.errors import BadValue
from orvix.pictures.packing import grey_to_pixels
from orvix.registry import Value
from orvix.tiles.lattices import Lattice
from orvix.tiles.sources.noise import turned_lattice
from orvix.tiles.sources.registry import LIGHT, SOURCES, Order, Pixels, Source

KINDS = ("nearest", "second", "difference", "cell value")
VALUES = (
    Value(
        "kind", "Kind", "choice", "nearest",
        "What is shown: the way to the nearest point, to the second, their difference, or each cell's own tone.",
        choices=KINDS,
    ),
    Value("cells", "Cells across", "whole", 8, "How many cells lie side by side.", low=1, high=128),
    Value("disorder", "Disorder", "number", 0.85, "How far the points lie from an even grid.", low=0, high=1),
    Value("stretch", "Stretch", "number", 1.0, "How much longer than wide the cells are.", low=1, high=8),
    Value(
        "direction", "Direction", "number", 0.0, "Where stretched cells point, anticlockwise from right.", "°", low=0,
        high=180,
    ),
    Value("depth", "Depth", "number", 0.8, "How far light and dark lie apart.", low=0.05, high=1),
)  # fmt: skip
_SALT = 41


def measure(
    order: Order, lattice: Lattice, disorder: float, *, borders: bool = False
) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    """For each px: its cell's number, and two planes in px.

    The planes are how far the nearest and the second point are; with `borders`, how far the cell's border is, and how
    much that border faces the light (-1 to 1).
    """
    n, s, m = lattice.reduced()
    (px, py), (qx, qy) = lattice.vectors
    u, v = lattice.axes(order.window)
    shape = (order.window.height, order.window.width)
    cell, planes = np.empty(shape, np.int32), np.empty((2, *shape), np.float32)
    chance = lattice.numbers(order.seed, _SALT, 2)
    numbers = np.array([n, s, m, 2 * order.width * order.height, borders], np.int32)
    vectors = np.array([px, py, qx, qy, disorder, *LIGHT], np.float32)
    _nearest(cell, planes, chance, np.stack(u[:2]), np.stack(u[2:]), np.stack(v[:2]), np.stack(v[2:]), numbers, vectors)
    return cell, planes


def render(order: Order) -> Pixels:
    """The window asked for."""
    values = order.values
    lattice = turned_lattice(order, values["cells"], values["stretch"], values["direction"])
    cell, (nearest, second) = measure(order, lattice, values["disorder"])
    side = np.float32(np.sqrt(order.width * order.height / lattice.count))
    grey = {
        "nearest": lambda: 1 - np.float32(1.5) * nearest / side,
        "second": lambda: np.float32(1.2) * second / side - np.float32(0.35),
        "difference": lambda: np.float32(1.6) * (second - nearest) / side,
        "cell value": lambda: lattice.numbers(order.seed, _SALT + 1, 1)[cell, 0],
    }[values["kind"]]()
    return grey_to_pixels((grey - np.float32(0.5)) * np.float32(values["depth"] / 0.8) + np.float32(0.5))


@njit(nogil=True, cache=True, error_model="numpy")
def _nearest(cell, planes, chance, u_across, u_down, v_across, v_down, numbers, vectors):  # type: ignore[no-untyped-def]
    """Cell and two planes for each px; unchecked kernel.

    The points of the 5 x 5 cells around are laid out anew where the px's cell changes. Arguments as in noise._octave;
    vectors: px, py, qx, qy in px, disorder, and the direction of the light.
    """
    n, s, m, whole, borders = numbers[0], numbers[1], numbers[2], numbers[3], numbers[4]
    px, py, qx, qy, disorder = vectors[0], vectors[1], vectors[2], vectors[3], vectors[4]
    light_x, light_y = vectors[5], vectors[6]
    share, half = np.float32(1.0) / np.float32(whole), np.float32(0.5)
    at_x, at_y, owner = np.empty(25, np.float32), np.empty(25, np.float32), np.empty(25, np.int32)
    for y in range(cell.shape[0]):
        last_i, last_j = np.int32(-2147483647), np.int32(0)
        for x in range(cell.shape[1]):
            rest_u, rest_v = u_across[1, x] + u_down[1, y], v_across[1, x] + v_down[1, y]
            over_u, over_v = np.int32(rest_u >= whole), np.int32(rest_v >= whole)
            i, j = u_across[0, x] + u_down[0, y] + over_u, v_across[0, x] + v_down[0, y] + over_v
            u = np.float32(rest_u - over_u * whole) * share
            v = np.float32(rest_v - over_v * whole) * share
            if i != last_i or j != last_j:
                last_i, last_j = i, j
                for k in range(25):
                    di, dj = np.int32(k // 5 - 2), np.int32(k % 5 - 2)
                    times = (i + di) // n
                    number = (i + di - times * n) * m + (j + dj - times * s) % m
                    cu = np.float32(di) + half + (chance[number, 0] - half) * disorder
                    cv = np.float32(dj) + half + (chance[number, 1] - half) * disorder
                    at_x[k], at_y[k], owner[k] = cu * px + cv * qx, cu * py + cv * qy, number
            hx, hy = u * px + v * qx, u * py + v * qy
            best, next_best, first = np.float32(1e30), np.float32(1e30), 0
            for k in range(25):
                dx, dy = at_x[k] - hx, at_y[k] - hy
                far = dx * dx + dy * dy
                if far < best:
                    next_best, best, first = best, far, k
                elif far < next_best:
                    next_best = far
            cell[y, x] = owner[first]
            if borders == 0:
                planes[0, y, x], planes[1, y, x] = np.sqrt(best), np.sqrt(next_best)
                continue
            border, facing = np.float32(1e30), np.float32(0.0)
            for k in range(25):
                dx, dy = at_x[k] - at_x[first], at_y[k] - at_y[first]
                apart = dx * dx + dy * dy
                to_middle = half * apart - (hx - at_x[first]) * dx - (hy - at_y[first]) * dy
                if k != first and to_middle * abs(to_middle) < border * abs(border) * apart:
                    length = np.sqrt(apart)
                    border = to_middle / length
                    facing = (dx * light_x + dy * light_y) / length
            planes[0, y, x], planes[1, y, x] = border, facing


def check(order: Order) -> None:
    """Cells must be at least 2 px."""
    if order.width / order.values["cells"] < 2:
        raise BadValue("cells", order.values["cells"], f"cells are at least 2 px: at most {order.width // 2} here")


SOURCES.add(
    "cells",
    Source("cells", "Cellular", "generated", "Tones from scattered points.", VALUES, render, "noise", check),
)  # fmt: skip
