"""Paste: a picture put on a layer of its own, where it was taken from or wherever it is told."""

from __future__ import annotations

from fractions import Fraction

import numpy as np

from orvix.canvases.blocks import Block
from orvix.canvases.canvas import Canvas
from orvix.canvases.layers import Change, Layer, check_stack
from orvix.canvases.operations.chosen import fresh_number
from orvix.canvases.operations.move import whole
from orvix.canvases.operations.registry import OPERATIONS, Operation, Told, px_at_times
from orvix.canvases.operations.shape import over_layer
from orvix.canvases.outlines import TIMES
from orvix.canvases.resizing import larger
from orvix.errors import BadValue
from orvix.geometry import BLOCK, Key
from orvix.strokes.area import Area
from orvix.strokes.windows import scatter
from orvix.tiles.repeats import parse_fraction


def run(canvas: Canvas, told: Told) -> Change:
    """told: picture, the number it is kept under; from, its pixels, at hand; x, y, px of its upper left corner.

    layer, the number of the new one; over, the layer that it lies over; name. times: so many times larger, resampled.
    Where edges are joined it wraps round.
    """
    pixels = told.get("from")
    if not isinstance(pixels, np.ndarray) or pixels.ndim != 3 or pixels.shape[2] != 4 or pixels.dtype != np.uint16:
        raise BadValue("picture", told.get("picture"), "This picture no longer exists.")
    x, y = (whole(name, told.get(name, 0)) for name in ("x", "y"))
    fresh = Layer(fresh_number(told.get("layer")), str(told.get("name") or "Pasted")[:60])
    change = Change(stack=canvas.restack(check_stack(over_layer(canvas, fresh, told.get("over")))))
    blocks: dict[Key, Block] = {}
    spec = canvas.spec
    pixels = larger(pixels, parse_fraction("times", told.get("times", "1"), *TIMES))
    rows, columns = pixels.shape[:2]
    scatter(
        Area(spec.width, spec.height, spec.joined),
        (x, y, x + columns, y + rows),
        pixels,
        lambda key: blocks.setdefault(key, np.zeros((BLOCK, BLOCK, 4), np.uint16)),
    )
    for key, block in blocks.items():
        if block.any():
            change.blocks[(fresh.id, key)] = canvas.put((fresh.id, key), block)
    return change


def _at_times(told: Told, times: Fraction) -> Told:
    return {
        **px_at_times(told, times, "x", "y"),
        "times": str(parse_fraction("times", told.get("times", "1"), *TIMES) * times),
    }


_KNOWN = ("picture", "x", "y", "layer", "over", "name", "times")
OPERATIONS.add("paste", Operation("paste", "Paste", _KNOWN, run, _at_times, needs=("clip",)))
