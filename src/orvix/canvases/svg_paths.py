"""Paths of an SVG as pieces of a shape: what is drawn in it becomes outlines that stay editable."""

from __future__ import annotations

import io
from math import hypot

import svgelements as svg

from orvix.canvases.outlines import MOST_PIECES, MOST_POINTS, Piece, Point
from orvix.errors import BadValue
from orvix.tiles.motifs.svg import Svg

_NEAR_PX = 1e-6


def pieces_of(read: Svg) -> tuple[Piece, ...]:
    """The paths and basic shapes of a checked SVG, transforms applied, in px of the file; raises BadValue.

    A piece has the colour of its stroke, or of its fill where it has none. Arcs become cubic curves.
    """
    found: list[Piece] = []
    for element in svg.SVG.parse(io.StringIO(read.text), reify=True).elements():
        if not isinstance(element, svg.Shape):
            continue
        path = svg.Path(element)
        path.approximate_arcs_with_cubics()
        colour = next((one for one in (_hex(element.stroke), _hex(element.fill)) if one), "")
        for part in path.as_subpaths():
            piece = _piece(svg.Path(part), colour)
            if piece is not None:
                found.append(piece)
    if not found:
        raise BadValue("svg", "no path", "must have a path, or a shape that can be one")
    if len(found) > MOST_PIECES:
        raise BadValue("svg", f"{len(found)} paths", f"at most {MOST_PIECES} are taken at once")
    return tuple(found)


def _hex(colour: svg.Color | None) -> str:
    return "" if colour is None or colour.value is None or not colour.alpha else str(colour.hex)[:7]


def _piece(path: svg.Path, colour: str) -> Piece | None:
    points: list[list[float]] = []
    closed = False

    def go_on(to: svg.Point, after: tuple[float, float], before: tuple[float, float]) -> None:
        points[-1][4:] = after
        points.append([float(to.x), float(to.y), *before, 0.0, 0.0])

    for part in path:
        if isinstance(part, svg.Move):
            points = [[float(part.end.x), float(part.end.y), 0.0, 0.0, 0.0, 0.0]]
        elif isinstance(part, svg.CubicBezier):
            go_on(part.end, _away(part.start, part.control1), _away(part.end, part.control2))
        elif isinstance(part, svg.QuadraticBezier):
            first, last = (svg.Point.towards(end, part.control, 2 / 3) for end in (part.start, part.end))
            go_on(part.end, _away(part.start, first), _away(part.end, last))
        elif isinstance(part, svg.Close):
            closed = True
        else:
            go_on(part.end, (0.0, 0.0), (0.0, 0.0))
    if len(points) > 2 and hypot(points[0][0] - points[-1][0], points[0][1] - points[-1][1]) < _NEAR_PX:
        # The last point is the first one again.
        last = points.pop()
        points[0][2:4], closed = last[2:4], True
    if len(points) < 2:
        return None
    if len(points) > MOST_POINTS:
        raise BadValue("svg", f"a path of {len(points)} points", f"a path has at most {MOST_POINTS}")
    rounded = (tuple(round(64 * one) / 64 for one in at) for at in points)
    exact: list[Point] = [(a, b, c, d, e, f) for a, b, c, d, e, f in rounded]
    return Piece(tuple(exact), closed, colour)


def _away(at: svg.Point, handle: svg.Point) -> tuple[float, float]:
    return float(handle.x - at.x), float(handle.y - at.y)
