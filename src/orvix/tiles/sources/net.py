"""Net mesh: knotted twine in rhombs, slack between its knots; on a ground or on nothing."""

from __future__ import annotations

from collections.abc import Mapping
from math import hypot
from typing import Any

import numpy as np

from orvix.errors import BadValue
from orvix.pictures.colours import hex_to_rgb
from orvix.pictures.packing import straight_to_pixels
from orvix.registry import Value
from orvix.tiles.lattices import Lattice, closing_lattice
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Plane, Source

VALUES = (
    Value("across", "Meshes across", "whole", 6, "Number of meshes across.", low=1, high=128),
    Value("height", "Mesh height", "number", 1.2, "Height of a mesh, in widths.", low=0.3, high=3),
    Value("twine", "Twine", "number", 0.9, "Thickness of the twine.", "% of width", low=0.1, high=8),
    Value("slack", "Slack", "number", 0.3, "Slack of the twine between knots.", low=0, high=1),
    Value("knots", "Knots", "number", 1.6, "Size of the knots, in twine widths. 0 removes them.", low=0, high=4),
    Value("colour", "Twine colour", "colour", "#d9d2bd", "The colour of the twine."),
    Value(
        "ground", "Ground", "choice", "colour", "Colour or transparency behind the net.",
        choices=("colour", "nothing"),
    ),
    Value("ground_colour", "Ground colour", "colour", "#24414c", "The colour behind the net."),
)  # fmt: skip


def lattice_of(order: Order) -> Lattice:
    """The knots: p runs down to the right, q down to the left."""
    w = order.width / order.values["across"]
    h = w * order.values["height"]
    return closing_lattice(order.width, order.height, order.repeat, (w / 2, -h / 2), (w / 2, h / 2))


def render(order: Order) -> Pixels:
    """The window asked for."""
    values = order.values
    lattice = lattice_of(order)
    at = lattice.places(order.window)
    (px, py), (qx, qy) = lattice.vectors
    area = px * qy - py * qx
    sag = np.float32(0.16 * values["slack"])
    u = at.u + sag * np.sin(np.float32(np.pi) * at.v) ** 2
    v = at.v + sag * np.sin(np.float32(np.pi) * at.u) ** 2
    to_u, to_v = np.float32(area / hypot(qx, qy)), np.float32(area / hypot(px, py))
    along_u = np.minimum(u, np.abs(1 - u)) * to_u
    along_v = np.minimum(v, np.abs(1 - v)) * to_v
    radius = np.float32(order.px(values["twine"]) / 2)
    far = np.minimum(along_u, along_v)
    cover = np.clip(radius - far + np.float32(0.5), 0, 1)
    if values["knots"] > 0:
        size = radius * np.float32(max(values["knots"], 1))
        knot = _to_knot(at.u, at.v, lattice)
        cover = np.maximum(cover, np.clip(size - knot + np.float32(0.5), 0, 1))
        far = np.where(knot < size, knot * radius / size, far)
    shade = 1 - np.float32(0.45) * np.clip(far / np.maximum(radius, np.float32(0.5)), 0, 1) ** 2
    twine = np.asarray(hex_to_rgb(values["colour"]), np.float32) * shade[..., None]
    if values["ground"] == "nothing":
        return straight_to_pixels(twine, cover)
    ground = np.asarray(hex_to_rgb(values["ground_colour"]), np.float32)
    return straight_to_pixels(ground + (twine - ground) * cover[..., None])


def _to_knot(u: Plane, v: Plane, lattice: Lattice) -> Plane:
    (px, py), (qx, qy) = (tuple(np.float32(one) for one in vector) for vector in lattice.vectors)
    best = None
    for corner_u in (0, 1):
        for corner_v in (0, 1):
            du, dv = u - np.float32(corner_u), v - np.float32(corner_v)
            x, y = du * px + dv * qx, du * py + dv * qy
            far = x * x + y * y
            best = far if best is None else np.minimum(best, far)
    assert best is not None
    return np.sqrt(best)


def check(order: Order) -> None:
    """The twine must leave a mesh open, and a mesh must fit its tile."""
    w = order.width / order.values["across"]
    narrow = w * min(1, order.values["height"])
    twine = order.px(order.values["twine"])
    if twine > 0.4 * narrow:
        raise BadValue(
            "twine", f"{order.values['twine']:g}", f"fills its mesh: at most {40 * narrow / order.width:.3g} % here"
        )
    if w * order.values["height"] > 2 * order.height:
        raise BadValue(
            "height",
            f"{order.values['height']:g}",
            f"a mesh is larger than its tile: at most {2 * order.height / w:.3g} here",
        )


def flat(values: Mapping[str, Any]) -> bool:
    """Twine of the ground's colour, or black on nothing, is hardly seen."""
    twine, ground = hex_to_rgb(str(values["colour"])), hex_to_rgb(str(values["ground_colour"]))
    return values["ground"] == "colour" and max(abs(a - b) for a, b in zip(twine, ground, strict=True)) < 0.1


SOURCES.add(
    "net",
    Source("net", "Net mesh", "generated", "Knotted twine in diamond meshes.", VALUES, render, "weaves", check,
        flat=flat),
)  # fmt: skip
