"""Windows of the cloth of a canvas: its blocks gathered, and put back, wherever copies lie."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.geometry import BLOCK, Box, Key, block_box, clip, join, keys_in
from orvix.strokes.area import Area
from orvix.tiles.joining import Copy, slices, turned_over

_PLAIN = Copy(0, 0, False, False)
Piece = tuple[Key, Box, Any, Copy]
"""A block, the box of the canvas in it, where that lies in the window (two slices), and the copy it belongs to."""


def pieces(area: Area, box: Box) -> Iterator[Piece]:
    """What a window of the cloth (left, top, right, bottom) is made of; nothing lies outside an open canvas."""
    joined, width, height = area.joined, area.width, area.height
    if joined is None:
        inner = clip(box, (0, 0, width, height))
        for key in keys_in(inner):
            left, top, right, bottom = part = clip(block_box(key), inner)
            yield key, part, (slice(top - box[1], bottom - box[1]), slice(left - box[0], right - box[0])), _PLAIN
        return
    for copy in joined.copies_near(box, width, height):
        for to, (rows, columns) in slices(box, copy, width, height):
            inner = (columns.start, rows.start, columns.stop, rows.stop)
            for key in keys_in(inner):
                part = clip(block_box(key), inner)
                x = inner[2] - part[2] if copy.across else part[0] - inner[0]
                y = inner[3] - part[3] if copy.down else part[1] - inner[1]
                x, y = x + to[1].start, y + to[0].start
                yield key, part, (slice(y, y + part[3] - part[1]), slice(x, x + part[2] - part[0])), copy


def gather(area: Area, box: Box, out: NDArray[Any], block_of: Callable[[Key], NDArray[Any] | None]) -> NDArray[Any]:
    """Fill `out` (rows, columns, ...) with the blocks of the cloth under it, where there are any; returns it."""
    for key, part, to, copy in pieces(area, box):
        block = block_of(key)
        if block is not None:
            out[to] = turned_over(_in_block(block, key, part), copy.across, copy.down)
    return out


def scatter(area: Area, box: Box, pixels: NDArray[Any], block_of: Callable[[Key], NDArray[Any]]) -> dict[Key, Box]:
    """Put a window's pixels into the blocks under it; returns the changed box of each block, in canvas px.

    Where the window is larger than the canvas, and shows a px more than once, the last copy is what stands.
    """
    changed: dict[Key, Box] = {}
    for key, part, to, copy in pieces(area, box):
        _in_block(block_of(key), key, part)[:] = turned_over(pixels[to], copy.across, copy.down)
        both = join(changed.get(key), part)
        assert both is not None
        changed[key] = both
    return changed


def _in_block(block: NDArray[Any], key: Key, part: Box) -> NDArray[Any]:
    left, top = key[1] * BLOCK, key[0] * BLOCK
    return block[part[1] - top : part[3] - top, part[0] - left : part[2] - left]


def ones(box: Box) -> NDArray[np.float32]:
    """A window of ones, float32."""
    return np.ones((box[3] - box[1], box[2] - box[0]), np.float32)
