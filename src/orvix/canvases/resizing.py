"""A canvas cut, extended, resampled or turned: its planes of blocks, the values of its fills and shapes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from math import floor
from typing import Any

import cv2
import numpy as np
from PIL import Image

from orvix.canvases.blocks import Block, Blocks
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.layers import SELECTION, Change, Layer, block_numbers
from orvix.errors import BadValue
from orvix.geometry import BLOCK, block_box, clip, keys_in
from orvix.strokes.area import Area
from orvix.strokes.windows import gather

MOST_PX = 8192 * 8192


def larger(pixels: Block, times: Fraction) -> Block:
    """A picture (rows, columns, 4) so many times larger: by area where it shrinks, else bicubic."""
    if times == 1:
        return pixels
    rows, columns = (max(floor(side * times + Fraction(1, 2)), 1) for side in pixels.shape[:2])
    return resized(pixels, columns, rows)


def resized(pixels: Block, columns: int, rows: int, margin: int = 0) -> Block:
    """A picture (rows, columns, 4) at another size: by area where it shrinks, else bicubic.

    margin: so many px around the picture are only looked at; where it shrinks by area there must be none.
    """
    high, wide = (side - 2 * margin for side in pixels.shape[:2])
    if columns <= wide and rows <= high:
        out = cv2.resize(pixels, (columns, rows), interpolation=cv2.INTER_AREA)
        return np.minimum(out, out[..., 3:]).astype(np.uint16)
    out = np.empty((rows, columns, 4), np.uint16)
    box = (margin, margin, margin + wide, margin + high)
    for channel in range(4):
        plane = Image.fromarray(pixels[..., channel].astype(np.float32))
        fresh = np.asarray(plane.resize((columns, rows), Image.Resampling.BICUBIC, box))
        out[..., channel] = np.clip(np.floor(fresh + np.float32(0.5)), 0, 65535)
    return np.minimum(out, out[..., 3:])


def reframe(canvas: Canvas, spec: CanvasSpec, x: int, y: int) -> Change:
    """Give a canvas another frame, whose first px lies at (x, y); with joined edges what is beyond comes in.

    What lies outside the frame is cut off.
    """
    area = Area(canvas.spec.width, canvas.spec.height, canvas.spec.joined)

    def plane(blocks: Blocks) -> Blocks:
        fresh = Blocks(spec.width, spec.height)
        if not blocks.keys():
            return fresh
        for key in keys_in(spec.box):
            left, top, right, bottom = clip(block_box(key), spec.box)
            window = np.zeros((BLOCK, BLOCK, 4), np.uint16)
            part = window[: bottom - top, : right - left]
            gather(area, (left + x, top + y, right + x, bottom + y), part, blocks.get)
            if part.any():
                fresh.put(key, window)
        return fresh

    return _changed(canvas, spec, plane, lambda layer: moved_values(layer, -x, -y))


def moved_values(layer: Layer, x: int, y: int) -> Layer:
    """A fill or shape moved by px, by its values."""
    if layer.fill is not None and not layer.fill.colour:
        return replace(layer, fill=replace(layer.fill, x=layer.fill.x + x, y=layer.fill.y + y))
    if layer.lettering is not None:
        return replace(layer, lettering=layer.lettering.moved(x, y))
    return layer if layer.shape is None else replace(layer, shape=layer.shape.moved(x, y))


def mapped_values(layer: Layer, matrix: Any) -> Layer:
    """A shape or lettering under an affine map (2, 3) of places, by its values."""
    if layer.lettering is not None:
        return replace(layer, lettering=layer.lettering.mapped(matrix))
    return layer if layer.shape is None else replace(layer, shape=layer.shape.mapped(matrix))


def resample(canvas: Canvas, spec: CanvasSpec) -> Change:
    """Give a canvas another size, all that is on it resampled; raises BadValue where that is too much at once."""
    old = canvas.spec
    check_resampled(old, spec)
    across, down = Fraction(spec.width, old.width), Fraction(spec.height, old.height)

    def values(layer: Layer) -> Layer:
        if across == down:
            return layer.at_times(across)
        if layer.fill is not None and not layer.fill.colour:
            rule = "Fills keep their proportions. Lock proportions, or merge the fills first."
            raise BadValue("size", [spec.width, spec.height], rule)
        return mapped_values(layer, np.array([[float(across), 0, 0], [0, float(down), 0]]))

    return _changed(canvas, spec, lambda blocks: resampled(blocks, old, spec), values)


def check_resampled(old: CanvasSpec, spec: CanvasSpec) -> None:
    """Raise BadValue where planes are too large to be resampled at once."""
    for one in (old, spec):
        if one.width * one.height > MOST_PX:
            raise BadValue(
                "size", [one.width, one.height], f"The canvas is too large to resample: {MOST_PX} px at most."
            )


def resampled(blocks: Blocks, old: CanvasSpec, spec: CanvasSpec) -> Blocks:
    """A plane at another size; with joined edges its neighbours are looked at across the borders."""
    if not blocks.keys():
        return Blocks(spec.width, spec.height)
    if old.joined is None or (spec.width <= old.width and spec.height <= old.height):
        return Blocks.from_array(resized(blocks.whole(), spec.width, spec.height))
    margin = _reach(old, spec)
    wide = old.joined.cloth(blocks.whole(), -margin, -margin, old.height + 2 * margin, old.width + 2 * margin)
    return Blocks.from_array(resized(wide, spec.width, spec.height, margin))


def _reach(old: CanvasSpec, spec: CanvasSpec) -> int:
    """How far, in px of the old size, a bicubic kernel looks, widened where one way shrinks."""
    return 2 * max(-(-old.width // spec.width), -(-old.height // spec.height), 1) + 1


def turned(canvas: Canvas, spec: CanvasSpec, turn: Callable[[Block], Block], values: Any) -> Change:
    """Give a canvas's planes another orientation; values: what a layer's become."""
    check_resampled(canvas.spec, spec)

    def plane(blocks: Blocks) -> Blocks:
        if not blocks.keys():
            return Blocks(spec.width, spec.height)
        return Blocks.from_array(np.ascontiguousarray(turn(blocks.whole())))

    return _changed(canvas, spec, plane, values)


def _changed(
    canvas: Canvas, spec: CanvasSpec, plane: Callable[[Blocks], Blocks], values: Callable[[Layer], Layer]
) -> Change:
    """Every plane of a canvas made anew, with the values of its layers, under another spec."""
    stack = tuple(values(one) for one in canvas.stack)
    fresh = {number: plane(canvas.layer_blocks(number)) for number in (SELECTION, *block_numbers(canvas.stack))}
    change = Change(spec=canvas.respec(spec))
    for number, blocks in fresh.items():
        for key in {*canvas.layer_blocks(number).keys(), *blocks.keys()}:
            change.blocks[(number, key)] = canvas.put((number, key), blocks.get(key))
    if stack != canvas.stack:
        change.stack = canvas.restack(stack)
    return change
