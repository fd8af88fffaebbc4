"""Boxes and blocks of a raster in whole pixels; the basics every layer of the core shares."""

from __future__ import annotations

from collections.abc import Iterator

BLOCK = 256
"""Side of a block in px."""

MOST_SIDE = 16384
"""The longest side of a picture in px."""

Key = tuple[int, int]
"""A block's place: (block row, block column)."""

Box = tuple[int, int, int, int]
"""left, top, right, bottom in px; right and bottom not included."""


def block_box(key: Key) -> Box:
    """The box that a block covers."""
    return key[1] * BLOCK, key[0] * BLOCK, (key[1] + 1) * BLOCK, (key[0] + 1) * BLOCK


def part_of(key: Key, box: Box) -> tuple[slice, slice]:
    """The rows and columns of a block that a box within it covers."""
    left, top = key[1] * BLOCK, key[0] * BLOCK
    return slice(box[1] - top, box[3] - top), slice(box[0] - left, box[2] - left)


def keys_in(box: Box) -> Iterator[Key]:
    """The blocks that a box touches, row by row."""
    left, top, right, bottom = box
    if right <= left or bottom <= top:
        return
    for row in range(top // BLOCK, (bottom - 1) // BLOCK + 1):
        for column in range(left // BLOCK, (right - 1) // BLOCK + 1):
            yield row, column


def clip(box: Box, to: Box) -> Box:
    """The part of a box inside another; empty boxes have right <= left or bottom <= top."""
    return max(box[0], to[0]), max(box[1], to[1]), min(box[2], to[2]), min(box[3], to[3])


def join(a: Box | None, b: Box | None) -> Box | None:
    """The smallest box around both."""
    if a is None or b is None:
        return a or b
    return min(a[0], b[0]), min(a[1], b[1]), max(a[2], b[2]), max(a[3], b[3])


def area(box: Box) -> int:
    """How many px a box holds."""
    return max(box[2] - box[0], 0) * max(box[3] - box[1], 0)


def merged(boxes: list[Box], slack: float = 1.4) -> list[Box]:
    """Fewer boxes that cover the same px: two become one where that adds less than `slack` times their area."""
    out: list[Box] = []
    for box in boxes:
        if area(box) == 0:
            continue
        n = 0
        while n < len(out):
            both = join(box, out[n])
            assert both is not None
            if area(both) <= slack * (area(box) + area(out[n])):
                box = both
                out.pop(n)
                n = 0
            else:
                n += 1
        out.append(box)
    return out


def aligned(box: Box, step: int) -> Box:
    """The smallest box around `box` whose sides are multiples of `step`."""
    return box[0] // step * step, box[1] // step * step, -(-box[2] // step) * step, -(-box[3] // step) * step
