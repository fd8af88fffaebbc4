"""A flat colour: what others are mixed with."""

from __future__ import annotations

import numpy as np

from orvix.pictures.colours import hex_to_rgb
from orvix.registry import Value
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Source

VALUES = (
    Value("colour", "Colour", "colour", "#3f6f7d", "The colour."),
    Value("opacity", "Opacity", "number", 1.0, "Opacity of the colour.", low=0, high=1),
)  # fmt: skip


def render(order: Order) -> Pixels:
    """The window asked for."""
    opacity = order.values["opacity"]
    channels = [round(channel * opacity * 65535) for channel in hex_to_rgb(order.values["colour"])]
    pixel = np.array([*channels, round(opacity * 65535)], np.uint16)
    return np.broadcast_to(pixel, (order.window.height, order.window.width, 4)).copy()


SOURCES.add(
    "flat",
    Source("flat", "Flat colour", "generated", "A single colour.", VALUES, render, "colour", flat=lambda _: True),
)  # fmt: skip
