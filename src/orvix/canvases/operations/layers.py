"""Layers: the stack put in another order, layers added, taken out, named, shown, hidden, made fainter."""

from __future__ import annotations

from fractions import Fraction

from orvix.canvases.canvas import Canvas
from orvix.canvases.layers import Change, block_numbers, parse_stack
from orvix.canvases.operations.registry import OPERATIONS, Operation, Told


def run(canvas: Canvas, told: Told) -> Change:
    """told: layers, the whole stack as it shall be, the lowest first. What layers and masks taken out held goes too."""
    stack = parse_stack(told.get("layers"))
    if stack == canvas.stack:
        return Change()
    staying = {one.id for one in stack}
    for one in canvas.stack:
        if one.id not in staying:
            canvas.refuse_locked(one)
    change = Change(stack=canvas.restack(stack))
    gone = set(block_numbers(change.stack or ())) - set(block_numbers(stack))
    for number in sorted(gone):
        change.blocks |= canvas.without(number).blocks
    return change


def _at_times(told: Told, times: Fraction) -> Told:
    return {**told, "layers": [one.at_times(times).as_dict() for one in parse_stack(told.get("layers"))]}


OPERATIONS.add("layers", Operation("layers", "Layers", ("layers",), run, _at_times, tried=True))
