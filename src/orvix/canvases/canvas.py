"""A canvas: a size, a resolution, edges, a ground and the layer that strokes land on.

One paint layer in this version; `view` is the only way pixels leave it for a page or a file, so both are the same.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from orvix.canvases.blocks import EMPTY, Block, Blocks
from orvix.canvases.compositing import colour_to_unit, flatten, reduced
from orvix.errors import BadValue
from orvix.geometry import BLOCK, MOST_SIDE, Box, Key, block_box, clip, keys_in
from orvix.registry import Value, check_colour
from orvix.tiles.repeats import Repeat

MOST_LEVEL = 8
Rgba8 = NDArray[np.uint8]

CANVAS_VALUES = (
    Value("width", "Width", "whole", 1536, "How wide the canvas is.", unit="px", low=16, high=MOST_SIDE),
    Value("height", "Height", "whole", 1024, "How high the canvas is.", unit="px", low=16, high=MOST_SIDE),
    Value("ppi", "Resolution", "number", 300.0, "How many px print on one inch.", unit="ppi", low=10, high=4800),
)


@dataclass(frozen=True)
class CanvasSpec:
    """Width and height in px, resolution in px an inch, the repeat when edges are joined, ground as #rrggbb or None."""

    width: int
    height: int
    ppi: float = 300.0
    joined: Repeat | None = None
    ground: str | None = "#ffffff"

    def __post_init__(self) -> None:
        for name, side in (("width", self.width), ("height", self.height)):
            if not 1 <= side <= MOST_SIDE:
                raise BadValue(name, side, f"must be 1 to {MOST_SIDE} px")
        if not 1 <= self.ppi <= 100_000:
            raise BadValue("ppi", self.ppi, "must be 1 to 100000")
        if self.ground is not None:
            check_colour("ground", self.ground)

    @property
    def box(self) -> Box:
        """The whole canvas as a box."""
        return 0, 0, self.width, self.height


class Canvas:
    """A canvas and its pixels. `shown` may hold blocks that stand in for the layer's while a stroke is under way."""

    def __init__(self, spec: CanvasSpec, layer: Blocks | None = None) -> None:
        self.spec = spec
        self.layer = layer or Blocks(spec.width, spec.height)
        self.shown: dict[Key, Block] = {}
        self._ground = colour_to_unit(spec.ground or "#ffffff")
        self._bare = np.array([*self._rounded_ground(), 255], np.uint8)

    def _rounded_ground(self) -> NDArray[np.uint8]:
        out = np.empty((1, 1, 4), np.uint8)
        flatten(out, 0, 0, EMPTY, 0, 1, 0, 1, self._ground)
        return out[0, 0, :3]

    def view(self, box: Box, level: int = 0) -> Rgba8:
        """The picture over its ground, opaque 8-bit RGBA (rows, columns, 4), at 1 / 2^level of its size.

        box: in px of the canvas; its left and top must be multiples of 2^level, and it is cut to the canvas. A ground
        of None is shown white. Raises BadValue for a level or box out of range.
        """
        if not 0 <= level <= MOST_LEVEL:
            raise BadValue("level", level, f"must be 0 to {MOST_LEVEL}")
        box = clip(box, self.spec.box)
        left, top, right, bottom = box
        if right <= left or bottom <= top or left % (1 << level) or top % (1 << level):
            raise BadValue("box", box, f"must lie on the canvas and start at a multiple of {1 << level} px")
        if level and (right - left) * (bottom - top) > 4 * BLOCK * BLOCK:
            return self._view_by_block(box, level)
        return reduced(self._flat(box), level)

    def _view_by_block(self, box: Box, level: int) -> Rgba8:
        """As `view`, a block at a time, so that a large canvas seen small never stands in memory whole."""
        step = 1 << level
        left, top, right, bottom = box
        out = np.empty((-(-(bottom - top) // step), -(-(right - left) // step), 4), np.uint8)
        for key in keys_in(box):
            part = clip(block_box(key), box)
            small = self._bare if self._block(key) is None else reduced(self._flat(part), level)
            y, x = (part[1] - top) // step, (part[0] - left) // step
            out[y : y + -(-(part[3] - part[1]) // step), x : x + -(-(part[2] - part[0]) // step)] = small
        return out

    def _block(self, key: Key) -> Block | None:
        shown = self.shown.get(key)
        if shown is None:
            return self.layer.get(key)
        looked_at = shown.view()
        looked_at.flags.writeable = False
        return looked_at

    def _flat(self, box: Box) -> Rgba8:
        left, top, right, bottom = box
        out = np.empty((bottom - top, right - left, 4), np.uint8)
        for key in keys_in(box):
            x0, y0, x1, y1 = clip(block_box(key), box)
            block = self._block(key)
            if block is None:
                out[y0 - top : y1 - top, x0 - left : x1 - left] = self._bare
            else:
                y, x = key[0] * BLOCK, key[1] * BLOCK
                flatten(out, y0 - top, x0 - left, block, y0 - y, y1 - y, x0 - x, x1 - x, self._ground)
        return out
