"""Clear: what is selected taken off the layers; where nothing is, all that they hold."""

from __future__ import annotations

from orvix.canvases.canvas import Canvas
from orvix.canvases.layers import SELECTION, Change
from orvix.canvases.operations.chosen import chosen_layers
from orvix.canvases.operations.registry import OPERATIONS, Operation, Told
from orvix.canvases.selection import confined
from orvix.errors import BadValue


def run(canvas: Canvas, told: Told) -> Change:
    """told: layers, of paint. What their transparency is locked on stays, and is refused."""
    layers = chosen_layers(canvas, told.get("layers"))
    for one in layers:
        if canvas.paintable(one.id).alpha_locked:
            raise BadValue("layer", one.name, "has its transparency locked. Unlock transparency first.")
    change = Change()
    for one in layers:
        held = canvas.layer_blocks(one.id)
        for key in canvas.layer_blocks(SELECTION).keys() or held.keys():
            if held.get(key) is not None:
                left = confined(canvas, key, held.get(key), None)
                change.blocks[(one.id, key)] = canvas.put((one.id, key), left)
    return change


OPERATIONS.add("clear", Operation("clear", "Clear", ("layers",), run))
