"""Fibres: thin bent threads scattered over the tile, lying more or less in one direction."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from math import pi, radians
from typing import Any

import numpy as np

from orvix.errors import BadValue
from orvix.pictures.packing import grey_to_pixels
from orvix.registry import Value
from orvix.tiles.lattices import numbers
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Source
from orvix.tiles.sources.splats import FINE, Marks, lay_marks

PARTS = 8
VALUES = (
    Value("density", "Density", "whole", 260, "Number of fibres.", "fibres", low=1, high=4000),
    Value("length", "Length", "number", 22.0, "Length of the fibres.", "% of width", low=1, high=60),
    Value("thickness", "Thickness", "number", 0.35, "Thickness of the fibres.", "% of width", low=0.05, high=4),
    Value("bend", "Bend", "number", 0.5, "Curvature of the fibres.", low=0, high=1),
    Value(
        "direction", "Direction", "number", 20.0, "Direction, anticlockwise from right.", "°", low=0, high=180,
    ),
    Value("disorder", "Disorder", "number", 0.35, "Variation in direction. 1 is all directions.", low=0, high=1),
    Value("tone", "Tone", "number", 0.9, "Lightness of the fibres.", low=0, high=1),
    Value("variation", "Variation", "number", 0.5, "Variation in tone.", low=0, high=1),
    Value("ground_tone", "Ground tone", "number", 0.3, "Lightness of the ground.", low=0, high=1),
)  # fmt: skip
_SALT = 59


def render(order: Order) -> Pixels:
    """The window asked for."""
    values = order.values
    plane = np.full((order.window.height, order.window.width), values["ground_tone"], np.float32)
    names = ("length", "thickness", "bend", "direction", "disorder", "tone", "variation")
    given = tuple(float(values[name]) for name in names)
    marks = threads(order.width, order.height, order.seed, int(values["density"]), given)
    lay_marks(plane, np.zeros_like(plane), marks, order)
    return grey_to_pixels(plane)


@lru_cache(8)
def threads(width: int, height: int, seed: int, count: int, given: tuple[float, ...]) -> Marks:
    """Each fibre as a chain of capsules; given: length, thickness, bend, direction, disorder, tone, variation."""
    length, thickness, bend, direction, disorder, tone, variation = given
    chance = numbers(seed, _SALT, count, 8).astype(np.float64)
    start = chance[:, :2] * (width, height)
    turn = -radians(direction) + (chance[:, 2] - 0.5) * 2 * pi * disorder
    turns = turn[:, None] + (np.arange(PARTS) / (PARTS - 1) - 0.5) * (chance[:, 3:4] - 0.5) * 4 * pi * bend
    step = length / 100 * width * (0.6 + 0.8 * chance[:, 4]) / PARTS
    steps = np.stack([np.cos(turns), np.sin(turns)], axis=2) * step[:, None, None]
    points = np.concatenate([start[:, None], start[:, None] + np.cumsum(steps, axis=1)], axis=1)
    ends = np.rint(np.concatenate([points[:, :-1], points[:, 1:]], axis=2).reshape(-1, 4) * FINE).astype(np.int64)
    radius = thickness / 200 * width * (0.6 + 0.8 * chance[:, 5])
    shapes = np.empty((count, PARTS, 4), np.float32)
    shapes[..., 0], shapes[..., 1] = radius[:, None], 1.0
    shapes[..., 2] = np.clip(tone + (chance[:, 6:7] - 0.5) * variation, 0, 1)
    shapes[..., 3] = np.minimum(1, radius / 0.5)[:, None]
    return Marks(ends, shapes.reshape(-1, 4))


def check(order: Order) -> None:
    """A fibre must fit into its tile, and all of them leave some ground."""
    longest = 1.4 * order.px(order.values["length"])
    if longest > 2 * order.height:
        most = 100 * order.height * 2 / 1.4 / order.width
        raise BadValue(
            "length", f"{order.values['length']:g}", f"longer than twice the tile: at most {most:.3g} % here"
        )
    most_count = int(4 * order.width * order.height / (longest * (order.px(order.values["thickness"]) + 1))) + 1
    if order.values["density"] > most_count:
        raise BadValue(
            "density", order.values["density"], f"fibres of this size leave no ground: at most {most_count} here"
        )


def flat(values: Mapping[str, Any]) -> bool:
    """Fibres of the ground's own tone are not seen."""
    return abs(values["tone"] - values["ground_tone"]) < 0.05 and values["variation"] < 0.1


SOURCES.add(
    "fibres",
    Source(
        "fibres", "Fibres", "generated", "Thin curved threads, in one direction or in all.", VALUES, render, "noise",
        check, flat=flat,
    ),
)  # fmt: skip
