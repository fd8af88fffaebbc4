"""Layers: the stack put in another order, layers added, taken out, named, shown, hidden, made fainter."""

from __future__ import annotations

from orvix.canvases.canvas import Canvas
from orvix.canvases.layers import Change, parse_stack
from orvix.canvases.operations.registry import OPERATIONS, Operation, Told


def run(canvas: Canvas, told: Told) -> Change:
    """told: layers, the whole stack as it shall be, the lowest first. What a layer taken out held goes with it."""
    stack = parse_stack(told.get("layers"))
    if stack == canvas.stack:
        return Change()
    change = Change(stack=canvas.restack(stack))
    left = {one.id for one in stack}
    for layer in change.stack or ():
        if layer.id not in left:
            for key in canvas.layer_blocks(layer.id):
                change.blocks[(layer.id, key)] = canvas.put((layer.id, key), None)
    return change


OPERATIONS.add("layers", Operation("layers", "Layers", ("layers",), run))
