"""Marks laid singly on a tile, wrapping under its repeat: what specks, fibres and sparks are drawn with. Not a source.

A mark is a capsule: a line between two points with a radius. Points are whole numbers of 1/256 px, so the way from a px
to a mark is the same for every copy, bit for bit. Marks are laid in order, copies of one mark in the order of their
vectors; so what lies over what is the same all over the cloth.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from orvix.compiling import kernel
from orvix.tiles.repeats import Repeat
from orvix.tiles.sources.registry import Order, Plane

FINE = 256
OVER, LIGHTER = 0, 1


@dataclass(frozen=True)
class Marks:
    """ends: int64 (n, 4), x0, y0, x1, y1 in 1/256 px; shapes: float32 (n, 4), radius, soft rim (px), tone, strength."""

    ends: NDArray[np.int64]
    shapes: NDArray[np.float32]


def lay_marks(plane: Plane, cover: Plane, marks: Marks, order: Order, how: int = OVER) -> None:
    """Lay marks on a window's plane and cover, both float32 (rows, columns), changed in place.

    OVER: tone goes over what is there by the mark's strength, and cover grows. LIGHTER: strength is added to the plane
    and cover left alone.
    """
    window = order.window
    box = np.array([window.left, window.top, window.left + window.width, window.top + window.height], np.int64)
    copies = _copies(marks, order, box)
    if len(copies):
        _lay(plane, cover, marks.ends, marks.shapes, copies, box, np.int64(how))


def _copies(marks: Marks, order: Order, box: NDArray[np.int64]) -> NDArray[np.int64]:
    """int64 (k, 3): mark, and the copy's move (x, y) in px, of all copies that reach the window, in order."""
    reach = np.ceil(marks.shapes[:, 0] + marks.shapes[:, 1]).astype(np.int64) + 1
    ends = marks.ends // FINE
    low = np.minimum(ends[:, :2], ends[:, 2:]) - reach[:, None]
    high = np.maximum(ends[:, :2], ends[:, 2:]) + reach[:, None] + 1
    if not len(low):
        return np.empty((0, 3), np.int64)
    around = (low.min(axis=0), high.max(axis=0))
    moves = _moves(order.repeat, order.width, order.height, box, around)
    touched = (
        (low[:, None, 0] + moves[None, :, 0] < box[2]) & (high[:, None, 0] + moves[None, :, 0] > box[0])
        & (low[:, None, 1] + moves[None, :, 1] < box[3]) & (high[:, None, 1] + moves[None, :, 1] > box[1])
    )  # fmt: skip
    mark, move = np.nonzero(touched)
    return np.concatenate([mark[:, None], moves[move]], axis=1)


def _moves(
    repeat: Repeat, width: int, height: int, box: NDArray[np.int64], around: tuple[NDArray[np.int64], ...]
) -> NDArray[np.int64]:
    """The vectors of the repeat that may bring a mark from the box around all of them into the window, in order."""
    (ax, ay), (bx, by) = repeat.basis(width, height)
    low, high = box[:2] - around[1], box[2:] - around[0]
    if repeat.kind == "brick":
        j = np.arange(low[1] // by, high[1] // by + 1)
        i = np.arange((low[0] - max(j[-1] * bx, 0)) // ax - 1, (high[0] - min(j[0] * bx, 0)) // ax + 2)
    else:
        i = np.arange(low[0] // ax, high[0] // ax + 1)
        j = np.arange(
            (low[1] - max(i[-1] * ay, i[0] * ay, 0)) // by - 1, (high[1] - min(i[0] * ay, i[-1] * ay, 0)) // by + 2
        )
    grid_i, grid_j = np.meshgrid(i, j, indexing="ij")
    x, y = (grid_i * ax + grid_j * bx).ravel(), (grid_i * ay + grid_j * by).ravel()
    near = (x >= low[0]) & (x <= high[0]) & (y >= low[1]) & (y <= high[1])
    return np.stack([x[near], y[near]], axis=1).astype(np.int64)


@kernel
def _lay(plane, cover, ends, shapes, copies, box, how):  # type: ignore[no-untyped-def]
    """Lay the copies of marks that reach a window; unchecked kernel."""
    one, half = np.float32(1.0), np.float32(0.5)
    fine = np.float32(1.0 / 256.0)
    for k in range(copies.shape[0]):
        mark = copies[k, 0]
        radius, rim, tone, strength = shapes[mark, 0], shapes[mark, 1], shapes[mark, 2], shapes[mark, 3]
        reach = np.int64(np.ceil(radius + rim)) + 1
        x0 = ends[mark, 0] + copies[k, 1] * 256
        y0 = ends[mark, 1] + copies[k, 2] * 256
        wx, wy = ends[mark, 2] - ends[mark, 0], ends[mark, 3] - ends[mark, 1]
        left = max(min(x0, x0 + wx) // 256 - reach, box[0])
        right = min(max(x0, x0 + wx) // 256 + reach + 1, box[2])
        top = max(min(y0, y0 + wy) // 256 - reach, box[1])
        bottom = min(max(y0, y0 + wy) // 256 + reach + 1, box[3])
        fx, fy = np.float32(wx) * fine, np.float32(wy) * fine
        squared = fx * fx + fy * fy
        share = one / squared if squared > np.float32(0.0) else np.float32(0.0)
        soft = one / max(rim, one)
        for y in range(top, bottom):
            dy = np.float32(y * 256 + 128 - y0) * fine
            for x in range(left, right):
                dx = np.float32(x * 256 + 128 - x0) * fine
                t = min(max((dx * fx + dy * fy) * share, np.float32(0.0)), one)
                ex, ey = dx - t * fx, dy - t * fy
                depth = (radius - np.sqrt(ex * ex + ey * ey)) * soft + half
                if depth > np.float32(0.0):
                    a = min(depth, one)
                    a = a * a * (np.float32(3.0) - a - a) * strength
                    row, column = y - box[1], x - box[0]
                    if how == 0:
                        plane[row, column] += (tone - plane[row, column]) * a
                        cover[row, column] += (one - cover[row, column]) * a
                    else:
                        plane[row, column] += a
