"""Sparks: points of light with a soft halo and rays, on nothing. Light adds up; the tile's border can stay empty."""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from math import pi, radians
from typing import Any

import numpy as np

from orvix.errors import BadValue
from orvix.pictures.colours import hex_to_rgb
from orvix.registry import Value
from orvix.tiles.lattices import numbers
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Source
from orvix.tiles.sources.splats import FINE, LIGHTER, Marks, lay_marks

RAY_PARTS = 10
VALUES = (
    Value(
        "points", "Points", "whole", 1, "Number of lights. One is in the middle.", low=1,
        high=200,
    ),
    Value("core", "Core", "number", 3.0, "Size of the bright core.", "% of width", low=0.2, high=40),
    Value("halo", "Halo", "number", 22.0, "Size of the halo.", "% of width", low=0, high=60),
    Value("glow", "Glow", "number", 0.45, "Strength of the halo.", low=0, high=1),
    Value("rays", "Rays", "whole", 6, "Number of rays per light.", low=0, high=24),
    Value("length", "Ray length", "number", 34.0, "Length of the rays.", "% of width", low=1, high=60),
    Value("strength", "Ray strength", "number", 0.6, "Brightness of the rays.", low=0, high=1),
    Value(
        "turn", "Rotation", "number", 90.0, "Direction of the first ray, anticlockwise from right.", "°", low=0,
        high=360,
    ),
    Value("uneven", "Uneven", "number", 0.3, "Variation in size, rotation and rays.", low=0, high=1),
    Value("colour", "Colour", "colour", "#ffdc96", "Colour of the light. The brightest parts turn white."),
    Value("rim", "Empty rim", "number", 6.0, "Width of the transparent border.", "% of width", low=0, high=40),
)  # fmt: skip
_SALT = 71


def render(order: Order) -> Pixels:
    """The window asked for: light as premultiplied colour whose alpha is the light itself."""
    values = order.values
    names = ("core", "halo", "glow", "length", "strength", "turn", "uneven", "rim")
    given = tuple(float(values[name]) for name in names)
    light = np.zeros((order.window.height, order.window.width), np.float32)
    marks = shining(order.width, order.height, order.seed, int(values["points"]), int(values["rays"]), given)
    lay_marks(light, light, marks, order, LIGHTER)
    if values["rim"] > 0:
        light *= _rim(order)
    colour = np.asarray(hex_to_rgb(values["colour"]), np.float32)
    alpha = np.clip(light, 0, 1)
    white = np.clip(light - np.float32(0.8), 0, 1)[..., None] * np.float32(0.8)
    rgb = (colour + (1 - colour) * white) * alpha[..., None]
    pixels = np.empty((*light.shape, 4), np.uint16)
    pixels[..., 3] = alpha * np.float32(65535) + np.float32(0.5)
    pixels[..., :3] = np.minimum((rgb * np.float32(65535) + np.float32(0.5)).astype(np.uint16), pixels[..., 3:])
    return pixels


def _rim(order: Order) -> np.ndarray[tuple[int, int], np.dtype[np.float32]]:
    """0 in the rim of every copy of the tile, rising to 1 over the rim's own width inside."""
    window, moved = order.window, order.repeat.stagger_px(order.width, order.height)
    x = np.arange(window.left, window.left + window.width)[None, :]
    y = np.arange(window.top, window.top + window.height)[:, None]
    if order.repeat.kind == "half-drop":
        y = y - (x // order.width) * moved
    elif order.repeat.kind == "brick":
        x = x - (y // order.height) * moved
    x, y = x % order.width, y % order.height
    near = np.minimum(np.minimum(x, order.width - 1 - x), np.minimum(y, order.height - 1 - y)).astype(np.float32)
    rim = np.float32(max(order.px(order.values["rim"]), 1))
    share = np.clip((near - rim) / rim, 0, 1)
    return share * share * (3 - 2 * share)


@lru_cache(8)
def shining(width: int, height: int, seed: int, points: int, rays: int, given: tuple[float, ...]) -> Marks:
    """Discs and tapering rays of every point; given: core, halo, glow, length, strength, turn, uneven, rim."""
    core, halo, glow, length, strength, turn, uneven, rim = given
    px = width / 100
    chance = numbers(seed, _SALT, points, 4).astype(np.float64)
    ray_chance = numbers(seed, _SALT + 1, points, max(rays, 1)).astype(np.float64)
    free = np.array([max(width - 4 * rim * px, 1), max(height - 4 * rim * px, 1)])
    middles = np.array([width, height]) / 2 + (chance[:, :2] - 0.5) * free * (points > 1)
    ends, shapes = [], []
    for middle, (_, __, size_chance, turn_chance), each in zip(middles, chance, ray_chance, strict=True):
        size = 1 - 0.75 * uneven * size_chance * (points > 1)
        for radius, soft, bright in (
            (core / 4, core / 2, 1.0),
            (0.05, halo, glow * 0.7),
            (0.05, halo / 2.4, glow * 0.6),
        ):
            if soft > 0 and bright > 0:
                ends.append((*middle, *middle))
                shapes.append((radius * px * size, 2 * soft * px * size, 0.0, bright))
        first = -radians(turn) - 2 * pi * uneven * turn_chance * (points > 1)
        for n in range(rays):
            angle = first - 2 * pi * n / rays
            reach = length * px * size * (1 - 0.6 * uneven * each[n])
            way = np.array([np.cos(angle), np.sin(angle)]) * reach
            for part in range(RAY_PARTS):
                start, stop = part / RAY_PARTS, (part + 1) / RAY_PARTS
                ends.append((*(middle + way * start), *(middle + way * stop)))
                thick = max(core * px * size * 0.22 * (1 - stop), 0.3)
                shapes.append((thick / 2, 2 * thick, 0.0, 0.5 * strength * (1 - start) ** 1.6))
    return Marks(np.rint(np.array(ends) * FINE).astype(np.int64), np.array(shapes, np.float32))


def check(order: Order) -> None:
    """Light must fit into its tile; all of it into the time a painter waits."""
    values = order.values
    reach = order.px(max(values["halo"], values["length"], values["core"]))
    if reach > order.height:
        name = max(("halo", "length", "core"), key=lambda one: values[one])
        raise BadValue(
            name, f"{values[name]:g}", f"reaches past its tile: at most {100 * order.height / order.width:.3g} % here"
        )
    if 2 * order.px(values["rim"]) > 0.8 * min(order.width, order.height):
        most = 40 * min(order.width, order.height) / order.width
        raise BadValue("rim", f"{values['rim']:g}", f"leaves no room for light: at most {most:.3g} % here")
    area = values["points"] * (order.px(values["halo"]) * 2.4) ** 2
    if area > 60 * order.width * order.height:
        most_points = max(int(60 * order.width * order.height * values["points"] / area), 1)
        raise BadValue(
            "points", values["points"], f"halos of this size cover the tile many times over: at most {most_points}"
        )


def flat(values: Mapping[str, Any]) -> bool:
    """Faint or tiny lights are hardly seen."""
    return values["core"] < 2 or values["rim"] > 20


SOURCES.add(
    "sparks",
    Source(
        "sparks", "Sparks", "generated", "Points of light with halo and rays, on transparency.", VALUES, render,
        "light",
        check, flat=flat,
    ),
)  # fmt: skip
