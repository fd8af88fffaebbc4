"""Hue, saturation and lightness, in CIE LCh of L*a*b* (D65)."""

from __future__ import annotations

from collections.abc import Mapping
from math import cos, radians, sin
from typing import Any

import cv2
import numpy as np

from orvix.registry import Value
from orvix.tiles.steps.registry import STEPS, Floats, Step, on_colour

VALUES = (
    Value("hue", "Hue", "number", 0.0, "Shifts all hues.", "°", low=-180, high=180),
    Value("saturation", "Saturation", "number", 1.0, "Strength of the colours. 0 is grey.", "×", low=0, high=3),
    Value("lightness", "Lightness", "number", 0.0, "Lightens or darkens.", low=-50, high=50),
)  # fmt: skip


def change(rgb: Floats, values: Mapping[str, Any]) -> Floats:
    """Turn and stretch a* and b*."""
    lab = cv2.cvtColor(np.ascontiguousarray(rgb), cv2.COLOR_RGB2Lab)
    turn, gain = radians(values["hue"]), values["saturation"]
    c, s = np.float32(gain * cos(turn)), np.float32(gain * sin(turn))
    a, b = lab[..., 1].copy(), lab[..., 2].copy()
    lab[..., 0] += np.float32(values["lightness"])
    lab[..., 1], lab[..., 2] = c * a - s * b, s * a + c * b
    return np.asarray(cv2.cvtColor(lab, cv2.COLOR_Lab2RGB))


STEPS.add(
    "hue",
    Step("hue", "Hue and saturation", "tone", "Changes hue, saturation and lightness.", VALUES, on_colour(change)),
)  # fmt: skip
