"""A grey source seen through a gradient of two to eight colours."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.errors import BadValue
from orvix.pictures.colours import hex_to_rgb
from orvix.pictures.packing import straight_to_pixels
from orvix.registry import Value
from orvix.tiles.sources.registry import (
    SOURCES,
    Order,
    Pixels,
    Plane,
    Source,
    luma,
    render_inner,
)

COLOURS = Value(
    "colours", "Colours", "colours", [[0.0, "#1b3640"], [0.45, "#4f7f86"], [0.75, "#cdbd94"], [1.0, "#f3ead6"]],
    "The colour for each grey. 0 is black, 1 is white.", low=0, high=1, least=2, most=8,
)  # fmt: skip
VALUES = (
    Value("of", "Source", "source", {"name": "noise", "values": {}}, "The source whose greys are coloured."),
    COLOURS,
)  # fmt: skip


def check_gradient(colours: list[list[Any]]) -> None:
    """Raise BadValue where a place comes before the one above it."""
    for before, after in pairwise(colours):
        if after[0] < before[0]:
            raise BadValue("colours", after[0], f"places must rise: at least {before[0]:g} here")
    if colours[-1][0] < colours[0][0] + 0.01:
        raise BadValue(
            "colours", colours[-1][0], f"the last place must be above the first: at least {colours[0][0] + 0.01:g}"
        )


def gradient_map(grey: Plane, colours: list[list[Any]]) -> NDArray[np.float32]:
    """Each grey (0 to 1) as its colour, float32 (rows, columns, 3), from a table of 4096 steps."""
    places = np.array([place for place, _ in colours])
    table = np.empty((4096, 3), np.float32)
    for channel in range(3):
        table[:, channel] = np.interp(
            np.linspace(0, 1, 4096), places, [hex_to_rgb(colour)[channel] for _, colour in colours]
        )
    return table[(np.clip(grey, 0, 1) * np.float32(4095) + np.float32(0.5)).astype(np.int32)]


def render(order: Order) -> Pixels:
    """The window asked for; alpha stays the inner source's."""
    inner = render_inner(order, order.values["of"])
    alpha = inner[..., 3].astype(np.float32) * np.float32(1 / 65535)
    grey = luma(inner) / np.maximum(alpha, np.float32(1 / 65535))
    return straight_to_pixels(gradient_map(grey, order.values["colours"]), alpha)


def check(order: Order) -> None:
    """Places rise."""
    check_gradient(order.values["colours"])


def flat(values: Mapping[str, Any]) -> bool:
    """A gradient of like colours or over few greys, or of a flat source."""
    colours = np.array([hex_to_rgb(colour) for _, colour in values["colours"]])
    inner = SOURCES.get(values["of"]["name"])
    narrow = values["colours"][-1][0] - values["colours"][0][0] < 0.5
    return narrow or bool(np.ptp(colours, axis=0).max() < 0.2) or inner.flat(values["of"]["values"])


SOURCES.add(
    "gradient",
    Source(
        "gradient", "Gradient", "generated", "Colours any grey source with your own gradient.", VALUES, render,
        "colour",
        check, flat=flat,
    ),
)  # fmt: skip
