"""Even the light: what falls off slowly across the picture is taken out by multiplying, so that contrast stays."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from orvix.bands import in_bands
from orvix.pictures.packing import pixels_to_straight, straight_to_pixels
from orvix.pictures.writing import LUMA
from orvix.registry import Value
from orvix.tiles.closing.seam import already_closes
from orvix.tiles.lowpass import coarse
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Step, StepOrder

VALUES = (
    Value("reach", "Reach", "number", 12.0, "Evens light that changes over more than this width.", "% of width",
        low=2, high=50),
    Value("strength", "Strength", "number", 1.0, "Strength of the correction.", low=0, high=1),
)  # fmt: skip


MOST_GAIN = np.float32(3)
"""How many times lighter or darker a place becomes at most: what is darker than that is no light that falls off."""
_WEIGHTS = np.array(LUMA, np.float32)


def apply(state: TileState, order: StepOrder) -> TileState:
    """All channels times one gain: the mean luma over the coarse luma, to the power of the strength.

    One gain for the three of them keeps hue and saturation; a gain of each channel's own turns a slow change of colour
    grey. The gain is within 1 / `MOST_GAIN` and `MOST_GAIN`, and never takes a channel above 1, so that no hue is lost.
    What closes already still does.
    """
    wraps = already_closes(state)
    sigma = order.values["reach"] * state.width / 100
    rgb = np.empty((state.height, state.width, 3), np.float32)
    luma, alpha = (np.empty((state.height, state.width), np.float32) for _ in range(2))

    def read(top: int, bottom: int) -> None:
        rgb[top:bottom], alpha[top:bottom] = pixels_to_straight(state.pixels[top:bottom])
        luma[top:bottom] = rgb[top:bottom] @ _WEIGHTS

    in_bands(state.height, state.width, read)
    low = coarse(luma, sigma, state.repeat if wraps else None)
    mean = np.float32(low.mean(dtype=np.float64))
    out = np.empty_like(state.pixels)

    def even(top: int, bottom: int) -> None:
        gain = np.clip(mean / np.maximum(low[top:bottom], np.float32(1 / 255)), 1 / MOST_GAIN, MOST_GAIN)
        if order.values["strength"] < 1:
            gain = gain ** np.float32(order.values["strength"])
        gain = np.minimum(gain, 1 / np.maximum(rgb[top:bottom].max(axis=2), np.float32(1 / 255)))
        out[top:bottom] = straight_to_pixels(rgb[top:bottom] * gain[..., None], alpha[top:bottom])

    in_bands(state.height, state.width, even)
    return replace(state, pixels=out, wraps=wraps, closes=wraps)


STEPS.add(
    "even-light", Step("even-light", "Even the light", "photo", "Removes uneven light from a photo.", VALUES, apply)
)
