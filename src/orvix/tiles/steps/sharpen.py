"""Sharpen: what differs from its surroundings differs more."""

from __future__ import annotations

from collections.abc import Mapping
from math import ceil
from typing import Any

import cv2
import numpy as np

from orvix.registry import Value
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Floats, Step, on_cloth

VALUES = (
    Value("amount", "Amount", "number", 0.8, "Strength of the sharpening.", low=0, high=4),
    Value("reach", "Reach", "number", 0.2, "Size of the detail that is sharpened.", "% of width", low=0.05, high=5),
)  # fmt: skip


def margin_px(values: Mapping[str, Any], state: TileState) -> int:
    """How far neighbours count."""
    return ceil(3.2 * values["reach"] * state.width / 100) + 2


def change(around: Floats, values: Mapping[str, Any], state: TileState) -> Floats:
    """v + amount (v - blurred v); alpha stays."""
    blurred = cv2.GaussianBlur(around, (0, 0), max(values["reach"] * state.width / 100, 0.1))
    out = around + (around - blurred) * np.float32(values["amount"])
    out[..., 3] = around[..., 3]
    return out


STEPS.add(
    "sharpen",
    Step("sharpen", "Sharpen", "detail", "Sharpens fine detail.", VALUES, on_cloth(margin_px, change)),
)  # fmt: skip
