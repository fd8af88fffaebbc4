"""Colour out: greys by a chosen weight of the channels."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from orvix.pictures.writing import LUMA
from orvix.registry import Value
from orvix.tiles.steps.registry import STEPS, Floats, Step, on_colour

WEIGHTS = {
    "luma": LUMA,
    "even": (1 / 3, 1 / 3, 1 / 3),
    "red": (1.0, 0.0, 0.0),
    "green": (0.0, 1.0, 0.0),
    "blue": (0.0, 0.0, 1.0),
}
VALUES = (
    Value("by", "Channels", "choice", "luma", "Channels the greys come from.", choices=tuple(WEIGHTS)),
    Value("strength", "Strength", "number", 1.0, "How much colour is removed.", low=0, high=1),
)  # fmt: skip


def change(rgb: Floats, values: Mapping[str, Any]) -> Floats:
    """Mix towards the grey."""
    grey = (rgb @ np.array(WEIGHTS[values["by"]], np.float32))[..., None]
    return rgb + (grey - rgb) * np.float32(values["strength"])


STEPS.add("colour-out", Step("colour-out", "Desaturate", "tone", "Turns colours to greys.", VALUES, on_colour(change)))
