"""Specks: many small marks scattered over the tile, evenly, by chance or in clusters."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from math import pi
from typing import Any

import numpy as np

from orvix.errors import BadValue
from orvix.pictures.packing import grey_to_pixels
from orvix.registry import Value
from orvix.tiles.lattices import numbers
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Source
from orvix.tiles.sources.splats import FINE, Marks, lay_marks

VALUES = (
    Value("density", "Density", "whole", 400, "Number of specks.", "specks", low=1, high=20000),
    Value("size", "Size", "number", 1.6, "Size of the specks.", "% of width", low=0.05, high=25),
    Value("sizes", "Uneven sizes", "number", 0.6, "Variation in size. 0 is all alike.", low=0, high=1),
    Value("roundness", "Roundness", "number", 0.7, "1 is round, lower is longer.", low=0.1, high=1),
    Value("clustering", "Clustering", "number", 0.3, "How much specks gather in clumps.", low=0, high=1),
    Value("softness", "Softness", "number", 0.15, "Softness of the edges.", low=0, high=1),
    Value("tone", "Tone", "number", 0.12, "Lightness of the specks.", low=0, high=1),
    Value("variation", "Variation", "number", 0.3, "Variation in tone.", low=0, high=1),
    Value("ground_tone", "Ground tone", "number", 0.86, "Lightness of the ground.", low=0, high=1),
)  # fmt: skip
_SALT = 53


def render(order: Order) -> Pixels:
    """The window asked for."""
    values = order.values
    plane = np.full((order.window.height, order.window.width), values["ground_tone"], np.float32)
    given = tuple(
        float(values[name]) for name in ("size", "sizes", "roundness", "clustering", "softness", "tone", "variation")
    )
    lay_marks(
        plane,
        np.zeros_like(plane),
        scattered(order.width, order.height, order.seed, int(values["density"]), given),
        order,
    )
    return grey_to_pixels(plane)


@lru_cache(8)
def scattered(width: int, height: int, seed: int, count: int, given: tuple[float, ...]) -> Marks:
    """The marks of these values; given: size, sizes, roundness, clustering, softness, tone, variation."""
    size, sizes, roundness, clustering, softness, tone, variation = given
    chance = numbers(seed, _SALT, count, 8).astype(np.float64)
    heaps = numbers(seed, _SALT + 1, max(count // 24, 1), 2).astype(np.float64)
    heap = heaps[(chance[:, 6] * len(heaps)).astype(int) % len(heaps)]
    # A heap's specks lie around it at distances of a bell curve (Box and Muller, 1958), a twelfth of the tile wide.
    far = np.sqrt(-2 * np.log(np.maximum(1 - chance[:, 0], 1e-9))) * 0.06
    around = heap + far[:, None] * np.stack([np.cos(2 * pi * chance[:, 1]), np.sin(2 * pi * chance[:, 1])], axis=1)
    gathered = chance[:, 7] < clustering
    places = np.where(gathered[:, None], around, chance[:, :2]) % 1.0
    middle = places * (width, height)
    radius = size / 200 * width * (1 - sizes * chance[:, 2] ** 0.6)
    length = radius * (1 / roundness - 1)
    turn = 2 * pi * chance[:, 3]
    reach = np.stack([np.cos(turn), np.sin(turn)], axis=1) * length[:, None]
    ends = np.rint(np.concatenate([middle - reach, middle + reach], axis=1) * FINE).astype(np.int64)
    shapes = np.empty((count, 4), np.float32)
    shapes[:, 0], shapes[:, 1] = radius, 2 * radius * softness
    shapes[:, 2] = np.clip(tone + (chance[:, 4] - 0.5) * variation, 0, 1)
    shapes[:, 3] = np.minimum(1, radius / 0.5)
    return Marks(ends, shapes)


def check(order: Order) -> None:
    """A speck must fit into its tile, and all of them leave some ground."""
    size, count = order.px(order.values["size"]), order.values["density"]
    longest = size / order.values["roundness"]
    if longest > min(order.width, order.height):
        most = 100 * min(order.width, order.height) * order.values["roundness"] / order.width
        raise BadValue(
            "size", f"{order.values['size']:g}", f"a speck must fit into its tile: at most {most:.3g} % here"
        )
    most_count = max(int(2 * order.width * order.height / (size * longest + 1)), 1)
    if count > most_count:
        raise BadValue("density", count, f"specks of this size leave no ground: at most {most_count} here")


def flat(values: Mapping[str, Any]) -> bool:
    """A few tiny specks, or those of the ground's own tone, are hardly seen."""
    return values["density"] * values["size"] ** 2 < 4 or (
        abs(values["tone"] - values["ground_tone"]) < 0.05 and values["variation"] < 0.1
    )


SOURCES.add(
    "specks",
    Source(
        "specks", "Specks", "generated", "Small marks scattered over the tile.", VALUES, render, "noise", check,
        flat=flat,
    ),
)  # fmt: skip
