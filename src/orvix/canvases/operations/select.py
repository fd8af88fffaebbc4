"""Select: by a shape, by colour, from a layer; all, none, the rest; grown, shrunk, feathered. Undone like a stroke."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from functools import partial
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.canvases.canvas import Canvas
from orvix.canvases.compositing import colour_to_unit
from orvix.canvases.layers import SELECTION, Change, Layer
from orvix.canvases.operations.pour import area, check_tolerance, check_whole, within_canvas
from orvix.canvases.operations.registry import OPERATIONS, Operation, Told, px_at_times
from orvix.canvases.operations.shape import made, make_at_times, no_brush
from orvix.canvases.outlines import Outline
from orvix.canvases.selection import FULL, Cover, cover_at, mapped, put_selection
from orvix.canvases.shaping import shape_pixels
from orvix.errors import BadValue, UnknownName
from orvix.geometry import BLOCK, Key, block_box, clip, keys_in
from orvix.pictures.packing import flat_rgba8

WAYS = ("new", "add", "subtract", "within")
MOST_GROWN, MOST_FEATHER = 256, 128.0
Covers = dict[Key, Cover]
_NONE: Cover = np.zeros((BLOCK, BLOCK), np.uint16)
_NONE.flags.writeable = False


def run(canvas: Canvas, told: Told) -> Change:
    """told: by, what is selected; way, one of WAYS: how it goes with what is selected already.

    by: an object with a `kind`. "shape": make, as for a shape. "colour": x, y, tolerance 0 to 1, all (look at all
    layers), apart (every such px, not only the area around the one told), layer. "layer": layer, as opaque as it is.
    "all", "none", "invert" need nothing more; "grow" takes px, from -256 (shrinks) to 256; "feather" px, the blur's.
    """
    by, way = told.get("by"), told.get("way", "new")
    kind = by.get("kind") if isinstance(by, dict) else None
    if kind not in KINDS:
        raise UnknownName("kind of selection", kind, list(KINDS))
    if way not in WAYS:
        raise UnknownName("way to select", way, list(WAYS))
    assert isinstance(by, dict)
    fresh = KINDS[kind](canvas, by)
    return put_selection(canvas, _together(canvas, fresh, way) if kind in _TOGETHER else fresh)


def _together(canvas: Canvas, fresh: Covers, way: str) -> Covers:
    if way == "new":
        return fresh
    had = {key: cover for key in canvas.layer_blocks(SELECTION) if (cover := cover_at(canvas, key)) is not None}
    join: dict[str, Callable[[Cover, Cover], Any]] = {
        "add": np.maximum,
        "subtract": lambda a, b: np.minimum(a, np.uint16(65535) - b),
        "within": np.minimum,
    }
    return {key: join[way](had.get(key, _NONE), fresh.get(key, _NONE)) for key in {*had, *fresh}}


def _by_shape(canvas: Canvas, by: Told) -> Covers:
    piece = made(by.get("make"))
    if not piece.closed:
        raise BadValue("closed", False, "An open line encloses nothing. Draw a closed outline.")
    blocks, _ = shape_pixels(canvas.spec, Outline((piece,), fill="#000000"), no_brush)
    return {key: block[..., 3] for key in blocks if (block := blocks.get(key)) is not None}


def _by_colour(canvas: Canvas, by: Told) -> Covers:
    spec = canvas.spec
    check_whole(canvas)
    x, y = (within_canvas(name, by.get(name), side) for name, side in (("x", spec.width), ("y", spec.height)))
    tolerance = check_tolerance(by.get("tolerance", 0.1))
    for name in ("all", "apart"):
        if not isinstance(by.get(name, False), bool):
            raise BadValue(name, by[name], "must be true or false")
    everything = by.get("all", False)
    layer = canvas.stack[0] if everything else _layer(canvas, by)
    if by.get("apart", False):
        seen = canvas.pixels() if everything else canvas.layer_blocks(layer.id).whole()
        red, green, blue = (float(one) for one in colour_to_unit(spec.ground or "#ffffff"))
        flat = flat_rgba8(seen, (red, green, blue))[..., :3].astype(np.int16)
        mask = np.asarray(np.abs(flat - flat[y, x]).max(axis=2) <= 255 * tolerance)
    else:
        mask = area(canvas, layer.id, x, y, tolerance, look_at_all=everything)
    return _covers(canvas, mask)


def _covers(canvas: Canvas, mask: NDArray[np.bool_]) -> Covers:
    out: Covers = {}
    for key in keys_in(canvas.spec.box):
        left, top, right, bottom = clip(block_box(key), canvas.spec.box)
        part = mask[top:bottom, left:right]
        if part.any():
            out[key] = np.zeros((BLOCK, BLOCK), np.uint16)
            out[key][: bottom - top, : right - left] = part * np.uint16(65535)
    return out


def _layer(canvas: Canvas, by: Told) -> Layer:
    number = by.get("layer")
    return canvas.layer_of(number if type(number) is int else -1)


def _by_layer(canvas: Canvas, by: Told) -> Covers:
    layer = _layer(canvas, by)
    if by["layer"] == layer.mask:
        shown = {key: canvas.layer_blocks(layer.mask).get(key) for key in canvas.layer_blocks(layer.mask)}
    else:
        shown = {key: canvas.alone(layer, key) for key in keys_in(canvas.spec.box)}
    return {key: block[..., 3] for key, block in shown.items() if block is not None}


def _all(canvas: Canvas, _: Told) -> Covers:
    return dict.fromkeys(keys_in(canvas.spec.box), FULL[..., 3])


def _none(_: Canvas, __: Told) -> Covers:
    return {}


def _invert(canvas: Canvas, _: Told) -> Covers:
    had = {key: cover_at(canvas, key) for key in keys_in(canvas.spec.box)}
    return {key: FULL[..., 3] if cover is None else np.uint16(65535) - cover for key, cover in had.items()}


def _grow(canvas: Canvas, by: Told) -> Covers:
    px = by.get("px")
    if type(px) is not int or not 1 <= abs(px) <= MOST_GROWN:
        raise BadValue("px", px, f"must be 1 to {MOST_GROWN} px, or below 0 to shrink")
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * abs(px) + 1, 2 * abs(px) + 1))
    return mapped(canvas, lambda plane: (cv2.dilate if px > 0 else cv2.erode)(plane, disc), abs(px) + 1)


def _feather(canvas: Canvas, by: Told) -> Covers:
    px = by.get("px")
    if isinstance(px, bool) or not isinstance(px, int | float) or not 0.3 <= px <= MOST_FEATHER:
        raise BadValue("px", px, f"must be 0.3 to {MOST_FEATHER:.0f} px")
    blur = partial(cv2.GaussianBlur, ksize=(0, 0), sigmaX=float(px), borderType=cv2.BORDER_REPLICATE)
    return mapped(canvas, blur, int(np.ceil(4 * px)) + 1)


KINDS: dict[str, Callable[[Canvas, Told], Covers]] = {
    "shape": _by_shape,
    "colour": _by_colour,
    "layer": _by_layer,
    "all": _all,
    "none": _none,
    "invert": _invert,
    "grow": _grow,
    "feather": _feather,
}


def _at_times(told: Told, times: Fraction) -> Told:
    by = told["by"]
    if by.get("kind") in ("grow", "feather"):
        most = MOST_GROWN if by["kind"] == "grow" else MOST_FEATHER
        px = px_at_times(by, times, "px")["px"]
        return {**told, "by": {**by, "px": max(min(px, most), -most) or 1}}
    larger = px_at_times(by, times, "x", "y")
    return {**told, "by": {**larger, "make": make_at_times(by.get("make"), times)} if "make" in by else larger}


_TOGETHER = ("shape", "colour", "layer")
OPERATIONS.add("select", Operation("select", "Select", ("by", "way"), run, _at_times))
