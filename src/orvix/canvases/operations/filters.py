"""Filter: steps of the tile registry run on layers, on what is selected of them; those that keep a picture's size."""

from __future__ import annotations

from typing import Any

import numpy as np

from orvix.canvases.blocks import Block, Blocks
from orvix.canvases.canvas import Canvas
from orvix.canvases.compositing import keep_alpha
from orvix.canvases.layers import Change
from orvix.canvases.operations.chosen import chosen_layers
from orvix.canvases.operations.pour import check_whole
from orvix.canvases.operations.registry import OPERATIONS, Operation, Told
from orvix.canvases.selection import confined
from orvix.errors import BadValue, UnknownName
from orvix.geometry import BLOCK
from orvix.registry import check_values
from orvix.tiles.repeats import Repeat
from orvix.tiles.state import Pixels, TileState
from orvix.tiles.steps import STEPS
from orvix.tiles.steps.registry import Step, StepOrder

_NOT_HERE = ("copies", "crop", "half-move", "mend-border", "move", "border-blend", "resize", "turn")
"""Steps that change a picture's size, or bring its borders together: a canvas has operations for these."""
MOST_SEED = 2**32 - 1


class _Open(TileState):
    """A picture with open edges: past them it goes on as it is there."""

    def window(self, top: int, left: int, height: int, width: int) -> Pixels:
        rows = np.clip(np.arange(top, top + height), 0, self.height - 1)
        columns = np.clip(np.arange(left, left + width), 0, self.width - 1)
        return self.pixels[rows[:, None], columns]


def filters() -> list[Step]:
    """The steps that a layer can be filtered by."""
    return [one for one in STEPS if one.name not in _NOT_HERE]


def run(canvas: Canvas, told: Told) -> Change:
    """told: layers, of paint; step, the name of one; values, of it; seed. Raises BadValue.

    With open edges a layer goes on as it is at the border; with joined ones as its neighbours lie.
    """
    step = _step(told.get("step"))
    values = check_values(step.values, told.get("values") or {}, step.name)
    seed = told.get("seed", 1)
    if type(seed) is not int or not 0 <= seed <= MOST_SEED:
        raise BadValue("seed", seed, f"must be a whole number from 0 to {MOST_SEED}")
    check_whole(canvas)
    layers = chosen_layers(canvas, told.get("layers"))
    for one in layers:
        canvas.paintable(one.id)
    order = StepOrder(values, seed)
    fresh = {one.id: _filtered(canvas, one.id, step, order) for one in layers}
    change = Change()
    for one in layers:
        held, blocks = canvas.layer_blocks(one.id), fresh[one.id]
        for key in {*held.keys(), *blocks.keys()}:
            before, after = held.get(key), blocks.get(key)
            if one.alpha_locked:
                after = _with_alpha(after, before)
            left = confined(canvas, key, before, after)
            if left is not before:
                change.blocks[(one.id, key)] = canvas.put((one.id, key), left)
    return change


def _step(name: Any) -> Step:
    known = [one.name for one in filters()]
    if name not in known:
        raise UnknownName("step for a layer", name, known)
    return STEPS.get(name)


def _filtered(canvas: Canvas, layer: int, step: Step, order: StepOrder) -> Blocks:
    joined = canvas.spec.joined
    pixels = canvas.layer_blocks(layer).whole()
    rows, columns = pixels.shape[:2]
    if joined is None:
        state: TileState = _Open(pixels, Repeat("straight"), wraps=False)
    else:
        state = TileState(joined.unfold(pixels), joined.repeat)
    whole = step.run(state, order).pixels
    return Blocks.from_array(np.ascontiguousarray(whole[:rows, :columns]))


def _with_alpha(after: Block | None, before: Block | None) -> Block | None:
    """The colours of one block with the transparency of another."""
    if after is None or before is None:
        return before
    out = before.copy()
    keep_alpha(out, after, before, 0, BLOCK, 0, BLOCK)
    return out


OPERATIONS.add("filter", Operation("filter", "Filter", ("layers", "step", "values", "seed"), run, tried=True))
