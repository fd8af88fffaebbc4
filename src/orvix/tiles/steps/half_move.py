"""Half move: the content moved by half the tile, so that its borders come to the middle."""

from __future__ import annotations

from orvix.registry import Value
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Step, StepOrder

VALUES = (
    Value(
        "axis",
        "Axis",
        "choice",
        "both",
        "Across brings left and right to the middle, down brings top and bottom.",
        choices=("across", "down", "both"),
    ),
)


def apply(state: TileState, order: StepOrder) -> TileState:
    """Move by floor(n / 2), or by the rest where the border lies there already: two half moves change nothing."""
    axis = order.values["axis"]
    x, y = state.borders[0]
    width, height = state.width, state.height
    move_x = width - width // 2 if x == width // 2 else width // 2
    move_y = height - height // 2 if y == height // 2 else height // 2
    return state.moved(move_x if axis != "down" else 0, move_y if axis != "across" else 0)


STEPS.add("half-move", Step("half-move", "Half move", "place", "Brings the borders to the middle.", VALUES, apply))
