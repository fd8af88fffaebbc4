"""A tile on its way through a recipe: its pixels, and what is known about how it closes."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from orvix.tiles.repeats import Repeat, cloth

Pixels = NDArray[np.uint16]
Offset = tuple[int, int]


@dataclass(frozen=True)
class TileState:
    """pixels: uint16 (rows, columns, 4), premultiplied; never changed in place.

    proven: whether closing under `repeat` is proven. borders: where the borders that the source had lie now, as moves
    (x, y) in px; the first is where the tile's own borders are if nothing moved. wraps: whether what lies beyond a
    border may be taken from the other side; closes: whether that was found by reading, none where it was not read.
    notes: warnings, in words.
    directions: which way each motif of a layout points (degrees clockwise from up), and how much it counts.
    """

    pixels: Pixels
    repeat: Repeat
    proven: bool = False
    wraps: bool = True
    borders: tuple[Offset, ...] = ((0, 0),)
    notes: tuple[str, ...] = ()
    directions: tuple[tuple[float, float], ...] = ()
    closes: bool | None = None

    @property
    def width(self) -> int:
        """Columns in px."""
        return int(self.pixels.shape[1])

    @property
    def height(self) -> int:
        """Rows in px."""
        return int(self.pixels.shape[0])

    def with_pixels(self, pixels: Pixels) -> TileState:
        """The same tile with other pixels of the same size."""
        return replace(self, pixels=pixels)

    def noting(self, *words: str) -> TileState:
        """The same tile with more warnings."""
        return replace(self, notes=(*self.notes, *words))

    def window(self, top: int, left: int, height: int, width: int) -> Pixels:
        """A window of the cloth."""
        return cloth(self.pixels, self.repeat, top, left, height, width)

    def padded(self, margin: int) -> Pixels:
        """The tile with so many px of its neighbours on every side."""
        return self.window(-margin, -margin, self.height + 2 * margin, self.width + 2 * margin)

    def moved(self, x: int, y: int) -> TileState:
        """The content moved right and down by whole px, wrapping round under the repeat; the borders go along."""
        pixels = self.window(-y, -x, self.height, self.width) if x or y else self.pixels
        borders = tuple(self.canonical(bx + x, by + y) for bx, by in self.borders)
        return replace(self, pixels=pixels, borders=borders)

    def canonical(self, x: int, y: int) -> Offset:
        """The smallest move that means the same: differing by a vector of the repeat, from 0 up."""
        (ax, ay), (bx, by) = self.repeat.basis(self.width, self.height)
        if self.repeat.kind == "brick":
            times = y // by
            return (x - times * bx) % ax, y - times * by
        times = x // ax
        return x - times * ax, (y - times * ay) % by
