"""Cells around scattered points: how near the nearest is, the second, their difference, or the cell itself.

S. Worley, "A cellular texture basis function", SIGGRAPH 1996. One point lies in each cell of a closing lattice, moved
by chance; the two nearest are sought in the 5 x 5 cells around. Also what irregular pieces are cut by.
"""

from __future__ import annotations

from math import cos, radians, sin

import numpy as np
from numpy.typing import NDArray

from orvix.compiling import kernel
from orvix.errors import BadValue
from orvix.pictures.packing import grey_to_pixels
from orvix.registry import Value
from orvix.tiles.lattices import Lattice, Vector, number_of
from orvix.tiles.sources.noise import turned_lattice
from orvix.tiles.sources.registry import LIGHT, SOURCES, Order, Pixels, Source

KINDS = ("nearest", "second", "difference", "cell value")
VALUES = (
    Value(
        "kind", "Kind", "choice", "nearest",
        "Shows the distance to the nearest point, to the second, their difference, or one tone per cell.",
        choices=KINDS,
    ),
    Value("cells", "Cells across", "whole", 8, "Number of cells across.", low=1, high=128),
    Value("disorder", "Disorder", "number", 0.85, "Moves the cells off an even grid.", low=0, high=1),
    Value("stretch", "Stretch", "number", 1.0, "Makes the cells longer.", low=1, high=8),
    Value(
        "direction", "Direction", "number", 0.0, "Direction of long cells, anticlockwise from right.", "°", low=0,
        high=180,
    ),
    Value("depth", "Depth", "number", 0.8, "Contrast between light and dark.", low=0.05, high=1),
)  # fmt: skip
_SALT = 41


def measure(
    order: Order,
    lattice: Lattice,
    disorder: float,
    *,
    borders: bool = False,
    stretch: float = 1.0,
    turn_deg: float = 0.0,
) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    """For each px: its cell's number, and two planes in px, ways along `turn_deg` counting 1 / stretch.

    The planes are how far the nearest and the second point are; with `borders`, how far the cell's border is, and how
    much that border faces the light (-1 to 1).
    """
    n, s, m = lattice.reduced()
    (px, py), (qx, qy) = (_shortened(vector, stretch, turn_deg) for vector in lattice.vectors)
    u, v = lattice.axes(order.window)
    shape = (order.window.height, order.window.width)
    cell, planes = np.empty(shape, np.int32), np.empty((2, *shape), np.float32)
    chance = lattice.numbers(order.seed, _SALT, 2)
    numbers = np.array([n, s, m, 2 * order.width * order.height, borders], np.int32)
    vectors = np.array([px, py, qx, qy, disorder, *LIGHT], np.float32)
    _nearest(cell, planes, chance, np.stack(u[:2]), np.stack(u[2:]), np.stack(v[:2]), np.stack(v[2:]), numbers, vectors)
    return cell, planes


def _shortened(vector: Vector, stretch: float, turn_deg: float) -> Vector:
    """A way in px, its part along a direction (anticlockwise from right) divided."""
    along = cos(radians(turn_deg)), -sin(radians(turn_deg))
    less = (vector[0] * along[0] + vector[1] * along[1]) * (1 - 1 / stretch)
    return vector[0] - less * along[0], vector[1] - less * along[1]


def render(order: Order) -> Pixels:
    """The window asked for."""
    values = order.values
    lattice = turned_lattice(order, values["cells"], values["stretch"], values["direction"])
    shape = {"stretch": values["stretch"], "turn_deg": values["direction"]}
    cell, (nearest, second) = measure(order, lattice, values["disorder"], **shape)
    side = np.float32(np.sqrt(order.width * order.height / (lattice.count * values["stretch"])))
    grey = {
        "nearest": lambda: 1 - np.float32(1.5) * nearest / side,
        "second": lambda: np.float32(1.2) * second / side - np.float32(0.35),
        "difference": lambda: np.float32(1.6) * (second - nearest) / side,
        "cell value": lambda: lattice.numbers(order.seed, _SALT + 1, 1)[cell, 0],
    }[values["kind"]]()
    return grey_to_pixels((grey - np.float32(0.5)) * np.float32(values["depth"] / 0.8) + np.float32(0.5))


@kernel
def _nearest(cell, planes, chance, u_across, u_down, v_across, v_down, numbers, vectors):  # type: ignore[no-untyped-def]
    """Cell and two planes for each px; unchecked kernel.

    The points of the 5 x 5 cells around are laid out anew where the px's cell changes, and each is held against all px
    of that run at once. Arguments as in noise._octave; vectors: px, py, qx, qy in px, disorder, and the direction of
    the light.
    """
    n, s, m, whole, borders = numbers[0], numbers[1], numbers[2], numbers[3], numbers[4]
    px, py, qx, qy, disorder = vectors[0], vectors[1], vectors[2], vectors[3], vectors[4]
    light_x, light_y = vectors[5], vectors[6]
    share, half = np.float32(1.0) / np.float32(whole), np.float32(0.5)
    columns = cell.shape[1]
    at_x, at_y, owner = np.empty(25, np.float32), np.empty(25, np.float32), np.empty(25, np.int32)
    i_line, j_line = np.empty(columns, np.int32), np.empty(columns, np.int32)
    places, square = np.empty((4, columns), np.float32), np.empty(columns, np.float32)
    keys = np.empty((2, columns), np.int32)
    for y in range(cell.shape[0]):
        for x in range(columns):
            rest_u, rest_v = u_across[1, x] + u_down[1, y], v_across[1, x] + v_down[1, y]
            over_u, over_v = np.int32(rest_u >= whole), np.int32(rest_v >= whole)
            i_line[x] = u_across[0, x] + u_down[0, y] + over_u
            j_line[x] = v_across[0, x] + v_down[0, y] + over_v
            u = np.float32(rest_u - over_u * whole) * share
            v = np.float32(rest_v - over_v * whole) * share
            places[0, x], places[1, x] = u * px + v * qx, u * py + v * qy
        start = 0
        while start < columns:
            i, j = i_line[start], j_line[start]
            stop = start + 1
            while stop < columns and i_line[stop] == i and j_line[stop] == j:
                stop += 1
            for k in range(25):
                di, dj = np.int32(k // 5 - 2), np.int32(k % 5 - 2)
                number = number_of(i + di, j + dj, n, s, m)
                cu = np.float32(di) + half + (chance[number, 0] - half) * disorder
                cv = np.float32(dj) + half + (chance[number, 1] - half) * disorder
                at_x[k], at_y[k], owner[k] = cu * px + cv * qx, cu * py + cv * qy, number
            hx, hy, point_x, point_y = (
                places[0, start:stop], places[1, start:stop], places[2, start:stop], places[3, start:stop],
            )  # fmt: skip
            near, next_near, far = keys[0, start:stop], keys[1, start:stop], square[start:stop]
            near[:] = _FARTHEST
            next_near[:] = _FARTHEST
            for k in range(25):
                _squares(far, hx, hy, at_x[k], at_y[k])
                _keep_two(near, next_near, far.view(np.int32), np.int32(k))
            for x in range(stop - start):
                first = near[x] & 31
                cell[y, start + x], point_x[x], point_y[x] = owner[first], at_x[first], at_y[first]
            if borders:
                near[:] = _FARTHEST
                for k in range(25):
                    _border_squares(far, hx, hy, point_x, point_y, at_x[k], at_y[k])
                    _keep_one(near, far.view(np.int32), np.int32(k))
                for x in range(stop - start):
                    other = near[x] & 31
                    dx, dy = at_x[other] - point_x[x], at_y[other] - point_y[x]
                    length = np.sqrt(dx * dx + dy * dy)
                    apart = half * length - ((hx[x] - point_x[x]) * dx + (hy[x] - point_y[x]) * dy) / length
                    planes[0, y, start + x] = apart
                    planes[1, y, start + x] = (dx * light_x + dy * light_y) / length
            else:
                for x in range(stop - start):
                    for which in range(2):
                        k = keys[which, start + x] & 31
                        dx, dy = at_x[k] - hx[x], at_y[k] - hy[x]
                        planes[which, y, start + x] = np.sqrt(dx * dx + dy * dy)
            start = stop


# Which of 25 points is nearest is kept as one whole number: the bits of the squared distance, which order as it does,
# their last five replaced by the point's number. So the loops below have nothing to decide and run on vectors.
_FARTHEST = np.int32(2147483647)


@kernel
def _squares(out, x, y, at_x, at_y):  # type: ignore[no-untyped-def]
    """Squared distances of places from a point."""
    for n in range(out.shape[0]):
        dx, dy = at_x - x[n], at_y - y[n]
        out[n] = dx * dx + dy * dy


@kernel
def _border_squares(out, x, y, own_x, own_y, at_x, at_y):  # type: ignore[no-untyped-def]
    """Squared distances of places from the border between their own point and another; far for their own."""
    for n in range(out.shape[0]):
        dx, dy = at_x - own_x[n], at_y - own_y[n]
        apart = dx * dx + dy * dy
        to_middle = np.float32(0.5) * apart - (x[n] - own_x[n]) * dx - (y[n] - own_y[n]) * dy
        out[n] = to_middle * to_middle / apart if apart > 0 else np.float32(1e30)


@kernel
def _keep_two(near, next_near, bits, number):  # type: ignore[no-untyped-def]
    """Keep the two least keys."""
    for n in range(near.shape[0]):
        key = (bits[n] & ~np.int32(31)) | number
        next_near[n] = min(next_near[n], max(near[n], key))
        near[n] = min(near[n], key)


@kernel
def _keep_one(near, bits, number):  # type: ignore[no-untyped-def]
    """Keep the least key."""
    for n in range(near.shape[0]):
        near[n] = min(near[n], (bits[n] & ~np.int32(31)) | number)


def check(order: Order) -> None:
    """Cells must be at least 2 px."""
    if order.width / order.values["cells"] < 2:
        raise BadValue("cells", order.values["cells"], f"cells are at least 2 px: at most {order.width // 2} here")


SOURCES.add(
    "cells",
    Source("cells", "Cellular", "generated", "Tones from scattered points.", VALUES, render, "noise", check),
)  # fmt: skip
