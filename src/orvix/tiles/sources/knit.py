"""Knit: columns of stitches, each two slanted legs of yarn that pass through the stitch below."""

from __future__ import annotations

from collections.abc import Mapping
from math import hypot
from typing import Any

import numpy as np

from orvix.errors import BadValue
from orvix.pictures.packing import grey_to_pixels
from orvix.registry import Value
from orvix.tiles.lattices import Lattice, closing_lattice
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Source

VALUES = (
    Value("across", "Stitches across", "whole", 12, "Number of stitches across.", low=1, high=256),
    Value("height", "Stitch height", "number", 0.75, "Height of a stitch, in widths.", low=0.4, high=1.5),
    Value("yarn", "Yarn", "number", 0.42, "Thickness of the yarn, in stitches.", low=0.15, high=0.6),
    Value("tone", "Tone", "number", 0.75, "Lightness of the yarn.", low=0, high=1),
    Value("gap_tone", "Gap tone", "number", 0.15, "Tone between the stitches.", low=0, high=1),
    Value("twist", "Twist", "number", 0.4, "Strength of the twist in the yarn.", low=0, high=1),
    Value("variation", "Variation", "number", 0.15, "How much the tone varies from stitch to stitch.", low=0, high=1),
)  # fmt: skip
_SALT = 67


def lattice_of(order: Order) -> Lattice:
    """The stitches."""
    w = order.width / order.values["across"]
    return closing_lattice(
        order.width, order.height, order.repeat, (w, 0.0), (0.0, w * order.values["height"]), level=True
    )


def render(order: Order) -> Pixels:
    """The window asked for: for each px the front one of the legs that reach it, of this row and the two beside."""
    values = order.values
    lattice = lattice_of(order)
    (px, py), (qx, qy) = lattice.vectors
    wide, high = hypot(px, py), hypot(qx, qy)
    at = lattice.places(order.window)
    # Both legs are mirror pictures: x runs outwards from the stitch's middle, 0 to 0.5.
    x = np.abs(at.u - np.float32(0.5))
    chance = lattice.numbers(order.seed, _SALT, 1)[:, 0]
    grey = np.full(x.shape, values["gap_tone"], np.float32)
    radius = np.float32(values["yarn"] / 2)
    tall = np.float32(high / wide)
    # A leg runs from the middle low down to the outside high up, over one row and a half.
    start, end = (np.float32(0.10), np.float32(1.12)), (np.float32(0.40), np.float32(-0.38))
    way = (end[0] - start[0], (end[1] - start[1]) * tall)
    length = np.float32(hypot(*(float(part) for part in way)))
    for row in (1, 0, -1):
        y = (at.v - np.float32(row)) * tall
        dx, dy = x - start[0], y - start[1] * tall
        along = np.clip((dx * way[0] + dy * way[1]) / (length * length), 0, 1)
        ex, ey = dx - along * way[0], dy - along * way[1]
        far = np.sqrt(ex * ex + ey * ey) / radius
        cover = np.clip((1 - far) * radius * np.float32(wide) + np.float32(0.5), 0, 1)
        identity = lattice.identity(at.i, at.j + np.int32(row))
        tone = np.float32(values["tone"]) * (1 - np.float32(0.5) * far * far)
        strands = np.sin((along * length / radius * np.float32(2.2) + ex / radius) * np.float32(3.0))
        tone = tone * (1 + np.float32(0.16 * values["twist"]) * strands)
        tone = tone + (chance[identity] - np.float32(0.5)) * np.float32(values["variation"])
        grey += (np.clip(tone, 0, 1) - grey) * cover
    return grey_to_pixels(grey)


def check(order: Order) -> None:
    """Stitches must be large enough to be seen, and fit their tile."""
    w = order.width / order.values["across"]
    if w < 4:
        raise BadValue(
            "across", order.values["across"], f"stitches are at least 4 px: at most {max(order.width // 4, 1)} here"
        )
    if w * order.values["height"] > 1.5 * order.height:
        least = int(order.width * order.values["height"] / (1.5 * order.height)) + 1
        raise BadValue("across", order.values["across"], f"a stitch is larger than its tile: at least {least} here")


def flat(values: Mapping[str, Any]) -> bool:
    """Yarn of the gap's tone is hardly seen."""
    return abs(values["tone"] - values["gap_tone"]) < 0.2 or values["tone"] < 0.15


SOURCES.add(
    "knit",
    Source("knit", "Knit", "generated", "Columns of stitches.", VALUES, render, "weaves", check, flat=flat),
)  # fmt: skip
