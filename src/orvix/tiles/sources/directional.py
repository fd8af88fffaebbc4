"""Directional noise: streaks of a length and a width along one direction, as on brushed metal or combed wood."""

from __future__ import annotations

from math import cos, radians, sin

import numpy as np

from orvix.errors import BadValue
from orvix.pictures.packing import grey_to_pixels
from orvix.registry import Value
from orvix.tiles.lattices import Lattice, closing_lattice
from orvix.tiles.sources.noise import octaves
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Source

VALUES = (
    Value("length", "Length", "number", 30.0, "Length of the streaks.", "% of width", low=1, high=100),
    Value("width", "Width", "number", 1.0, "Width of the streaks.", "% of width", low=0.3, high=25),
    Value(
        "direction", "Direction", "number", 0.0, "Direction, anticlockwise from right.", "°", low=0, high=180,
    ),
    Value("octaves", "Octaves", "whole", 3, "Number of finer layers.", low=1, high=5),
    Value("roughness", "Roughness", "number", 0.6, "Strength of each finer layer.", low=0, high=1),
    Value("depth", "Depth", "number", 0.6, "Contrast between light and dark.", low=0.05, high=1),
)  # fmt: skip


def lattice_of(order: Order) -> Lattice:
    """Cells as long and as wide as the streaks."""
    long, wide = order.px(order.values["length"]), order.px(order.values["width"])
    c, s = cos(radians(order.values["direction"])), sin(radians(order.values["direction"]))
    return closing_lattice(order.width, order.height, order.repeat, (long * c, -long * s), (wide * s, wide * c))


def render(order: Order) -> Pixels:
    """The window asked for."""
    plane = octaves(order, lattice_of(order), 0, int(order.values["octaves"]), order.values["roughness"])
    return grey_to_pixels(plane * np.float32(2 * order.values["depth"]) + np.float32(0.5))


def check(order: Order) -> None:
    """Streaks are longer than wide and at least a px."""
    if order.values["length"] < order.values["width"]:
        raise BadValue("length", f"{order.values['length']:g}", f"at least the width, {order.values['width']:g} % here")
    if order.px(order.values["width"]) < 1:
        raise BadValue("width", f"{order.values['width']:g}", f"under a px: at least {100 / order.width:.3g} % here")


SOURCES.add(
    "directional",
    Source("directional", "Directional", "generated", "Streaks along one direction.", VALUES, render, "noise", check),
)  # fmt: skip
