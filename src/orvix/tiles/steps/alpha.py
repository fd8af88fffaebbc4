"""Alpha from tone: dark or light parts become nothing, by degrees."""

from __future__ import annotations

import numpy as np

from orvix.pictures.colours import hex_to_rgb
from orvix.pictures.packing import pixels_to_straight, straight_to_pixels
from orvix.pictures.writing import LUMA
from orvix.registry import Value
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Step, StepOrder

VALUES = (
    Value("paints", "Paints", "choice", "dark", "Tones to keep.", choices=("dark", "light")),
    Value(
        "colour", "Colour", "choice", "own", "Keeps the colours, or uses one colour.",
        choices=("own", "one"),
    ),
    Value("one", "One colour", "colour", "#1c1e21", "Colour of what stays."),
)  # fmt: skip


def apply(state: TileState, order: StepOrder) -> TileState:
    """Alpha times luma, or times one minus luma."""
    rgb, alpha = pixels_to_straight(state.pixels)
    grey = rgb @ np.array(LUMA, np.float32)
    alpha = alpha * (grey if order.values["paints"] == "light" else 1 - grey)
    if order.values["colour"] == "one":
        rgb = np.broadcast_to(np.asarray(hex_to_rgb(order.values["one"]), np.float32), rgb.shape)
    return state.with_pixels(straight_to_pixels(rgb, alpha))


STEPS.add(
    "alpha", Step("alpha", "Transparency from tone", "alpha", "Makes dark or light parts transparent.", VALUES, apply)
)
