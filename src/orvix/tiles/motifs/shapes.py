"""Simple shapes made here, as SVG in one colour: ellipse, polygon, star, drop, lens, and a free outline with handles.

Every shape lies in a box of 100 x 100 px times its proportions; a registry, so that another is one more function.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from math import cos, pi, sin
from typing import Any

from orvix.errors import BadValue
from orvix.registry import Registry, Value, check_values
from orvix.tiles.motifs.svg import NAMESPACE, Svg

SIDE = 100.0
PROPORTION = Value("proportion", "Proportion", "number", 1.0, "Width divided by height.", low=0.1, high=10)
LEAF = [[0.5, 0.02, -0.3, 0.2, 0.3, 0.2], [0.5, 0.98, 0.36, -0.3, -0.36, -0.3]]
"""An outline to begin with: two points, each (x, y, handle before x, y, handle after x, y), in shares of the box."""


@dataclass(frozen=True)
class Shape:
    """path: from checked values to SVG path data in a box of 100 x 100."""

    name: str
    title: str
    values: tuple[Value, ...]
    path: Callable[[Mapping[str, Any]], str]


SHAPES: Registry[Shape] = Registry("shape")


def shape_svg(name: Any, values: Mapping[str, Any], colour: str) -> Svg:
    """A shape as a drawing; raises UnknownName or BadValue."""
    shape = SHAPES.get(name)
    checked = check_values(shape.values, values, f"shape {shape.name}")
    proportion = checked.get("proportion", 1.0)
    width, height = SIDE * min(proportion, 1.0), SIDE * min(1 / proportion, 1.0)
    text = (
        f'<svg xmlns="{NAMESPACE}" width="{width:g}" height="{height:g}" viewBox="0 0 100 100" '
        f'preserveAspectRatio="none"><path fill="{colour}" d="{shape.path(checked)}"/></svg>'
    )
    return Svg(text, width, height, (colour,))


def _round_path(points: list[tuple[float, float]]) -> str:
    return "M" + " L".join(f"{x:.4f} {y:.4f}" for x, y in points) + " Z"


def _ellipse(_: Mapping[str, Any]) -> str:
    return "M50 0 A50 50 0 1 1 50 100 A50 50 0 1 1 50 0 Z"


def _polygon(values: Mapping[str, Any]) -> str:
    sides = values["sides"]
    return _round_path([_on_circle(n / sides) for n in range(sides)])


def _star(values: Mapping[str, Any]) -> str:
    points = values["points"]
    return _round_path(
        [_on_circle(n / (2 * points), 1.0 if n % 2 == 0 else values["depth"]) for n in range(2 * points)]
    )


def _on_circle(turn: float, radius: float = 1.0) -> tuple[float, float]:
    return 50 + 50 * radius * sin(2 * pi * turn), 50 - 50 * radius * cos(2 * pi * turn)


def _drop(values: Mapping[str, Any]) -> str:
    wide = 50 * values["fullness"]
    return (
        f"M50 0 C50 22 {50 - wide:.4f} 42 {50 - wide:.4f} 66 A{wide:.4f} 34 0 0 0 {50 + wide:.4f} 66 "
        f"C{50 + wide:.4f} 42 50 22 50 0 Z"
    )


def _lens(values: Mapping[str, Any]) -> str:
    out = 100 * values["fullness"]
    return f"M50 0 Q{50 - out:.4f} 50 50 100 Q{50 + out:.4f} 50 50 0 Z"


def _outline(values: Mapping[str, Any]) -> str:
    points = values["points"]
    if len(points) < 2:
        raise BadValue("points", points, "an outline needs at least two points")
    at = [[100 * number for number in point] for point in points]
    told = [f"M{at[0][0]:.4f} {at[0][1]:.4f}"]
    for here, there in zip(at, [*at[1:], at[0]], strict=True):
        told.append(
            f"C{here[0] + here[4]:.4f} {here[1] + here[5]:.4f} {there[0] + there[2]:.4f} {there[1] + there[3]:.4f} "
            f"{there[0]:.4f} {there[1]:.4f}"
        )
    return " ".join(told) + " Z"


for _shape in (
    Shape("ellipse", "Ellipse", (PROPORTION,), _ellipse),
    Shape(
        "polygon", "Polygon",
        (PROPORTION, Value("sides", "Sides", "whole", 6, "Number of sides.", low=3, high=24)), _polygon,
    ),
    Shape(
        "star", "Star",
        (
            PROPORTION, Value("points", "Points", "whole", 5, "Number of points.", low=3, high=24),
            Value("depth", "Depth", "number", 0.42, "How deep the notches are.", low=0.05, high=0.95),
        ),
        _star,
    ),
    Shape(
        "drop", "Drop",
        (PROPORTION, Value("fullness", "Fullness", "number", 0.66, "How wide it is at the bottom.", low=0.1, high=1)),
        _drop,
    ),
    Shape(
        "lens", "Lens",
        (PROPORTION, Value("fullness", "Fullness", "number", 0.5, "How far the sides bulge.", low=0.05, high=1)), _lens,
    ),
    Shape(
        "outline", "Custom outline",
        (
            PROPORTION,
            Value("points", "Points", "points", LEAF, "The points of the outline.",
                low=-2, high=3, least=2, most=64, each=6),
        ),
        _outline,
    ),
):  # fmt: skip
    SHAPES.add(_shape.name, _shape)
