"""Free move: the content moved by any share of the tile, wrapping round."""

from __future__ import annotations

from orvix.registry import Value
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Step, StepOrder

VALUES = (
    Value(
        "across", "Across", "number", 25.0, "How far the content is moved to the right.", "% of width", low=-100,
        high=100,
    ),
    Value("down", "Down", "number", 0.0, "How far it is moved down.", "% of height", low=-100, high=100),
)  # fmt: skip


def apply(state: TileState, order: StepOrder) -> TileState:
    """Move by whole px."""
    x = round(order.values["across"] * state.width / 100)
    return state.moved(x, round(order.values["down"] * state.height / 100))


STEPS.add("move", Step("move", "Move", "place", "Moves the content; what leaves comes back.", VALUES, apply))
