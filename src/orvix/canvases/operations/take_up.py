"""Restore state: the canvas becomes what it was when the state was kept. Undone like any other change."""

from __future__ import annotations

from orvix.canvases.canvas import Canvas
from orvix.canvases.layers import SELECTION, Change, block_numbers
from orvix.canvases.operations.registry import OPERATIONS, Operation, Told
from orvix.errors import BadValue


def run(canvas: Canvas, told: Told) -> Change:
    """told: state, the number it was kept under; from, that state as a canvas, at hand."""
    kept = told.get("from")
    if not isinstance(kept, Canvas):
        raise BadValue("state", told.get("state"), "This saved state no longer exists.")
    change = Change(stack=canvas.restack(kept.stack))
    if kept.spec != canvas.spec:
        change.spec = canvas.respec(kept.spec)
    numbers = {SELECTION, *block_numbers(kept.stack), *block_numbers(change.stack or ())}
    for layer in sorted(numbers):
        have, want = canvas.layer_blocks(layer), kept.layer_blocks(layer)
        for key in {*have.keys(), *want.keys()}:
            if have.get(key) is not want.get(key):
                change.blocks[(layer, key)] = canvas.put((layer, key), want.get(key))
    return change


OPERATIONS.add("take-up", Operation("take-up", "Restore state", ("state",), run, needs=("state",), strokes="replaces"))
