"""Levels: which tone becomes black, which white, and how the middle lies (gamma)."""

from __future__ import annotations

import numpy as np

from orvix.errors import BadValue
from orvix.pictures.packing import pixels_to_straight, straight_to_pixels
from orvix.registry import Value
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Step, StepOrder

VALUES = (
    Value("black", "Black", "number", 0.05, "Darker tones become black.", low=0, high=0.99),
    Value("white", "White", "number", 0.95, "Lighter tones become white.", low=0.01, high=1),
    Value("gamma", "Gamma", "number", 1.0, "Above 1 lightens the midtones.", low=0.1, high=8),
)  # fmt: skip


def apply(state: TileState, order: StepOrder) -> TileState:
    """((v - black) / (white - black)) ^ (1 / gamma)."""
    black, white, gamma = (float(order.values[name]) for name in ("black", "white", "gamma"))
    if white < black + 0.01:
        raise BadValue("white", f"{white:g}", f"must be above black: at least {black + 0.01:g} here")
    rgb, alpha = pixels_to_straight(state.pixels)
    rgb = np.clip((rgb - np.float32(black)) * np.float32(1 / (white - black)), 0, 1)
    if gamma != 1:
        rgb = rgb ** np.float32(1 / gamma)
    return state.with_pixels(straight_to_pixels(rgb, alpha))


STEPS.add("levels", Step("levels", "Levels", "tone", "Sets black, white and midtones.", VALUES, apply))
