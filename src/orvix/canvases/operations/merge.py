"""Merge: layers become one, or a layer of its own is made of what they show together while they stay.

What is merged is blended by the layers' own modes, opacities and masks over nothing. Where one layer alone is merged
into what lies under it, the lower one keeps its mode, and everything else becomes pixels.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from orvix.canvases.canvas import Canvas
from orvix.canvases.layers import Change, Layer, block_numbers, check_stack, within
from orvix.canvases.operations.chosen import chosen_layers, fresh_number
from orvix.canvases.operations.registry import OPERATIONS, Operation, Told
from orvix.canvases.taking import together
from orvix.errors import BadValue


def _made_one(canvas: Canvas, chosen: list[Layer], onto: Layer, tile_of: Any) -> Change:
    """What the chosen layers and all inside them show together, put under the number of a layer of the stack.

    tile_of: gives the tiles of fills, as they were when it was done first.
    """
    pictures = together(canvas, chosen, tile_of)
    change = Change()
    for key, picture in pictures.items():
        block = picture if picture is None or picture.any() else None
        if block is not None or canvas.layer_blocks(onto.id).get(key) is not None:
            change.blocks[(onto.id, key)] = canvas.put((onto.id, key), block)
    return change


def merge(canvas: Canvas, told: Told) -> Change:
    """told: layers, two or more, or one group. They become a paint layer in the lowest one's place and number."""
    chosen = chosen_layers(canvas, told.get("layers"))
    if len(chosen) < 2 and chosen[0].kind != "group":
        raise BadValue("layers", told.get("layers"), "Select two or more layers, or a group.")
    for one in chosen:
        canvas.refuse_locked(one)
    lowest = chosen[0]
    gone = {one.id for top in chosen for one in (top, *within(canvas.stack, top.id))} - {lowest.id}
    kept = Layer(
        lowest.id, lowest.name, visible=lowest.visible, mode=lowest.mode, parent=lowest.parent, clipped=lowest.clipped
    )
    # The lowest one's mode is for what lies under it, not for what is merged with it.
    before = canvas.stack
    canvas.restack(tuple(replace(one, mode="normal", clipped=False) if one.id == lowest.id else one for one in before))
    try:
        now_chosen = [one for one in canvas.stack if one.id in {layer.id for layer in chosen}]
        change = _made_one(canvas, now_chosen, lowest, told.get("tile_of"))
    finally:
        canvas.restack(before)
    stack = check_stack(tuple(kept if one.id == lowest.id else one for one in before if one.id not in gone))
    merged = tuple(one for one in before if one.id in gone or one.id == lowest.id)
    rest = set(block_numbers(merged)) - {lowest.id}
    change.stack = canvas.restack(stack)
    for number in rest:
        change.blocks |= canvas.without(number).blocks
    return change


def merge_copy(canvas: Canvas, told: Told) -> Change:
    """told: layers, or none for all that is seen; layer, the number of the new one, which lies over all of them."""
    if told.get("layers"):
        chosen = chosen_layers(canvas, told["layers"])
    else:
        chosen = [one for one in canvas.stack if not one.parent]
    number = fresh_number(told.get("layer"))
    top = chosen[-1]
    fresh = Layer(number, "Merged", parent=top.parent)
    inside = {one.id for one in within(canvas.stack, top.id)} | {top.id}
    at = max(n for n, one in enumerate(canvas.stack) if one.id in inside) + 1
    while at < len(canvas.stack) and canvas.stack[at].clipped and canvas.stack[at].parent == top.parent:
        at += 1
    before = canvas.restack(check_stack((*canvas.stack[:at], fresh, *canvas.stack[at:])))
    change = _made_one(canvas, chosen, fresh, told.get("tile_of"))
    change.stack = before
    return change


OPERATIONS.add("merge", Operation("merge", "Merge layers", ("layers",), merge, needs=("tiles",), strokes="merges"))
OPERATIONS.add("merge-copy", Operation("merge-copy", "Merge copy", ("layers", "layer"), merge_copy, needs=("tiles",)))
