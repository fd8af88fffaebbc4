"""A picture taken from a canvas: what some of its layers show, as far as it is selected."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from orvix.canvases.blocks import Block, Blocks
from orvix.canvases.canvas import Canvas
from orvix.canvases.fills import FillBlocks
from orvix.canvases.layers import Layer, within
from orvix.canvases.selection import anything_selected, cover_at, selected_box
from orvix.canvases.stacking import Stacking
from orvix.errors import BadValue
from orvix.geometry import Key, keys_in
from orvix.strokes.windows import gather, pieces

MOST_PX = 8192 * 8192


@dataclass(frozen=True)
class Taken:
    """pixels: uint16 (rows, columns, 4), premultiplied; x, y: where their first px lay, in px of the cloth."""

    pixels: Block
    x: int
    y: int


def together(canvas: Canvas, chosen: list[Layer], tile_of: Any = None, keys: list[Key] | None = None) -> dict[Key, Any]:
    """What layers, with all inside them, show together over nothing, by block; None for nothing.

    tile_of: gives the tiles of fills, where they are not those of the canvas. keys: only these blocks.
    """
    inside = {one.id for top in chosen for one in (top, *within(canvas.stack, top.id))}
    stack = tuple(one if one.parent in inside else replace(one, parent=0) for one in canvas.stack if one.id in inside)
    fills = FillBlocks(canvas.fills.area, tile_of or canvas.fills.tile_of)
    stacking = Stacking(canvas.block_at, fills.of_layer, lambda at: False, fills.area)
    return {key: stacking.picture(stack, key) for key in (keys_in(canvas.spec.box) if keys is None else keys)}


def only(canvas: Canvas, chosen: list[Layer]) -> Canvas:
    """Layers, with all inside them, as a canvas of their own over nothing; clipped ones stand alone."""
    inside = {one.id for top in chosen for one in (top, *within(canvas.stack, top.id))}
    tops = {one.id for one in chosen}
    other = canvas.copy(replace(canvas.spec, ground=None))
    stack = [replace(one, visible=True, parent=0, clipped=False) if one.id in tops else one for one in canvas.stack]
    other.restack(tuple(one for one in stack if one.id in inside))
    return other


def taken(canvas: Canvas, chosen: list[Layer], *, ground: bool = False) -> Taken:
    """What layers show of what is selected, or of the whole canvas; cut to the box around it.

    ground: over the canvas's ground, where it has one. Raises BadValue for too much, and where nothing is there.
    """
    box = selected_box(canvas) or canvas.spec.box
    wide, high = box[2] - box[0], box[3] - box[1]
    if wide * high > MOST_PX:
        raise BadValue(
            "selection", f"{wide} x {high} px", f"The selection is too large: {MOST_PX} px at most. Select less."
        )
    area = canvas.fills.area
    shown = together(canvas, chosen, keys=sorted({key for key, *_ in pieces(area, box)}))
    out = gather(area, box, np.zeros((high, wide, 4), np.uint16), shown.get)
    if ground and canvas.spec.ground is not None:
        out = Canvas(replace(canvas.spec, width=wide, height=high, joined=None), Blocks.from_array(out)).pixels()
    if anything_selected(canvas):
        cover = gather(area, box, np.zeros((high, wide), np.uint16), lambda key: cover_at(canvas, key))
        out = ((out * cover[..., None].astype(np.uint32) + 32767) // 65535).astype(np.uint16)
    if not out[..., 3].any():
        raise BadValue(
            "selection", f"{wide} x {high} px", "The selected layers are empty there. Select another area or layer."
        )
    return Taken(out, box[0], box[1])
