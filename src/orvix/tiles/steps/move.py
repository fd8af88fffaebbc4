"""Free move: the content moved by any share of the tile, wrapping round."""

from __future__ import annotations

from orvix.registry import Value
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Step, StepOrder

VALUES = (
    Value(
        "across", "Offset X", "number", 25.0, "Moves the content to the right.", "% of width", low=-100,
        high=100,
    ),
    Value("down", "Offset Y", "number", 0.0, "Moves the content down.", "% of height", low=-100, high=100),
)  # fmt: skip


def apply(state: TileState, order: StepOrder) -> TileState:
    """Move by whole px."""
    x = round(order.values["across"] * state.width / 100)
    return state.moved(x, round(order.values["down"] * state.height / 100))


STEPS.add(
    "move",
    Step("move", "Move", "place", "Moves the content. What leaves one side returns on the other.", VALUES, apply),
)
