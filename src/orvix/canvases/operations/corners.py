"""Bring the corners together: a half move both ways, and a new layer on top for the second half of the work."""

from __future__ import annotations

from dataclasses import replace

from orvix.canvases.canvas import Canvas
from orvix.canvases.layers import Change, Layer
from orvix.canvases.operations import half_move
from orvix.canvases.operations.move import whole
from orvix.canvases.operations.registry import OPERATIONS, Operation, Told

FIRST, SECOND = "First half", "Second half"


def run(canvas: Canvas, told: Told) -> Change:
    """told: layer, the number of the new one; back, as for a half move. The layer on top so far is the first half."""
    top = canvas.stack[-1]
    fresh = Layer(whole("layer", told.get("layer")), SECOND)
    before = canvas.stack
    canvas.restack((*canvas.stack[:-1], replace(top, name=FIRST), fresh))
    try:
        change = half_move.run(canvas, {"axis": "both", "back": told.get("back", False)})
    except Exception:
        canvas.restack(before)
        raise
    change.stack = before
    return change


OPERATIONS.add("corners", Operation("corners", "Join corners", ("layer", "back"), run, half=half_move.moved_half))
