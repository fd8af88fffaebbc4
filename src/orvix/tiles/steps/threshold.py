"""Threshold: hard black and white, isolated specks removed."""

from __future__ import annotations

import cv2
import numpy as np

from orvix.pictures.packing import pixels_to_straight, straight_to_pixels
from orvix.pictures.writing import LUMA
from orvix.registry import Value
from orvix.tiles.repeats import cloth
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Step, StepOrder

VALUES = (
    Value("level", "Level", "number", 0.5, "Tones above it become white.", low=0, high=1),
    Value(
        "specks", "Specks", "whole", 12, "Removes spots smaller than this.", "px", low=0,
        high=4000,
    ),
    Value("softness", "Softness", "number", 0.0, "Softness of the edges.", low=0, high=1),
)  # fmt: skip


def apply(state: TileState, order: StepOrder) -> TileState:
    """White above the level; spots of either colour, counted on the cloth, filled where they are too small."""
    values = order.values
    rgb, alpha = pixels_to_straight(state.pixels)
    grey = rgb @ np.array(LUMA, np.float32)
    soft = np.float32(max(values["softness"] * 0.5, 1e-4))
    share = np.clip((grey - np.float32(values["level"])) / soft + np.float32(0.5), 0, 1)
    if values["specks"] > 1:
        white = grey >= np.float32(values["level"])
        for colour in (True, False):
            small = _small(white == colour, state, int(values["specks"]))
            share = np.where(small, np.float32(not colour), share)
            white = white ^ small
    return state.with_pixels(straight_to_pixels(np.repeat(share[..., None], 3, axis=2), alpha))


def _small(
    mask: np.ndarray[tuple[int, int], np.dtype[np.bool_]], state: TileState, least: int
) -> np.ndarray[tuple[int, int], np.dtype[np.bool_]]:
    """Where a spot of the mask has fewer px than `least`, wrapping under the repeat.

    Spots smaller than `least` reach no further than `least` px, but margins stay within one tile: a spot that wide
    is no speck.
    """
    margin = min(least, 64, state.width, state.height)
    around = cloth(mask, state.repeat, -margin, -margin, state.height + 2 * margin, state.width + 2 * margin)
    _, labels, told, _ = cv2.connectedComponentsWithStats(around.astype(np.uint8), connectivity=8)
    small = told[:, cv2.CC_STAT_AREA] < least
    small[0] = False
    # A spot cut off by the margin's edge may be part of a larger one.
    for edge in (labels[0], labels[-1], labels[:, 0], labels[:, -1]):
        small[np.unique(edge)] = False
    return small[labels[margin : margin + state.height, margin : margin + state.width]]


STEPS.add(
    "threshold",
    Step("threshold", "Threshold", "tone", "Makes the tile pure black and white and removes specks.", VALUES, apply),
)
