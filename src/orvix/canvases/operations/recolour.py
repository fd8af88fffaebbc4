"""Recolour: a whole layer tinted, light and dark kept; its hue turned; or all of it in one colour."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.canvases.canvas import Canvas
from orvix.canvases.compositing import lay_atop
from orvix.canvases.fills import plain_block
from orvix.canvases.layers import Change
from orvix.canvases.operations.chosen import chosen_layers
from orvix.canvases.operations.registry import OPERATIONS, Operation, Told
from orvix.canvases.selection import confined
from orvix.colour.blending import mode_number
from orvix.colour.moving import move_matrices
from orvix.errors import BadValue, UnknownName

WAYS = ("tint", "hue", "colour")


def run(canvas: Canvas, told: Told) -> Change:
    """told: layers; way, one of WAYS; colour, for a tint or one colour; hue, the degrees that hues are turned by.

    Where something is selected, only that is recoloured. A tint is the mode "color" of W3C Compositing, atop: the light
    of every px stays. Transparency stays in all of them.
    """
    way = told.get("way")
    if way not in WAYS:
        raise UnknownName("way", way, list(WAYS))
    change = Change()
    for layer in chosen_layers(canvas, told.get("layers")):
        canvas.paintable(layer.id)
        for key in canvas.layer_blocks(layer.id):
            block = canvas.layer_blocks(layer.id).get(key)
            assert block is not None
            fresh = confined(canvas, key, block, _recoloured(block, way, told))
            if fresh is block:
                continue
            change.blocks[(layer.id, key)] = canvas.put((layer.id, key), fresh)
    return change


def _recoloured(block: NDArray[np.uint16], way: str, told: Told) -> NDArray[np.uint16]:
    if way == "hue":
        return _turned(block, told.get("hue"))
    out = block.copy()
    under, over = out.reshape(-1, 4), plain_block(str(told.get("colour"))).reshape(-1, 4)
    lay_atop(under, over, np.float32(1), mode_number("color" if way == "tint" else "normal"))
    return out


def _turned(block: NDArray[np.uint16], hue: Any) -> NDArray[np.uint16]:
    if isinstance(hue, bool) or not isinstance(hue, int | float) or not -360 <= hue <= 360:
        raise BadValue("hue", hue, "must be -360 to 360 degrees")
    none = np.zeros(1)
    matrix = move_matrices(np.array([float(hue)]), none, none)[0].astype(np.float32)
    pixels = block.astype(np.float32)
    colour = np.clip(pixels @ matrix.T, 0, pixels[..., 3:])
    out = np.concatenate([colour, pixels[..., 3:]], axis=2)
    return (out + np.float32(0.5)).astype(np.uint16)


OPERATIONS.add("recolour", Operation("recolour", "Recolour", ("layers", "way", "colour", "hue"), run, tried=True))
