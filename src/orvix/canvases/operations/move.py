"""Move: the picture, or some layers, moved by whole px; with joined edges what leaves on one side comes in opposite."""

from __future__ import annotations

from typing import Any

import numpy as np

from orvix.canvases.blocks import Blocks
from orvix.canvases.canvas import Canvas
from orvix.canvases.layers import SELECTION, Change, Layer, block_numbers, within
from orvix.canvases.operations.chosen import chosen_layers
from orvix.canvases.operations.registry import OPERATIONS, Operation, Told, px_at_times
from orvix.canvases.resizing import moved_values
from orvix.errors import BadValue
from orvix.geometry import MOST_SIDE


def whole(name: str, given: Any) -> int:
    """A whole number of px that a picture can be moved by; raises BadValue."""
    if isinstance(given, bool) or not isinstance(given, int) or abs(given) > MOST_SIDE:
        raise BadValue(name, given, f"must be a whole number of px, at most {MOST_SIDE} either way")
    return given


def moved_along(canvas: Canvas, told: Any) -> list[Layer]:
    """The layers of these numbers with all that is moved with them: what is in a group, what is linked to one."""
    chosen = chosen_layers(canvas, told)
    links = {one.linked for one in chosen if one.linked}
    tops = [one for one in canvas.stack if one in chosen or one.linked in links]
    inside = {one.id for top in tops for one in (top, *within(canvas.stack, top.id))}
    return [one for one in canvas.stack if one.id in inside]


def move(canvas: Canvas, x: int, y: int, layers: list[Layer] | None = None) -> Change:
    """Move every layer, or only some, right by x and down by y px; raises BadValue where neighbours would be torn.

    A fill is moved by its values, everything else by its pixels, a shape by both; masks with it. Where every layer
    is moved, what is selected moves along.
    """
    spec = canvas.spec
    refused = spec.joined.refuse_move(x, y, spec.width, spec.height) if spec.joined else ""
    if refused:
        raise BadValue("move", [x, y], refused)
    change = Change()
    moved = list(canvas.stack) if layers is None else layers
    for number in [*([SELECTION] if layers is None else []), *block_numbers(tuple(moved))]:
        change.blocks |= _moved_pixels(canvas, number, x, y).blocks
    stack = tuple(moved_values(one, x, y) if one in moved else one for one in canvas.stack)
    if stack != canvas.stack:
        change.stack = canvas.restack(stack)
    return change


def _moved_pixels(canvas: Canvas, number: int, x: int, y: int) -> Change:
    change, spec, blocks = Change(), canvas.spec, canvas.layer_blocks(number)
    if not blocks.keys():
        return change
    pixels = blocks.whole()
    if spec.joined:
        moved = spec.joined.cloth(pixels, -y, -x, spec.height, spec.width)
    else:
        moved = np.zeros_like(pixels)
        top, left = max(y, 0), max(x, 0)
        part = pixels[max(-y, 0) : spec.height - top, max(-x, 0) : spec.width - left]
        moved[top : top + part.shape[0], left : left + part.shape[1]] = part
    fresh = Blocks.from_array(np.ascontiguousarray(moved))
    for key in {*blocks.keys(), *fresh.keys()}:
        change.blocks[(number, key)] = canvas.put((number, key), fresh.get(key))
    return change


def run(canvas: Canvas, told: Told) -> Change:
    """told: x and y in px, right and down; layers, where not all are moved."""
    x, y = (whole(name, told.get(name, 0)) for name in ("x", "y"))
    if told.get("layers") is None:
        return move(canvas, x, y)
    layers = moved_along(canvas, told["layers"])
    for one in layers:
        canvas.refuse_locked(one)
    return move(canvas, x, y, layers)


OPERATIONS.add(
    "move",
    Operation(
        "move", "Move", ("x", "y", "layers"), run, lambda told, times: px_at_times(told, times, "x", "y"), tried=True
    ),
)
