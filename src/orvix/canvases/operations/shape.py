"""Shape: a layer of outlines made, or made anew; it stays editable, its pixels are worked out from its values."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from typing import Any

import numpy as np

from orvix.canvases import outlines
from orvix.canvases.canvas import Canvas
from orvix.canvases.layers import Change, Layer, check_stack
from orvix.canvases.operations.chosen import fresh_number
from orvix.canvases.operations.registry import OPERATIONS, Operation, Told, px_at_times
from orvix.canvases.outlines import Outline, Piece
from orvix.canvases.shaping import shape_pixels
from orvix.errors import BadValue, UnknownName
from orvix.strokes.loaded import LoadedBrush

MAKES = ("rectangle", "ellipse", "polygon", "drawn")


def no_brush(version: int) -> LoadedBrush:
    """Where there are no brushes; raises BadValue."""
    raise BadValue("brush", version, "This brush no longer exists.")


def run(canvas: Canvas, told: Told) -> Change:
    """told: layer, a shape layer, or the first of two numbers that no layer has had; shape, its values; make.

    A new one lies over the layer `over`. make: a further piece of it, by what a hand did; see `made`.
    """
    number = fresh_number(told.get("layer"))
    given = dict(told["shape"]) if isinstance(told.get("shape"), dict) else {}
    if told.get("make") is not None:
        piece = made(told["make"])
        fresh = {"points": [list(at) for at in piece.points], "closed": piece.closed, "colour": piece.colour}
        given["pieces"] = [*(given.get("pieces") or []), fresh]
    shape = Outline.parse(given)
    layer = next((one for one in canvas.stack if one.id == number), None)
    if layer is not None and layer.shape is None:
        raise BadValue("layer", layer.name, "is no shape")
    border = number + 1 if layer is None else layer.border
    if layer is not None:
        canvas.refuse_locked(layer)
        stack = tuple(replace(one, shape=shape) if one.id == number else one for one in canvas.stack)
    else:
        name = str(told.get("name") or "Shape")[:60]
        made_now = Layer(number, name, kind="shape", shape=shape, border=border)
        stack = over_layer(canvas, made_now, told.get("over"))
    filled, outlined = shape_pixels(canvas.spec, shape, told.get("brush_of") or no_brush)
    change = Change(stack=canvas.restack(check_stack(stack)))
    for at, blocks in ((number, filled), (border, outlined)):
        for key in {*canvas.layer_blocks(at).keys(), *blocks.keys()}:
            change.blocks[(at, key)] = canvas.put((at, key), blocks.get(key))
    return change


def over_layer(canvas: Canvas, fresh: Layer, over: Any) -> tuple[Layer, ...]:
    """The stack with a fresh layer over another, in the same group."""
    under = canvas.layer_of(over) if isinstance(over, int) else canvas.stack[-1]
    at = canvas.stack.index(under) + 1
    return (*canvas.stack[:at], replace(fresh, parent=under.parent), *canvas.stack[at:])


def made(told: Any) -> Piece:
    """A piece by what a hand did; raises BadValue.

    told: kind; start and end, places [x, y]; sides of a polygon, whose middle is its start; or places that were drawn,
    whether they are closed, and whether they are taken to their true form.
    """
    kind = told.get("kind") if isinstance(told, dict) else None
    if kind not in MAKES:
        raise UnknownName("kind of shape", kind, list(MAKES))
    if kind == "drawn":
        closed, true_form = told.get("closed", False), told.get("true_form", False)
        if not isinstance(closed, bool) or not isinstance(true_form, bool):
            raise BadValue("closed", closed, "must be true or false, and so must true_form")
        return replace(outlines.drawn(told.get("places"), closed, true_form=true_form), colour=_colour(told))
    ends = [told.get("start"), told.get("end")]
    for name, end in zip(("start", "end"), ends, strict=True):
        good = isinstance(end, list) and len(end) == 2 and all(type(n) in (int, float) for n in end)
        if not good or not all(abs(n) <= outlines.FARTHEST for n in end):
            raise BadValue(name, str(end)[:60], "must be a place, [x, y] in px")
    (x0, y0), (x1, y1) = ends  # type: ignore[misc]
    if max(abs(x1 - x0), abs(y1 - y0)) < 1:
        raise BadValue("end", ends[1], "must be at least 1 px from the start")
    if kind == "polygon":
        turn = float(np.arctan2(y1 - y0, x1 - x0))
        return outlines.polygon(x0, y0, float(np.hypot(x1 - x0, y1 - y0)), told.get("sides", 6), turn)
    if kind == "rectangle":
        return outlines.rectangle(min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1))
    return outlines.ellipse((x0 + x1) / 2, (y0 + y1) / 2, abs(x1 - x0) / 2, abs(y1 - y0) / 2)


def _colour(told: Any) -> str:
    return str(told.get("colour") or "")


def make_at_times(told: Any, times: Fraction) -> Any:
    """What a hand did to make a piece, on a canvas that is so many times larger."""
    if not isinstance(told, dict):
        return told
    places = {"places": [[float(times) * n for n in at] for at in told["places"]]} if told.get("places") else {}
    return {**px_at_times(told, times, "start", "end"), **places}


def _at_times(told: Told, times: Fraction) -> Told:
    larger = {**told, "make": make_at_times(told.get("make"), times)}
    shape = told["shape"] if isinstance(told.get("shape"), dict) else {}
    if shape.get("pieces"):
        return {**larger, "shape": Outline.parse(shape).at_times(times).as_dict()}
    return {**larger, "shape": {**shape, "times": str(times)}}


def _brush(told: Told) -> int:
    return told["shape"].get("brush") or 0


def _with_brush(told: Told, version: int) -> Told:
    return {**told, "shape": {**told["shape"], "brush": version}}


OPERATIONS.add(
    "shape",
    Operation(
        "shape", "Shape", ("layer", "name", "over", "shape", "make"), run, _at_times, needs=("brushes",), tried=True,
        brush=_brush, with_brush=_with_brush,
    ),
)  # fmt: skip
