"""Pour: an area of like colours filled with a colour or a tile; and a gradient laid over a layer.

An area is what can be reached from a px without a step to a px whose colour, over the ground, differs from that px's by
more than the tolerance in any channel. With joined edges it goes on across them.
"""

from __future__ import annotations

from fractions import Fraction
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy import ndimage

from orvix.canvases.canvas import Canvas
from orvix.canvases.compositing import colour_to_unit, lay_atop, put_picture
from orvix.canvases.fills import Fill, FillBlocks
from orvix.canvases.layers import SELECTION, Change, Layer
from orvix.canvases.operations.registry import OPERATIONS, Operation, Told, px_at_times
from orvix.canvases.selection import confined
from orvix.errors import BadValue, UnknownName
from orvix.geometry import BLOCK, Key, block_box, clip, keys_in
from orvix.pictures.packing import flat_rgba8

MOST_PX = 8192 * 8192
MOST_GROWN = 64
SHAPES = ("linear", "round")
Mask = NDArray[np.bool_]


def area(canvas: Canvas, layer: int, x: int, y: int, tolerance: float, *, look_at_all: bool) -> Mask:
    """The area around a px of the canvas: (height, width). layer: looked at alone, over the ground, if not all are."""
    spec = canvas.spec
    seen = canvas.pixels() if look_at_all else canvas.layer_blocks(layer).whole()
    red, green, blue = (float(one) for one in colour_to_unit(spec.ground or "#ffffff"))
    flat = flat_rgba8(seen, (red, green, blue))[..., :3].astype(np.int16)
    like = (np.abs(flat - flat[y, x]).max(axis=2) <= 255 * tolerance).astype(bool)
    labels, count = ndimage.label(like)
    if spec.joined is None:
        return np.asarray(labels == labels[y, x])
    # Which labels meet across the borders, with the neighbours as they lie.
    around = spec.joined.cloth(labels, -1, -1, spec.height + 2, spec.width + 2)
    pairs = [
        (around[0, 1:-1], around[1, 1:-1]), (around[-1, 1:-1], around[-2, 1:-1]),
        (around[1:-1, 0], around[1:-1, 1]), (around[1:-1, -1], around[1:-1, -2]),
    ]  # fmt: skip
    reached = np.zeros(count + 1, bool)
    reached[labels[y, x]] = True
    while True:
        before = reached.sum()
        for one, other in pairs:
            both = (one > 0) & (other > 0)
            for a, b in ((one[both], other[both]), (other[both], one[both])):
                reached[b[reached[a]]] = True
        if reached.sum() == before:
            return np.asarray(reached[labels] & (labels > 0))


def pour(canvas: Canvas, told: Told) -> Change:
    """told: layer, x, y, tolerance 0 to 1, all (look at all layers), grow px; colour, or fill with a tile."""
    layer = _paintable(canvas, told)
    spec = canvas.spec
    x, y = (within_canvas(name, told.get(name), side) for name, side in (("x", spec.width), ("y", spec.height)))
    tolerance, grow = check_tolerance(told.get("tolerance", 0.1)), told.get("grow", 0)
    if type(grow) is not int or not 0 <= grow <= MOST_GROWN:
        raise BadValue("grow", grow, f"must be 0 to {MOST_GROWN} px")
    if not isinstance(told.get("all", False), bool):
        raise BadValue("all", told["all"], "must be true or false")
    fill = Fill.parse(told["fill"]) if told.get("fill") else None
    colour = None if fill else colour_to_unit(str(told.get("colour")))
    mask = area(canvas, layer.id, x, y, tolerance, look_at_all=told.get("all", False))
    if grow:
        disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * grow + 1, 2 * grow + 1))
        mask = cv2.dilate(mask.astype(np.uint8), disc).astype(bool)
    fills = FillBlocks(canvas.fills.area, told.get("tile_of") or canvas.fills.tile_of)

    def picture(key: Key, rows: slice, columns: slice) -> NDArray[np.float32] | None:
        cover = mask[rows, columns]
        if not cover.any():
            return None
        if fill is not None:
            block = fills.block(fill, key)
            if block is None:
                raise BadValue("tile", fill.tile, "This tile no longer exists.")
            shown = block[: cover.shape[0], : cover.shape[1]].astype(np.float32) / np.float32(65535)
            return np.ascontiguousarray(shown * cover[..., None])
        out = np.zeros((*cover.shape, 4), np.float32)
        out[cover] = (*(colour if colour is not None else (0, 0, 0)), 1)
        return out

    return _laid(canvas, layer, picture)


def gradient(canvas: Canvas, told: Told) -> Change:
    """told: layer; from and to, places [x, y] in px; colours, two; shape, one of SHAPES; opacity.

    Colours are mixed as they are encoded. A linear one goes on in its end colours; a round one is about `from`.
    """
    layer = _paintable(canvas, told)
    ends = [told.get("start"), told.get("end")]
    for name, end in zip(("start", "end"), ends, strict=True):
        if not isinstance(end, list) or len(end) != 2 or not all(type(n) in (int, float) and abs(n) < 1e6 for n in end):
            raise BadValue(name, str(end)[:60], "must be a place, [x, y] in px")
    shape, opacity = told.get("shape", "linear"), told.get("opacity", 1.0)
    if shape not in SHAPES:
        raise UnknownName("shape of a gradient", shape, list(SHAPES))
    if isinstance(opacity, bool) or not isinstance(opacity, int | float) or not 0 < opacity <= 1:
        raise BadValue("opacity", opacity, "must be above 0, at most 1")
    colours = told.get("colours")
    if not isinstance(colours, list) or len(colours) != 2:
        raise BadValue("colours", str(colours)[:60], "must be two colours")
    first, last = (colour_to_unit(str(one)) for one in colours)
    (x0, y0), (x1, y1) = ends  # type: ignore[misc]
    length = float(np.hypot(x1 - x0, y1 - y0))
    if length < 1:
        raise BadValue("end", ends[1], "must be at least 1 px from the start")

    def picture(key: Key, rows: slice, columns: slice) -> NDArray[np.float32]:
        y, x = np.mgrid[rows, columns].astype(np.float64) + 0.5
        if shape == "linear":
            share = ((x - x0) * (x1 - x0) + (y - y0) * (y1 - y0)) / length**2
        else:
            share = np.hypot(x - x0, y - y0) / length
        share = np.clip(share, 0, 1).astype(np.float32)[..., None]
        out = np.empty((*share.shape[:2], 4), np.float32)
        out[..., :3] = (first + (last - first) * share) * np.float32(opacity)
        out[..., 3] = opacity
        return out

    return _laid(canvas, layer, picture)


def _paintable(canvas: Canvas, told: Told) -> Layer:
    number = told.get("layer")
    layer = canvas.paintable(number if type(number) is int else -1)
    if layer.id != number:
        raise BadValue("layer", number, "A mask cannot be filled. Paint on it instead.")
    check_whole(canvas)
    return layer


def check_whole(canvas: Canvas) -> None:
    """Raise BadValue for a canvas too large to be looked at whole."""
    if canvas.spec.width * canvas.spec.height > MOST_PX:
        rule = f"The canvas is too large to fill at once: {MOST_PX} px at most. Select a smaller area."
        raise BadValue("canvas", [canvas.spec.width, canvas.spec.height], rule)


def check_tolerance(given: Any) -> float:
    """How far colours may lie apart; raises BadValue."""
    if isinstance(given, bool) or not isinstance(given, int | float) or not 0 <= given <= 1:
        raise BadValue("tolerance", given, "must be 0 to 1")
    return float(given)


def within_canvas(name: str, at: Any, side: int) -> int:
    """A whole px of a side; raises BadValue."""
    if type(at) is not int or not 0 <= at < side:
        raise BadValue(name, at, f"must be a whole px of the canvas, 0 to {side - 1}")
    return at


def _laid(canvas: Canvas, layer: Layer, picture: Any) -> Change:
    """Pictures (rows, columns, 4) laid over a layer block by block, its transparency kept where that is locked.

    Where something is selected, only that is changed.
    """
    change = Change()
    keys = canvas.layer_blocks(SELECTION).keys() or keys_in(canvas.spec.box)
    empty = np.zeros((BLOCK, BLOCK, 4), np.uint16)
    empty.flags.writeable = False
    for key in keys:
        left, top, right, bottom = clip(block_box(key), canvas.spec.box)
        over = picture(key, slice(top, bottom), slice(left, right))
        held = canvas.layer_blocks(layer.id).get(key)
        if over is None or (layer.alpha_locked and held is None):
            continue
        under = empty if held is None else held
        out = under.copy()
        if layer.alpha_locked:
            atop = np.zeros((BLOCK, BLOCK, 4), np.uint16)
            atop[: bottom - top, : right - left] = over * np.float32(65535) + np.float32(0.5)
            lay_atop(out.reshape(-1, 4), atop.reshape(-1, 4), np.float32(1), 0)
        else:
            put_picture(out, under, over, 0, bottom - top, 0, right - left, 0)
        change.blocks[(layer.id, key)] = canvas.put((layer.id, key), confined(canvas, key, held, out))
    return change


def _pour_at_times(told: Told, times: Fraction) -> Told:
    larger = px_at_times(told, times, "x", "y", "grow")
    fill = {"fill": Fill.parse(told["fill"]).at_times(times).as_dict()} if told.get("fill") else {}
    return {**larger, "grow": min(larger.get("grow", 0), MOST_GROWN), **fill}


_FILL = ("layer", "x", "y", "tolerance", "all", "grow", "colour", "fill")
OPERATIONS.add("pour", Operation("pour", "Fill an area", _FILL, pour, _pour_at_times, needs=("fill",)))
_GRADIENT = ("layer", "start", "end", "colours", "shape", "opacity")
OPERATIONS.add(
    "gradient",
    Operation(
        "gradient", "Gradient", _GRADIENT, gradient, lambda told, times: px_at_times(told, times, "start", "end")
    ),
)
