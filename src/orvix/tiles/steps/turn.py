"""Quarter turns and mirror: the tile turned or flipped, its repeat with it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from fractions import Fraction
from typing import Any

import numpy as np

from orvix.registry import Value
from orvix.tiles.repeats import Repeat
from orvix.tiles.state import Offset, TileState
from orvix.tiles.steps.registry import STEPS, Shape, Step, StepOrder

HOWS = ("quarter left", "half", "quarter right", "mirror across", "mirror down")
VALUES = (
    Value("how", "How", "choice", "quarter right", "Rotation or flip.", choices=HOWS),
)  # fmt: skip


def shape(values: Mapping[str, Any], width: int, height: int, repeat: Repeat) -> Shape:
    """A quarter turn makes columns of rows; a flip turns the stagger round, to the px."""
    how = values["how"]
    moved = repeat.stagger_px(width, height)
    length = {"straight": 1, "brick": width, "half-drop": height}[repeat.kind]
    turned = repeat
    if repeat.kind != "straight" and moved:
        back = Repeat(repeat.kind, Fraction(length - moved, length))
        same = Repeat(repeat.kind, Fraction(moved, length))
        turned = same if how == "half" else back
    if how.startswith("quarter"):
        kind = {"straight": "straight", "brick": "half-drop", "half-drop": "brick"}[repeat.kind]
        # A turn either way takes (moved, height) to (height, -moved) or its opposite, which is the same repeat.
        stagger = Fraction((length - moved) % length, length) if length > 1 else repeat.stagger
        return height, width, Repeat(kind, stagger)
    return width, height, turned


def apply(state: TileState, order: StepOrder) -> TileState:
    """Turn or flip pixels, repeat and where the borders lie."""
    how = order.values["how"]
    pixels = {
        "quarter left": lambda p: np.rot90(p, 1), "half": lambda p: np.rot90(p, 2),
        "quarter right": lambda p: np.rot90(p, -1), "mirror across": lambda p: p[:, ::-1],
        "mirror down": lambda p: p[::-1],
    }[how](state.pixels)  # fmt: skip
    width, height, repeat = shape(order.values, state.width, state.height, state.repeat)
    borders = tuple(_moved(how, place, state) for place in state.borders)
    turned = replace(state, pixels=np.ascontiguousarray(pixels), repeat=repeat, borders=borders)
    assert (turned.width, turned.height) == (width, height)
    return turned.moved(0, 0)


def _moved(how: str, place: Offset, state: TileState) -> Offset:
    x, y = place
    return {
        "quarter left": (y, -x % state.width), "half": (-x % state.width, -y % state.height),
        "quarter right": (-y % state.height, x), "mirror across": (-x % state.width, y),
        "mirror down": (x, -y % state.height),
    }[how]  # fmt: skip


STEPS.add(
    "turn",
    Step("turn", "Rotate or flip", "place", "Rotates by 90° or flips.", VALUES, apply, shape=shape, uniform=False),
)  # fmt: skip
