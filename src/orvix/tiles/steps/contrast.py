"""Brightness and contrast."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from orvix.registry import Value
from orvix.tiles.steps.registry import STEPS, Floats, Step, on_colour

VALUES = (
    Value("brightness", "Brightness", "number", 0.0, "Lightens or darkens.", low=-1, high=1),
    Value("contrast", "Contrast", "number", 0.2, "Pushes tones away from middle grey or towards it.", low=-1, high=1),
)  # fmt: skip


def change(rgb: Floats, values: Mapping[str, Any]) -> Floats:
    """Contrast about the middle (gain 1 / (1 - 0.98 c) above zero, 1 + c below), then brightness."""
    contrast = values["contrast"]
    gain = 1 / (1 - 0.98 * contrast) if contrast > 0 else 1 + contrast
    return (rgb - np.float32(0.5)) * np.float32(gain) + np.float32(0.5 + values["brightness"])


STEPS.add(
    "contrast",
    Step(
        "contrast", "Brightness and contrast", "tone", "Adjusts brightness and contrast.", VALUES, on_colour(change),
    ),
)  # fmt: skip
