"""Even the light: what falls off slowly across the picture is taken out by multiplying, so that contrast stays."""

from __future__ import annotations

import numpy as np

from orvix.bands import in_bands
from orvix.pictures.packing import pixels_to_straight, straight_to_pixels
from orvix.registry import Value
from orvix.tiles.lowpass import coarse
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Step, StepOrder

VALUES = (
    Value("reach", "Reach", "number", 12.0, "Changes wider than this are evened.", "% of width", low=2, high=50),
    Value("strength", "Strength", "number", 1.0, "How far the light is evened.", low=0, high=1),
)  # fmt: skip


def apply(state: TileState, order: StepOrder) -> TileState:
    """Each channel times (its mean over its coarse part), to the power of the strength."""
    sigma = order.values["reach"] * state.width / 100
    rgb = np.empty((state.height, state.width, 3), np.float32)
    alpha = np.empty((state.height, state.width), np.float32)

    def read(top: int, bottom: int) -> None:
        rgb[top:bottom], alpha[top:bottom] = pixels_to_straight(state.pixels[top:bottom])

    in_bands(state.height, state.width, read)
    low = coarse(rgb, sigma, state.repeat if state.wraps else None)
    mean = low.mean(axis=(0, 1), dtype=np.float64).astype(np.float32)
    out = np.empty_like(state.pixels)

    def even(top: int, bottom: int) -> None:
        gain = mean / np.maximum(low[top:bottom], np.float32(1 / 255))
        if order.values["strength"] < 1:
            gain = gain ** np.float32(order.values["strength"])
        out[top:bottom] = straight_to_pixels(rgb[top:bottom] * gain, alpha[top:bottom])

    in_bands(state.height, state.width, even)
    return state.with_pixels(out)


STEPS.add("even-light", Step("even-light", "Even the light", "photo", "Takes out light that falls off.", VALUES, apply))
