"""A shape layer's pixels: its pieces filled, and outlined by a brush as a hand would follow them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from math import ceil, floor

import numpy as np
import resvg_py

from orvix.canvases.blocks import Blocks
from orvix.canvases.canvas import Canvas, CanvasSpec
from orvix.canvases.compositing import lay_on
from orvix.canvases.outlines import Outline, Piece, along, samples_along
from orvix.canvases.strokes import GrainLayer, Stroke, paint_stroke
from orvix.errors import BadValue
from orvix.geometry import BLOCK, Box, clip, part_of
from orvix.pictures import read_picture
from orvix.strokes.area import Area
from orvix.strokes.loaded import LoadedBrush, LoadedCoat
from orvix.strokes.windows import pieces
from orvix.tiles.joining import turned_over

BrushOf = Callable[[int], LoadedBrush]
MOST_FILLED_PX = 8192 * 8192
_MARGIN = 2
_OVER_PX = 2.0
"""So far a band goes on over its own beginning."""


def shape_pixels(spec: CanvasSpec, outline: Outline, brush_of: BrushOf) -> tuple[Blocks, Blocks]:
    """What a shape shows on a canvas, its fill and its border; raises BadValue for one too large to be filled at once.

    The fill is anti-aliased to 8 bits of cover, every other piece inside another a hole. Where edges are joined, what
    goes over one comes in opposite.
    """
    filled, canvas = Canvas(spec), Canvas(spec)
    if outline.fill and any(one.closed for one in outline.pieces):
        _fill(filled, outline)
    if outline.brush:
        loaded = brush_of(outline.brush)
        if outline.size:
            loaded = loaded.with_brush(loaded.brush.in_hand(size=outline.size))
        loaded = _in_whole_repeats(loaded)
        grains = GrainLayer(canvas)
        over_px = _OVER_PX if any(one.coat.ribbon for one in loaded.coats) else 0.0
        for n, piece in enumerate(outline.pieces):
            samples = samples_along(_smaller(piece, outline.times), outline.press, over_px)
            colour = piece.colour or outline.colour
            seed = (outline.seed + n) % 2**32
            second, times = outline.second_colour, outline.times
            stroke = Stroke(loaded, samples, colour, "paint", seed, second_colour=second, times=times)
            paint_stroke(canvas, stroke, grains)
    return filled.layer, canvas.layer


def _smaller(piece: Piece, times: Fraction) -> Piece:
    """A piece as a brush follows it that paints everything so many times larger."""
    if times == 1:
        return piece
    points = tuple(
        (n[0], n[1], n[2], n[3], n[4], n[5]) for at in piece.points for n in [[c / float(times) for c in at]]
    )
    return replace(piece, points=points)


def _in_whole_repeats(loaded: LoadedBrush) -> LoadedBrush:
    """The same brush, its bands squeezed or stretched so that a whole number of repeats goes round a closed piece."""

    def coat(one: LoadedCoat) -> LoadedCoat:
        ribbon = one.coat.ribbon
        if ribbon is None:
            return one
        whole = replace(ribbon, values={**ribbon.values, "whole": True})
        return replace(one, coat=replace(one.coat, ribbon=whole))

    return replace(loaded, coats=tuple(coat(one) for one in loaded.coats))


def _fill(canvas: Canvas, outline: Outline) -> None:
    places = np.concatenate([along(one)[0] for one in outline.pieces if one.closed])
    low, high = np.round(places.min(axis=0), 3), np.round(places.max(axis=0), 3)
    box: Box = (floor(low[0]) - _MARGIN, floor(low[1]) - _MARGIN, ceil(high[0]) + _MARGIN, ceil(high[1]) + _MARGIN)

    def path(left: int, top: int) -> str:
        data = outline.moved(-left, -top).path_data()  # so that a move by whole px gives the same octets
        return f'<path fill="#fff" fill-rule="evenodd" d="{data}"/>'

    lay_picture(canvas, box, path, outline.fill)


def lay_picture(canvas: Canvas, box: Box, body: Callable[[int, int], str], fill: str) -> None:
    """Lay a part of an SVG over the first layer of a canvas, within a box of its cloth; raises BadValue for too large.

    body: gives it moved so that its first px lies at (left, top). fill: the colour of all that it covers, anti-aliased
    to 8 bits; empty: its own colours.
    """
    spec = canvas.spec
    if spec.joined is None:
        box = clip(box, spec.box)
    else:
        box = (box[0], box[1], min(box[2], box[0] + spec.width), min(box[3], box[1] + spec.height))
    wide, high_px = box[2] - box[0], box[3] - box[1]
    if wide <= 0 or high_px <= 0:
        return
    if wide * high_px > MOST_FILLED_PX:
        raise BadValue(
            "shape",
            f"{wide} x {high_px} px",
            f"The area is too large to fill: {MOST_FILLED_PX} px at most. Select a smaller area.",
        )
    told = f'xmlns="http://www.w3.org/2000/svg" width="{wide}" height="{high_px}"'
    svg = f"<svg {told}>{body(box[0], box[1])}</svg>"
    pixels = read_picture(bytes(resvg_py.svg_to_bytes(svg_string=svg)), "shape")
    if fill:
        rgb = [int(fill[n : n + 2], 16) * 257 for n in (1, 3, 5)]
        colour = np.array([*rgb, 65535], np.uint32)
        pixels = ((pixels[..., 3:].astype(np.uint32) * colour + 32767) // 65535).astype(np.uint16)
    for key, part, to, turned in pieces(Area(spec.width, spec.height, spec.joined), box):
        over = np.ascontiguousarray(turned_over(pixels[to], turned.across, turned.down))
        if over.any():
            held = canvas.layer.get(key)
            block = np.zeros((BLOCK, BLOCK, 4), np.uint16) if held is None else held.copy()
            where = part_of(key, part)
            under = np.ascontiguousarray(block[where])
            lay_on(under, over)
            block[where] = under
            canvas.layer.put(key, block)
