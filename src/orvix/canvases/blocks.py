"""Sparse blocks: the one way pixels are stored. An empty block costs nothing; a shared one is never changed in place.

A block is uint16 (BLOCK, BLOCK, 4), premultiplied RGBA, and read-only once it stands in a `Blocks`.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from itertools import count

import numpy as np
from numpy.typing import NDArray

from orvix.errors import BadValue
from orvix.geometry import BLOCK, MOST_SIDE, Box, Key, block_box, clip, keys_in

Block = NDArray[np.uint16]

EMPTY: Block = np.zeros((BLOCK, BLOCK, 4), np.uint16)
"""A block of nothing, read-only like every block that stands in a `Blocks`."""
EMPTY.flags.writeable = False


_stamps = count()


def looked_at(pixels: Block) -> Block:
    """The same px, not to be changed: kernels are compiled anew for every mix of what may be changed and what not."""
    seen = pixels.view()
    seen.flags.writeable = False
    return seen


class Waiting:
    """A block that is made when it is first asked for, once for all that share it."""

    __slots__ = ("_block", "_make")

    def __init__(self, make: Callable[[], Block]) -> None:
        self._make: Callable[[], Block] | None = make
        self._block = EMPTY

    def block(self) -> Block:
        """The block itself, read-only."""
        make = self._make
        if make is not None:
            block = make()
            block.flags.writeable = False
            self._block, self._make = block, None
        return self._block

    @property
    def nbytes(self) -> int:
        """Bytes held by the block, none while it waits."""
        return 0 if self._make is not None else self._block.nbytes


class Blocks:
    """The pixels of one layer as a mapping from (block row, block column) to blocks."""

    def __init__(self, width: int, height: int) -> None:
        for name, side in (("width", width), ("height", height)):
            if isinstance(side, bool) or not isinstance(side, int) or not 1 <= side <= MOST_SIDE:
                raise BadValue(name, side, f"must be a whole number from 1 to {MOST_SIDE} px")
        self.width = width
        self.height = height
        self._blocks: dict[Key, Block | Waiting] = {}
        self.stamp = next(_stamps)
        """Another number whenever a block is put."""

    def get(self, key: Key) -> Block | None:
        """The block, or None where nothing is painted."""
        block = self._blocks.get(key)
        return block.block() if block.__class__ is Waiting else block  # type: ignore[union-attr,return-value]

    def put_waiting(self, key: Key, make: Callable[[], Block]) -> None:
        """Put a block that is made when it is first asked for."""
        self._blocks[key] = Waiting(make)
        self.stamp = next(_stamps)

    def put(self, key: Key, block: Block | None) -> Block | None:
        """Put a block (None empties the place); returns what was there before. The block becomes read-only."""
        self.stamp = next(_stamps)
        before = self._blocks.pop(key, None)
        if block is not None:
            block.flags.writeable = False
            self._blocks[key] = block
        return _ready(before)

    def __len__(self) -> int:
        return len(self._blocks)

    def __iter__(self) -> Iterator[Key]:
        return iter(self.keys())

    def keys(self) -> list[Key]:
        """The places that hold a block, in order."""
        return sorted(self._blocks)

    @property
    def nbytes(self) -> int:
        """Bytes held by the blocks themselves."""
        return sum(block.nbytes for block in self._blocks.values())

    def copy(self) -> Blocks:
        """A second mapping that shares every block."""
        other = Blocks(self.width, self.height)
        other._blocks, other.stamp = dict(self._blocks), self.stamp
        return other

    def read(self, box: Box) -> Block:
        """The pixels of a box inside the picture as one uint16 array (rows, columns, 4)."""
        left, top, right, bottom = box
        out = np.zeros((bottom - top, right - left, 4), np.uint16)
        for key in keys_in(box):
            block = self.get(key)
            if block is not None:
                part = clip(block_box(key), box)
                _part(out, part, left, top)[:] = _part(block, part, key[1] * BLOCK, key[0] * BLOCK)
        return out

    def whole(self) -> Block:
        """All pixels as one array (height, width, 4)."""
        return self.read((0, 0, self.width, self.height))

    @classmethod
    def from_array(cls, pixels: Block) -> Blocks:
        """Cut an array (rows, columns, 4) into blocks; blocks of nothing are left out."""
        blocks = cls(pixels.shape[1], pixels.shape[0])
        for key in keys_in((0, 0, blocks.width, blocks.height)):
            box = clip(block_box(key), (0, 0, blocks.width, blocks.height))
            part = pixels[box[1] : box[3], box[0] : box[2]]
            if part.any():
                block = np.zeros((BLOCK, BLOCK, 4), np.uint16)
                block[: part.shape[0], : part.shape[1]] = part
                blocks.put(key, block)
        return blocks


def _ready(block: Block | Waiting | None) -> Block | None:
    return block.block() if isinstance(block, Waiting) else block


def _part(pixels: Block, box: Box, left: int, top: int) -> Block:
    return pixels[box[1] - top : box[3] - top, box[0] - left : box[2] - left]
