"""Colours: the greys of the picture seen through a gradient."""

from __future__ import annotations

import numpy as np

from orvix.pictures.packing import pixels_to_straight, straight_to_pixels
from orvix.pictures.writing import LUMA
from orvix.tiles.sources.gradient import COLOURS, check_gradient, gradient_map
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Step, StepOrder

VALUES = (COLOURS,)


def apply(state: TileState, order: StepOrder) -> TileState:
    """Each grey becomes its colour."""
    check_gradient(order.values["colours"])
    rgb, alpha = pixels_to_straight(state.pixels)
    grey = rgb @ np.array(LUMA, np.float32)
    return state.with_pixels(straight_to_pixels(gradient_map(grey, order.values["colours"]), alpha))


STEPS.add("colours", Step("colours", "Colours", "tone", "Maps greys to your own gradient.", VALUES, apply))
