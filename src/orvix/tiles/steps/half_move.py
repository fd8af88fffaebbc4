"""Half move: the content moved by half the tile, so that its borders come to the middle."""

from __future__ import annotations

from orvix.registry import Value
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Step, StepOrder

VALUES = (
    Value(
        "axis", "Axis", "choice", "both", "Horizontal brings left and right to the middle, vertical brings top "
        "and bottom.",
        choices=("across", "down", "both"),
    ),
)  # fmt: skip


def apply(state: TileState, order: StepOrder) -> TileState:
    """Move by floor(n / 2), or back where the border lies there already: two half moves change nothing.

    Without a stagger moving back is moving on by the rest; with one it is not, and back is what a painter means.
    """
    half = state.width // 2, state.height // 2
    x, y = (
        half if order.values["axis"] == "both" else (half[0], 0) if order.values["axis"] == "across" else (0, half[1])
    )
    there = state.canonical(x, y)
    return state.moved(-x, -y) if state.borders[0] == there else state.moved(x, y)


STEPS.add(
    "half-move",
    Step(
        "half-move", "Half move", "place", "Shifts the tile by half, so its borders meet in the middle.", VALUES, apply
    ),
)
