"""Even the light: what falls off slowly across the picture is taken out by multiplying, so that contrast stays."""

from __future__ import annotations

import numpy as np

from orvix.registry import Value
from orvix.tiles.lowpass import coarse
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Step, StepOrder, from_straight, to_straight

VALUES = (
    Value("reach", "Reach", "number", 12.0, "Changes wider than this are evened.", "% of width", low=2, high=50),
    Value("strength", "Strength", "number", 1.0, "How far the light is evened.", low=0, high=1),
)  # fmt: skip


def apply(state: TileState, order: StepOrder) -> TileState:
    """Each channel times (its mean over its coarse part), to the power of the strength."""
    rgb, alpha = to_straight(state.pixels)
    sigma = order.values["reach"] * state.width / 100
    low = np.maximum(coarse(rgb, sigma, state.repeat if state.wraps else None), np.float32(1 / 255))
    gain = low.mean(axis=(0, 1)) / low
    if order.values["strength"] < 1:
        gain = gain ** np.float32(order.values["strength"])
    return state.with_pixels(from_straight(rgb * gain, alpha))


STEPS.add("even-light", Step("even-light", "Even the light", "photo", "Takes out light that falls off.", VALUES, apply))
