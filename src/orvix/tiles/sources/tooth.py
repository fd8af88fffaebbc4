"""Paper tooth: the fine relief of drawing paper, lit from one side."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from orvix.errors import BadValue
from orvix.pictures.packing import grey_to_pixels
from orvix.registry import Value
from orvix.tiles.sources.noise import octaves, turned_lattice
from orvix.tiles.sources.registry import LIGHT, SOURCES, Order, Pixels, Source

VALUES = (
    Value("fineness", "Fineness", "whole", 70, "Number of grains across.", low=8, high=512),
    Value("felt", "Felt", "number", 0.35, "Strength of the felt marks.", low=0, high=1),
    Value("relief", "Relief", "number", 0.5, "Depth of the tooth.", low=0.05, high=1),
    Value("lit", "Side light", "number", 0.6, "0 shows height, 1 shows light and shade.", low=0, high=1),
)  # fmt: skip


def render(order: Order) -> Pixels:
    """The window asked for: heights, and how they slope towards the light, a px apart."""
    values = order.values
    fine, coarse = (
        turned_lattice(order, values["fineness"], 1.3, 30),
        turned_lattice(order, max(values["fineness"] // 6, 2), 2, 60),
    )
    window = replace(
        order.window,
        top=order.window.top - 1,
        left=order.window.left - 1,
        height=order.window.height + 1,
        width=order.window.width + 1,
    )
    height = octaves(order, fine, 0, 2, 0.6, 5, window) + octaves(order, coarse, 0, 2, 0.5, 6, window) * np.float32(
        0.7 * values["felt"]
    )
    slope = (height[1:, :-1] - height[1:, 1:]) * np.float32(LIGHT[0]) + (height[:-1, 1:] - height[1:, 1:]) * np.float32(
        LIGHT[1]
    )
    scale = np.float32(order.width / values["fineness"] / 2.2)
    lit = np.float32(values["lit"])
    grey = height[1:, 1:] * (1 - lit) * np.float32(0.9) - slope * scale * lit * np.float32(0.5)
    return grey_to_pixels(np.asarray(grey * np.float32(2 * values["relief"]) + np.float32(0.5), np.float32))


def check(order: Order) -> None:
    """Grains must be at least 2 px."""
    if order.width / order.values["fineness"] < 2:
        raise BadValue(
            "fineness", order.values["fineness"], f"grains are at least 2 px: at most {order.width // 2} here"
        )


SOURCES.add(
    "tooth",
    Source("tooth", "Paper tooth", "generated", "The relief of drawing paper.", VALUES, render, "noise", check),
)  # fmt: skip
