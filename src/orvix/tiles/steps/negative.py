"""Negative: light becomes dark."""

from __future__ import annotations

from orvix.registry import Value
from orvix.tiles.steps.registry import STEPS, Step, on_colour

VALUES = (
    Value("strength", "Strength", "number", 1.0, "How far tones are inverted.", low=0, high=1),
)  # fmt: skip

STEPS.add(
    "negative",
    Step(
        "negative", "Negative", "tone", "Swaps light and dark.", VALUES,
        on_colour(lambda rgb, values: rgb + (1 - 2 * rgb) * rgb.dtype.type(values["strength"])),
    ),
)  # fmt: skip
