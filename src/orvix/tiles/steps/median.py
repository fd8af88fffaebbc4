"""Median: single grains vanish, edges stay."""

from __future__ import annotations

import cv2
import numpy as np

from orvix.registry import Value
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Step, StepOrder

VALUES = (
    Value("reach", "Reach", "whole", 1, "Size of the area that is averaged.", "px", low=1, high=2),
    Value("times", "Passes", "whole", 1, "Number of passes.", low=1, high=4),
)  # fmt: skip


def apply(state: TileState, order: StepOrder) -> TileState:
    """The middle value of the square around each px, channel by channel."""
    reach, times = int(order.values["reach"]), int(order.values["times"])
    margin = reach * times + 1
    around = state.padded(margin)
    for _ in range(times):
        around = cv2.medianBlur(around, 2 * reach + 1)
    pixels = around[margin : margin + state.height, margin : margin + state.width].copy()
    return state.with_pixels(np.minimum(pixels, pixels[..., 3:]))


STEPS.add("median", Step("median", "Median", "detail", "Removes single specks.", VALUES, apply))
