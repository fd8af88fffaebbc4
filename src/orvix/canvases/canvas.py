"""A canvas: a size, a resolution, edges, a ground and the layers that strokes land on.

`view` is the only way pixels leave it for a page or a file, so both are the same.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from orvix.canvases.blocks import EMPTY, Block, Blocks, looked_at
from orvix.canvases.compositing import colour_to_unit, flatten, lay_over, reduced
from orvix.canvases.fills import FillBlocks, plain_block
from orvix.canvases.layers import At, Change, Layer, Stack, block_numbers, check_stack, locked
from orvix.canvases.stacking import Cut, Part, Stacking
from orvix.errors import BadValue
from orvix.geometry import BLOCK, MOST_SIDE, Box, Key, block_box, clip, keys_in, part_of
from orvix.registry import Value, check_colour
from orvix.strokes.area import Area
from orvix.tiles.joining import Joining

MOST_LEVEL = 8
Rgba8 = NDArray[np.uint8]

CANVAS_VALUES = (
    Value("width", "Width", "whole", 1536, "Width of the canvas.", unit="px", low=16, high=MOST_SIDE),
    Value("height", "Height", "whole", 1024, "Height of the canvas.", unit="px", low=16, high=MOST_SIDE),
    Value("ppi", "Resolution", "number", 300.0, "Pixels per inch in print.", unit="ppi", low=10, high=4800),
)


@dataclass(frozen=True)
class CanvasSpec:
    """Width and height in px, px an inch, how edges are joined if they are, ground as #rrggbb or None."""

    width: int
    height: int
    ppi: float = 300.0
    joined: Joining | None = None
    ground: str | None = "#ffffff"

    def __post_init__(self) -> None:
        for name, side in (("width", self.width), ("height", self.height)):
            if not 1 <= side <= MOST_SIDE:
                raise BadValue(name, side, f"must be 1 to {MOST_SIDE} px")
        if not 1 <= self.ppi <= 100_000:
            raise BadValue("ppi", self.ppi, "must be 1 to 100000")
        if self.ground is not None:
            check_colour("ground", self.ground)
        if self.joined is not None:
            self.joined.check(self.width, self.height)

    @property
    def box(self) -> Box:
        """The whole canvas as a box."""
        return 0, 0, self.width, self.height

    def level_within(self, bits: int) -> int:
        """The level at which no side has more than 2^bits px."""
        return min(max((max(self.width, self.height) - 1).bit_length() - bits, 0), MOST_LEVEL)


class Canvas:
    """A canvas and its pixels. `shown` may hold blocks that stand in for a layer's while a stroke is under way."""

    def __init__(self, spec: CanvasSpec, layer: Blocks | None = None) -> None:
        """layer: what is painted on the first layer."""
        self.spec = spec
        self.stack: Stack = (Layer(),)
        self.blocks: dict[int, Blocks] = {}
        if layer is not None:
            self.blocks[self.stack[0].id] = layer
        self.shown: dict[At, Block] = {}
        self.was_swift = False
        self.fills = FillBlocks(Area(spec.width, spec.height, spec.joined))
        self.respec(spec)

    def _rounded_ground(self) -> NDArray[np.uint8]:
        out = np.empty((1, 1, 4), np.uint8)
        flatten(out, 0, 0, EMPTY, 0, 1, 0, 1, self._ground)
        return out[0, 0, :3]

    @property
    def layer(self) -> Blocks:
        """The blocks of the lowest layer."""
        return self.layer_blocks(self.stack[0].id)

    def layer_blocks(self, layer: int) -> Blocks:
        """The blocks of the layer of that number, empty where nothing was painted."""
        blocks = self.blocks.get(layer)
        if blocks is None:
            blocks = self.blocks[layer] = Blocks(self.spec.width, self.spec.height)
        return blocks

    def layer_of(self, layer: int) -> Layer:
        """The layer of that number, or that it is the mask of; raises BadValue."""
        for one in self.stack:
            if layer in (one.id, one.mask) and layer:
                return one
        raise BadValue("layer", layer, "must be one of " + ", ".join(str(one) for one in block_numbers(self.stack)))

    def paintable(self, layer: int) -> Layer:
        """The layer or mask of that number, where it can be painted on; raises BadValue."""
        one = self.layer_of(layer)
        self.refuse_locked(one)
        if layer == one.id and one.kind != "paint":
            raise BadValue("layer", one.name, f"is a {one.kind} layer. Choose a paint layer or a mask.")
        return one

    def refuse_locked(self, layer: Layer) -> None:
        """Raise BadValue where a layer, or a group around it, is locked."""
        closed = locked(self.stack, layer)
        if closed is not None:
            raise BadValue("layer", layer.name, f"is locked through {closed.name}. Unlock {closed.name} first.")

    def put(self, at: At, block: Block | None) -> Block | None:
        """Put a block on a layer (None empties the place); returns what was there before."""
        return self.layer_blocks(at[0]).put(at[1], block)

    def restack(self, stack: Stack) -> Stack:
        """Put another stack in place of the canvas's; returns the one before. Raises BadValue."""
        before, self.stack = self.stack, check_stack(stack)
        return before

    def respec(self, spec: CanvasSpec) -> CanvasSpec:
        """Give it another size, edges, resolution or ground; its blocks stay where they are. Returns those before."""
        before, self.spec = self.spec, spec
        self.fills = FillBlocks(Area(spec.width, spec.height, spec.joined), self.fills.tile_of)
        looks = self.block_at, self.fills.of_layer, self.shown.__contains__, self.fills.area
        self._stacking = Stacking(
            *looks, lambda: [one.stamp for one in self.blocks.values()], lambda: sum(map(len, self.blocks.values()))
        )
        self._ground = colour_to_unit(spec.ground or "#ffffff")
        self._bare = np.array([*self._rounded_ground(), 255], np.uint8)
        for blocks in self.blocks.values():
            blocks.width, blocks.height = spec.width, spec.height
        return before

    def copy(self, spec: CanvasSpec | None = None) -> Canvas:
        """A second canvas that shares every block; a stroke under way is left out. spec: another ground, if given."""
        other = Canvas(spec or self.spec)
        other.stack = self.stack
        other.blocks = {layer: blocks.copy() for layer, blocks in self.blocks.items()}
        other.fills.tile_of = self.fills.tile_of
        return other

    def over(self, ground: str | None) -> Canvas:
        """The same layers over another ground; raises BadValue."""
        return self.copy(replace(self.spec, ground=ground))

    def pixels(self, box: Box | None = None) -> Block:
        """All visible layers, over the ground where there is one: uint16 (height, width, 4), premultiplied.

        What a tile that is drawn here holds. Blocks that stand in for a stroke under way count. box: this part alone.
        """
        spec = self.spec
        left, top, right, bottom = box = clip(box or spec.box, spec.box)
        out = np.zeros((bottom - top, right - left, 4), np.uint16)
        if spec.ground is not None:
            out[:] = np.round(np.array([*self._ground, 1.0]) * 65535).astype(np.uint16)
        for key in keys_in(box):
            block = self._block(key)
            if block is not None:
                x0, y0, x1, y1 = clip(block_box(key), box)
                y, x = key[0] * BLOCK, key[1] * BLOCK
                under = np.ascontiguousarray(out[y0 - top : y1 - top, x0 - left : x1 - left])
                lay_over(under, looked_at(under), 0, 0, looked_at(block), y0 - y, x0 - x, np.float32(1))
                out[y0 - top : y1 - top, x0 - left : x1 - left] = under
        return out

    def layer_view(self, layer: int, level: int) -> Rgba8:
        """One layer alone, as if it were visible and full, over the ground, at 1 / 2^level of its size; or a mask."""
        one = self.layer_of(layer)
        alone = Canvas(self.spec)
        for key in keys_in(self.spec.box):
            block = self.block_at((layer, key)) if layer == one.mask else self.alone(one, key)
            if block is not None:
                alone.layer.put(key, block)
        return alone.view(self.spec.box, level)

    def alone(self, layer: Layer, key: Key) -> Block | None:
        """What a layer or group shows by itself at a block, as if it were seen and full; not to be changed."""
        return self._stacking.alone(self.stack, layer, key)

    def without(self, layer: int) -> Change:
        """Everything that stands under the number of a layer or mask taken away; returns what stood there."""
        change = Change()
        for key in self.layer_blocks(layer):
            change.blocks[(layer, key)] = self.put((layer, key), None)
        return change

    def view(self, box: Box, level: int = 0, *, swift: bool = False) -> Rgba8:
        """The picture over its ground, opaque 8-bit RGBA (rows, columns, 4), at 1 / 2^level of its size.

        box: in px of the canvas; its left and top must be multiples of 2^level, and it is cut to the canvas. A ground
        of None is shown white. swift: while a stroke is under way on one of many layers a value may be off by one;
        `was_swift` says whether it may. Raises BadValue for a level or box out of range.
        """
        self.was_swift = False
        if not 0 <= level <= MOST_LEVEL:
            raise BadValue("level", level, f"must be 0 to {MOST_LEVEL}")
        box = clip(box, self.spec.box)
        left, top, right, bottom = box
        if right <= left or bottom <= top or left % (1 << level) or top % (1 << level):
            raise BadValue("box", box, f"must be on the canvas and start at a multiple of {1 << level} px")
        if level and (right - left) * (bottom - top) > 4 * BLOCK * BLOCK:
            return self._view_by_block(box, level, swift)
        return reduced(self._flat(box, swift), level)

    def small(self) -> Rgba8:
        """The whole picture as `view` shows it, at no more than 256 px a side."""
        return self.view(self.spec.box, self.spec.level_within(8))

    def _view_by_block(self, box: Box, level: int, swift: bool) -> Rgba8:
        """As `view`, a block at a time, so that a large canvas seen small never stands in memory whole."""
        step = 1 << level
        left, top, right, bottom = box
        out = np.empty((-(-(bottom - top) // step), -(-(right - left) // step), 4), np.uint8)
        for key in keys_in(box):
            here = clip(block_box(key), box)
            cut = _cut(key, here)
            part = self._part(key, cut, swift)
            small = self._bare if part is None else reduced(self._flattened(part, cut), level)
            y, x = (here[1] - top) // step, (here[0] - left) // step
            out[y : y + -(-(here[3] - here[1]) // step), x : x + -(-(here[2] - here[0]) // step)] = small
        return out

    def block_at(self, at: At) -> Block | None:
        """What a layer shows at a place: the stroke under way, or the layer's own block."""
        if at not in self.shown:
            blocks = self.blocks.get(at[0])
            return None if blocks is None else blocks.get(at[1])
        return looked_at(self.shown[at])

    def _block(self, key: Key) -> Block | None:
        """All that is seen at a block; not to be changed."""
        return self._stacking.picture(self.stack, key, self._backdrop)

    @property
    def _backdrop(self) -> Block | None:
        return None if self.spec.ground is None else plain_block(self.spec.ground)

    def _part(self, key: Key, cut: Cut, swift: bool) -> Part | None:
        """All that is seen in a cut of a block; not to be changed."""
        part, was_swift = self._stacking.part(self.stack, key, self._backdrop, cut, swift=swift)
        self.was_swift = self.was_swift or was_swift
        return part

    def _flattened(self, part: Part, cut: Cut, into: Rgba8 | None = None, row: int = 0, column: int = 0) -> Rgba8:
        """A cut of a block over the ground, by itself or from a row and column of a picture on."""
        out = np.empty((cut[1] - cut[0], cut[3] - cut[2], 4), np.uint8) if into is None else into
        block = looked_at(part.pixels)
        y, x = part.at(cut)
        flatten(out, row, column, block, y, y + cut[1] - cut[0], x, x + cut[3] - cut[2], self._ground)
        return out

    def _flat(self, box: Box, swift: bool) -> Rgba8:
        left, top, right, bottom = box
        out = np.empty((bottom - top, right - left, 4), np.uint8)
        for key in keys_in(box):
            x0, y0, x1, y1 = here = clip(block_box(key), box)
            cut = _cut(key, here)
            part = self._part(key, cut, swift)
            if part is None:
                out[y0 - top : y1 - top, x0 - left : x1 - left] = self._bare
            else:
                self._flattened(part, cut, out, y0 - top, x0 - left)
        return out


def _cut(key: Key, box: Box) -> Cut:
    """A box of the canvas as rows and columns of the block it lies in."""
    rows, columns = part_of(key, box)
    return rows.start, rows.stop, columns.start, columns.stop
