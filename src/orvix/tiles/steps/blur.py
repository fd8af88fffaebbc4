"""Blur: soft all round, or along a direction."""

from __future__ import annotations

from collections.abc import Mapping
from math import ceil, cos, radians, sin
from typing import Any

import cv2
import numpy as np

from orvix.registry import Value
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Floats, Step, on_cloth

VALUES = (
    Value("kind", "Kind", "choice", "soft", "Even, or in one direction.", choices=("soft", "along")),
    Value("reach", "Reach", "number", 0.6, "Size of the blur.", "% of width", low=0, high=10),
    Value(
        "direction", "Direction", "number", 0.0, "Blur direction, anticlockwise from right.", "°", low=0,
        high=180,
    ),
)  # fmt: skip


def margin_px(values: Mapping[str, Any], state: TileState) -> int:
    """How far neighbours count."""
    reach = values["reach"] * state.width / 100
    return ceil(3.2 * reach if values["kind"] == "soft" else reach) + 2


def change(around: Floats, values: Mapping[str, Any], state: TileState) -> Floats:
    """A Gaussian of standard deviation `reach`; or the mean along a line of twice that length."""
    reach = values["reach"] * state.width / 100
    if reach < 0.05:
        return around
    if values["kind"] == "soft":
        return np.asarray(cv2.GaussianBlur(around, (0, 0), reach))
    return np.asarray(cv2.filter2D(around, -1, line_kernel(reach, values["direction"])))


def line_kernel(reach_px: float, direction_deg: float) -> Floats:
    """A line through the middle, reaching so far both ways, of sum 1."""
    half = max(ceil(reach_px), 1)
    kernel = np.zeros((2 * half + 1, 2 * half + 1), np.float32)
    for t in np.linspace(-reach_px, reach_px, 8 * half + 1):
        x, y = half + t * cos(radians(direction_deg)), half - t * sin(radians(direction_deg))
        left, top = int(x), int(y)
        for dy, wy in ((0, 1 - (y - top)), (1, y - top)):
            for dx, wx in ((0, 1 - (x - left)), (1, x - left)):
                if wx * wy > 0:
                    kernel[top + dy, left + dx] += np.float32(wx * wy)
    return kernel / kernel.sum()


STEPS.add(
    "blur",
    Step("blur", "Blur", "detail", "Blurs evenly or in one direction.", VALUES, on_cloth(margin_px, change)),
)  # fmt: skip
