"""The canvas itself changed: cut or extended, resampled, turned, flattened, given another resolution or ground."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from functools import partial
from math import floor
from typing import Any

import numpy as np

from orvix.canvases.canvas import CANVAS_VALUES, Canvas, CanvasSpec
from orvix.canvases.layers import Change, Layer, block_numbers, check_stack
from orvix.canvases.operations.chosen import fresh_number
from orvix.canvases.operations.move import whole
from orvix.canvases.operations.registry import OPERATIONS, Operation, Told, px_at_times
from orvix.canvases.outlines import Places
from orvix.canvases.resizing import mapped_values, reframe, resample, turned
from orvix.canvases.taking import together
from orvix.errors import BadValue, UnknownName
from orvix.geometry import MOST_SIDE
from orvix.registry import check_colour, check_values

TURNS = ("right", "left", "half", "across", "down")
_SIDE, _PPI = CANVAS_VALUES[0], CANVAS_VALUES[2]


def crop(canvas: Canvas, told: Told) -> Change:
    """told: x, y, where the first px of the new frame lies; width, height. What reaches beyond the canvas extends it.

    With open edges that is bare; with joined ones it shows what lies there on the cloth.
    """
    width, height = (replace(_SIDE, name=name).check(told.get(name)) for name in ("width", "height"))
    x, y = (whole(name, told.get(name, 0)) for name in ("x", "y"))
    box = canvas.spec.box
    if x >= box[2] or y >= box[3] or x + width <= 0 or y + height <= 0:
        raise BadValue("frame", [x, y, width, height], "The new frame misses the canvas. Move it over the canvas.")
    if (x, y, width, height) == box:
        return Change()
    return reframe(canvas, replace(canvas.spec, width=width, height=height), x, y)


def resampled(canvas: Canvas, told: Told) -> Change:
    """told: width, height in px. All that is on the canvas is resampled."""
    width, height = (replace(_SIDE, name=name).check(told.get(name)) for name in ("width", "height"))
    spec = replace(canvas.spec, width=width, height=height)
    return Change() if spec == canvas.spec else resample(canvas, spec)


def turn(canvas: Canvas, told: Told) -> Change:
    """told: way, one of TURNS: a quarter to the right or left, half round, or turned over across or down.

    Fills are turned with it; one that would have to be turned over is refused. Shapes go by their points.
    """
    way = told.get("way")
    if way not in TURNS:
        raise UnknownName("way to turn", way, list(TURNS))
    spec = canvas.spec
    if spec.joined is not None and way in ("right", "left") and spec.joined.repeat.kind != "straight":
        rule = "A quarter turn would swap staggered rows and columns. Rotate by 180°, or set the edges to Open."
        raise BadValue("way", way, rule)
    turns: dict[str, Any] = {
        "right": partial(np.rot90, k=-1), "left": np.rot90, "half": partial(np.rot90, k=2), "across": np.fliplr,
        "down": np.flipud,
    }  # fmt: skip
    sides = (spec.height, spec.width) if way in ("right", "left") else (spec.width, spec.height)
    values = partial(
        _turned_values, matrix=_turn_matrix(way, spec), degrees={"right": 90, "left": 270, "half": 180}.get(way)
    )
    return turned(canvas, replace(spec, width=sides[0], height=sides[1]), turns[way], values)


def _turn_matrix(way: str, spec: CanvasSpec) -> Places:
    wide, high = float(spec.width), float(spec.height)
    matrices = {
        "right": [[0, -1, high], [1, 0, 0]], "left": [[0, 1, 0], [-1, 0, wide]], "half": [[-1, 0, wide], [0, -1, high]],
        "across": [[-1, 0, wide], [0, 1, 0]], "down": [[1, 0, 0], [0, -1, high]],
    }  # fmt: skip
    return np.array(matrices[way], np.float64)


def frame_matrix(kind: str, told: Told, before: CanvasSpec) -> Places | None:
    """Where places of a canvas go by a change of its frame, (2, 3), or None where they stay. before: its spec then."""
    if kind == "crop":
        return np.array([[1.0, 0, -told.get("x", 0)], [0, 1.0, -told.get("y", 0)]])
    if kind == "resample":
        return np.array([[told["width"] / before.width, 0, 0], [0, told["height"] / before.height, 0]])
    return _turn_matrix(told["way"], before) if kind == "turn" else None


def _turned_values(layer: Layer, matrix: Any, degrees: int | None) -> Layer:
    fill = layer.fill
    if fill is None or fill.colour:
        return mapped_values(layer, matrix)
    if degrees is None:
        raise BadValue("layer", layer.name, "is a fill and cannot be flipped. Merge it into a paint layer first.")
    x, y = matrix @ (fill.x, fill.y, 1)
    return replace(layer, fill=replace(fill, turn=(fill.turn + degrees) % 360, x=floor(x + 0.5), y=floor(y + 0.5)))


def flatten(canvas: Canvas, told: Told) -> Change:
    """All that is seen becomes one paint layer, and everything else goes. told: layer, the number of the new one."""
    number = fresh_number(told.get("layer"))
    if number in block_numbers(canvas.stack):
        raise BadValue("layer", number, "must be a number that no layer of this canvas has had")
    for one in canvas.stack:
        canvas.refuse_locked(one)
    shown = together(canvas, [one for one in canvas.stack if not one.parent], told.get("tile_of"))
    change = Change(stack=canvas.restack(check_stack((Layer(number, "Flattened"),))))
    for key, picture in shown.items():
        if picture is not None and picture.any():
            change.blocks[(number, key)] = canvas.put((number, key), picture)
    for gone in block_numbers(change.stack or ()):
        change.blocks |= canvas.without(gone).blocks
    return change


def sheet(canvas: Canvas, told: Told) -> Change:
    """told: ppi, how many px print on one inch; ground, `#rrggbb` or none: what lies under everything."""
    spec = canvas.spec
    if "ppi" in told:
        spec = replace(spec, ppi=check_values((_PPI,), {"ppi": told["ppi"]}, "canvas")["ppi"])
    if "ground" in told:
        spec = replace(spec, ground=check_colour("ground", told["ground"]) if told["ground"] else None)
    return Change() if spec == canvas.spec else Change(spec=canvas.respec(spec))


def _crop_at_times(told: Told, times: Fraction) -> Told:
    larger = px_at_times(told, times, "x", "y", "width", "height")
    return {**larger, **{name: min(larger[name], MOST_SIDE) for name in ("width", "height")}}


OPERATIONS.add("crop", Operation("crop", "Crop or extend", ("x", "y", "width", "height"), crop, _crop_at_times))
OPERATIONS.add("resample", Operation("resample", "Resample", ("width", "height"), resampled, _crop_at_times))
OPERATIONS.add("turn", Operation("turn", "Rotate canvas", ("way",), turn))
OPERATIONS.add("flatten", Operation("flatten", "Flatten", ("layer",), flatten, needs=("tiles",), strokes="merges"))
OPERATIONS.add("sheet", Operation("sheet", "Resolution and ground", ("ppi", "ground"), sheet))
