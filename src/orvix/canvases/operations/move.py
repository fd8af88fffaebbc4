"""Move: the whole picture moved by whole px; with joined edges what leaves on one side comes in on the other."""

from __future__ import annotations

from typing import Any

import numpy as np

from orvix.canvases.blocks import Blocks
from orvix.canvases.canvas import Canvas
from orvix.canvases.layers import Change
from orvix.canvases.operations.registry import OPERATIONS, Operation, Told
from orvix.errors import BadValue
from orvix.geometry import MOST_SIDE


def whole(name: str, given: Any) -> int:
    """A whole number of px that a picture can be moved by; raises BadValue."""
    if isinstance(given, bool) or not isinstance(given, int) or abs(given) > MOST_SIDE:
        raise BadValue(name, given, f"must be a whole number of px, at most {MOST_SIDE} either way")
    return given


def move(canvas: Canvas, x: int, y: int) -> Change:
    """Move every layer right by x and down by y px; raises BadValue where the neighbours would be torn."""
    spec = canvas.spec
    refused = spec.joined.refuse_move(x, y, spec.width, spec.height) if spec.joined else ""
    if refused:
        raise BadValue("move", [x, y], refused)
    change = Change()
    for layer in canvas.stack:
        blocks = canvas.layer_blocks(layer.id)
        if not blocks.keys():
            continue
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
            change.blocks[(layer.id, key)] = canvas.put((layer.id, key), fresh.get(key))
    return change


def run(canvas: Canvas, told: Told) -> Change:
    """told: x and y in px, right and down."""
    return move(canvas, whole("x", told.get("x", 0)), whole("y", told.get("y", 0)))


OPERATIONS.add("move", Operation("move", "Move", ("x", "y"), run))
