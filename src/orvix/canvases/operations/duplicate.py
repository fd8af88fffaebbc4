"""Duplicate: layers, and groups with all that is in them, once more above themselves. Their pixels are shared."""

from __future__ import annotations

from dataclasses import replace

from orvix.canvases.canvas import Canvas
from orvix.canvases.layers import Change, check_stack, within
from orvix.canvases.operations.chosen import chosen_layers, fresh_number
from orvix.canvases.operations.registry import OPERATIONS, Operation, Told


def run(canvas: Canvas, told: Told) -> Change:
    """told: layers, their numbers; layer, the first number of the new ones: the tops have the lowest."""
    chosen = chosen_layers(canvas, told.get("layers"))
    number = fresh_number(told.get("layer"))
    with_inside = {one.id for top in chosen for one in (top, *within(canvas.stack, top.id))}
    copied = [one for one in canvas.stack if one.id in with_inside]
    numbers: dict[int, int] = {}
    tops = {one.id for one in chosen if one.parent not in with_inside}
    for one in sorted(copied, key=lambda layer: layer.id not in tops):
        for old in filter(None, (one.id, one.mask, one.border)):
            numbers[old] = number
            number += 1
    stack = canvas.stack
    fresh = {
        one.id: replace(
            one,
            id=numbers[one.id],
            mask=numbers.get(one.mask, 0),
            border=numbers.get(one.border, 0),
            parent=numbers.get(one.parent, one.parent),
            name=f"{one.name[:55]} copy" if one.id in tops else one.name,
        )
        for one in copied
    }
    after = max(stack.index(one) for one in copied) + 1
    change = Change(stack=canvas.restack(check_stack((*stack[:after], *fresh.values(), *stack[after:]))))
    for old, new in numbers.items():
        for key in canvas.layer_blocks(old):
            change.blocks[(new, key)] = canvas.put((new, key), canvas.layer_blocks(old).get(key))
    return change


OPERATIONS.add("duplicate", Operation("duplicate", "Duplicate layers", ("layers", "layer"), run))
