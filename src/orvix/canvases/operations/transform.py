"""Transform: what is selected, or whole layers, moved, scaled, turned, skewed and turned over; or a copy of it.

Of paint, pixels are resampled: bicubic, blurred first where they shrink. A shape's points are moved and it is painted
anew; a fill that is scaled alike both ways is moved by its values. What is selected moves along, so that the same step
done again goes on from there.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from math import cos, floor, hypot, radians, sin, tan
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.canvases.blocks import EMPTY, Block, Blocks
from orvix.canvases.canvas import Canvas
from orvix.canvases.compositing import lay_on
from orvix.canvases.fills import Fill
from orvix.canvases.layers import SELECTION, Change, Layer
from orvix.canvases.operations.move import moved_along
from orvix.canvases.operations.registry import OPERATIONS, Operation, Told, px_at_times
from orvix.canvases.operations.shape import no_brush
from orvix.canvases.resizing import mapped_values
from orvix.canvases.selection import anything_selected, as_block, box_on_cloth, confined, cover_at, selected_box
from orvix.canvases.shaping import BrushOf, shape_pixels
from orvix.canvases.strokes import put_back
from orvix.canvases.typesetting import FontOf, lettering_pixels, no_font
from orvix.errors import BadValue
from orvix.geometry import BLOCK, Box, Key, part_of
from orvix.registry import Value, check_values
from orvix.strokes.area import Area
from orvix.strokes.windows import gather, pieces
from orvix.tiles.joining import turned_over

MOST_PX = 8192 * 4096
Matrix = NDArray[np.float64]
"""(2, 3): a place (x, y) in px of the canvas goes to matrix @ (x, y, 1)."""
VALUES = (
    Value("x", "X", "number", 0.0, "Moves to the right.", unit="px", low=-16384, high=16384),
    Value("y", "Y", "number", 0.0, "Moves down.", unit="px", low=-16384, high=16384),
    Value("across", "Width", "number", 1.0, "Below 0 also flips it.", unit="times", low=-64, high=64),
    Value("down", "Height", "number", 1.0, "Below 0 also flips it.", unit="times", low=-64, high=64),
    Value("turn", "Rotation", "number", 0.0, "Clockwise.", unit="°", low=-3600, high=3600),
    Value("skew", "Skew", "number", 0.0, "Slants to the right.", unit="°", low=-80, high=80),
)


@dataclass(frozen=True)
class _Taken:
    """Pixels that are on their way, uint16 (rows, columns, 4), and where their first px lay."""

    pixels: NDArray[np.uint16]
    x: int
    y: int


def matrix_of(values: Mapping[str, float], about: tuple[float, float]) -> Matrix:
    """Scaled, skewed, then turned about a place, then moved; raises BadValue where nothing would be left."""
    across, down = values["across"], values["down"]
    for name in ("across", "down"):
        if abs(values[name]) < 1 / 64:
            raise BadValue(name, values[name], "must be 1/64 to 64, or -64 to -1/64")
    turn, lean = radians(values["turn"]), tan(radians(values["skew"]))
    turned = np.array([[cos(turn), -sin(turn)], [sin(turn), cos(turn)]])
    linear = np.round(turned @ np.array([[across, -lean * down], [0, down]]), 12)
    at = np.array(about)
    return np.column_stack([linear, at + np.array([values["x"], values["y"]]) - linear @ at])


def run(canvas: Canvas, told: Told) -> Change:
    """told: layers; VALUES; about, the place [x, y] that stays; copy: what is there stays too.

    Without about: the middle of what is selected, or of what is painted. Raises BadValue.
    """
    values = check_values(VALUES, {name: told[name] for name in (v.name for v in VALUES) if name in told}, "transform")
    copy = told.get("copy", False)
    if not isinstance(copy, bool):
        raise BadValue("copy", copy, "must be true or false")
    layers = moved_along(canvas, told.get("layers"))
    selects = anything_selected(canvas)
    for one in layers:
        canvas.refuse_locked(one)
        if selects and one.kind in ("shape", "lettering", "fill"):
            raise BadValue(
                "layer",
                one.name,
                f"is a {one.kind} layer. Deselect to transform the whole layer, or merge it into paint first.",
            )
    box = selected_box(canvas) if selects else painted_box(canvas, layers)
    matrix = matrix_of(values, _about(told.get("about"), box, canvas))
    change = Change()
    try:
        for one in layers:
            if one.kind == "paint":
                _of_plane(canvas, one.id, box, matrix, change, copy=copy)
            if one.mask and not selects:
                _of_plane(canvas, one.mask, box, matrix, change, copy=copy)
        _of_values(canvas, layers, matrix, change, (told.get("brush_of") or no_brush, told.get("font_of") or no_font))
        if selects and box is not None:
            _of_selection(canvas, box, matrix, change)
    except Exception:
        put_back(canvas, change)
        raise
    return change


def painted_box(canvas: Canvas, layers: list[Layer]) -> Box | None:
    """The box around all that the layers hold, in px, on the cloth (see `box_on_cloth`); None for nothing."""
    planes = [canvas.layer_blocks(n) for one in layers for n in (one.id, one.mask, one.border) if n]
    held = ((key, block[..., 3]) for blocks in planes for key in blocks if (block := blocks.get(key)) is not None)
    return box_on_cloth(canvas.spec, held)


def _about(told: Any, box: Box | None, canvas: Canvas) -> tuple[float, float]:
    if told is None:
        left, top, right, bottom = box or canvas.spec.box
        return (left + right) / 2, (top + bottom) / 2
    if not isinstance(told, list) or len(told) != 2 or not all(type(n) in (int, float) and abs(n) < 1e6 for n in told):
        raise BadValue("about", str(told)[:60], "must be a place, [x, y] in px")
    return float(told[0]), float(told[1])


def _of_plane(canvas: Canvas, number: int, box: Box | None, matrix: Matrix, change: Change, *, copy: bool) -> None:
    """Take a plane's selected px, leave what is not, and lay what was taken where it goes."""
    if box is None or not canvas.layer_blocks(number).keys():
        return
    taken = _take(canvas, number, box)
    if not copy:
        for key in canvas.layer_blocks(SELECTION).keys() or canvas.layer_blocks(number).keys():
            held = canvas.layer_blocks(number).get(key)
            if held is not None:
                _put(canvas, (number, key), confined(canvas, key, held, None), change)
    landed = _mapped(taken, matrix)
    for key, part, to, turned in pieces(_area(canvas), _box_of(landed)):
        over = np.ascontiguousarray(turned_over(landed.pixels[to], turned.across, turned.down))
        if over.any():
            held = canvas.layer_blocks(number).get(key)
            out = np.array(EMPTY if held is None else held)
            rows, columns = part_of(key, part)
            under = np.ascontiguousarray(out[rows, columns])
            lay_on(under, over)
            out[rows, columns] = under
            _put(canvas, (number, key), out, change)


def _put(canvas: Canvas, at: tuple[int, Key], block: Block | None, change: Change) -> None:
    before = canvas.put(at, block)
    change.blocks.setdefault(at, before)


def _take(canvas: Canvas, number: int, box: Box) -> _Taken:
    """A plane's px within a box, as far as they are selected."""
    if (box[2] - box[0]) * (box[3] - box[1]) > MOST_PX:
        rule = f"The selection is too large: {MOST_PX} px at most. Select less."
        raise BadValue("selection", f"{box[2] - box[0]} x {box[3] - box[1]} px", rule)
    pixels = _read(canvas, number, box)
    if number != SELECTION and anything_selected(canvas):
        cover = _read(canvas, SELECTION, box)[..., 3:].astype(np.uint32)
        pixels = ((pixels * cover + 32767) // 65535).astype(np.uint16)
    return _Taken(pixels, box[0], box[1])


def _read(canvas: Canvas, number: int, box: Box) -> NDArray[np.uint16]:
    """A plane's px within a box of the cloth."""
    window = np.zeros((box[3] - box[1], box[2] - box[0], 4), np.uint16)
    return gather(_area(canvas), box, window, canvas.layer_blocks(number).get)


def _mapped(taken: _Taken, matrix: Matrix) -> _Taken:
    """Pixels where they go; whole-px moves, quarter turns and turning over keep every octet."""
    rows, columns = taken.pixels.shape[:2]
    corners = np.array([[taken.x + x, taken.y + y, 1] for x in (0, columns) for y in (0, rows)])
    at = corners @ matrix.T
    (left, top), (right, bottom) = np.floor(at.min(axis=0) + 1e-6), np.ceil(at.max(axis=0) - 1e-6)
    margin = 0 if _exact(matrix) else 2
    box = (int(left) - margin, int(top) - margin, int(right) + margin, int(bottom) + margin)
    wide, high = max(box[2] - box[0], 1), max(box[3] - box[1], 1)
    if wide * high > MOST_PX:
        raise BadValue("transform", f"{wide} x {high} px", f"what comes out has at most {MOST_PX} px")
    # From px of what comes out to px of what was taken, both by the middles of px.
    linear = np.linalg.inv(matrix[:, :2])
    offset = linear @ (np.array([box[0] + 0.5, box[1] + 0.5]) - matrix[:, 2]) - (taken.x + 0.5, taken.y + 0.5)
    inverse = np.round(np.column_stack([linear, offset]), 10)
    pixels = _blurred(taken.pixels, matrix)
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    out = cv2.warpAffine(pixels, inverse, (wide, high), flags=flags, borderMode=cv2.BORDER_CONSTANT, borderValue=0)
    return _Taken(np.minimum(out, out[..., 3:]), box[0], box[1])


def _exact(matrix: Matrix) -> bool:
    whole = bool(np.isin(np.abs(matrix[:, :2]), (0.0, 1.0)).all())
    return whole and bool(np.abs(matrix[:, 2] - np.round(matrix[:, 2])).max() < 1e-9)


def _blurred(pixels: NDArray[np.uint16], matrix: Matrix) -> NDArray[np.uint16]:
    """Blurred along each axis as far as it shrinks."""
    sigmas = [0.45 * max(1 / max(hypot(*matrix[:, axis]), 1e-6) - 1, 0.0) for axis in (0, 1)]
    if max(sigmas) < 0.05:
        return pixels
    across, down = (max(one, 1e-3) for one in sigmas)
    return np.asarray(cv2.GaussianBlur(pixels, (0, 0), across, sigmaY=down, borderType=cv2.BORDER_CONSTANT), np.uint16)


def _of_selection(canvas: Canvas, box: Box, matrix: Matrix, change: Change) -> None:
    """What is selected goes along."""
    landed = _mapped(_take(canvas, SELECTION, box), matrix)
    for key in canvas.layer_blocks(SELECTION):
        _put(canvas, (SELECTION, key), None, change)
    for key, part, to, turned in pieces(_area(canvas), _box_of(landed)):
        cover = turned_over(landed.pixels[to], turned.across, turned.down)[..., 3]
        held = cover_at(canvas, key)
        both = np.zeros((BLOCK, BLOCK), np.uint16) if held is None else held.copy()
        rows, columns = part_of(key, part)
        both[rows, columns] = np.maximum(both[rows, columns], cover)
        _put(canvas, (SELECTION, key), as_block(canvas, key, both), change)


def _of_values(
    canvas: Canvas, layers: list[Layer], matrix: Matrix, change: Change, makers: tuple[BrushOf, FontOf]
) -> None:
    """Fills moved by their values, shapes and letterings too, and painted anew. makers: give brushes, and fonts."""
    fresh: dict[int, Layer] = {}
    for one in layers:
        if one.fill is not None and not one.fill.colour:
            fresh[one.id] = replace(one, fill=_fill(one.fill, matrix, one.name))
        elif one.shape is not None or one.lettering is not None:
            moved = fresh[one.id] = mapped_values(one, matrix)
            if moved.shape is not None:
                filled, outlined = shape_pixels(canvas.spec, moved.shape, makers[0])
            elif moved.lettering is not None:
                filled, outlined = lettering_pixels(canvas.spec, moved.lettering, makers[1]), Blocks(1, 1)
            for number, blocks in ((one.id, filled), (one.border, outlined)):
                for key in {*canvas.layer_blocks(number).keys(), *blocks.keys()}:
                    _put(canvas, (number, key), blocks.get(key), change)
    if fresh:
        change.stack = canvas.restack(tuple(fresh.get(one.id, one) for one in canvas.stack))


def _fill(fill: Fill, matrix: Matrix, name: str) -> Fill:
    across, down = hypot(*matrix[:, 0]), hypot(*matrix[:, 1])
    upright = abs(float(np.dot(matrix[:, 0], matrix[:, 1]))) < 1e-6 and np.linalg.det(matrix[:, :2]) > 0
    if abs(across - down) > 1e-6 or not upright:
        raise BadValue("layer", name, "is a fill. A fill keeps its proportions and cannot be skewed or flipped.")
    x, y = matrix @ (fill.x, fill.y, 1)
    turn = (fill.turn + float(np.degrees(np.arctan2(matrix[1, 0], matrix[0, 0])))) % 360
    scale = fill.scale if abs(across - 1) < 1e-9 else (fill.scale * Fraction(across)).limit_denominator(100_000)
    told = {"tile": fill.tile, "scale": str(scale), "turn": round(turn, 9), "x": floor(x + 0.5), "y": floor(y + 0.5)}
    return Fill.parse(told)


def _area(canvas: Canvas) -> Area:
    return Area(canvas.spec.width, canvas.spec.height, canvas.spec.joined)


def _box_of(taken: _Taken) -> Box:
    rows, columns = taken.pixels.shape[:2]
    return taken.x, taken.y, taken.x + columns, taken.y + rows


def _at_times(told: Told, times: Fraction) -> Told:
    return px_at_times(told, times, "x", "y", "about")


_KNOWN = ("layers", *(value.name for value in VALUES), "about", "copy")
OPERATIONS.add(
    "transform",
    Operation("transform", "Transform", _KNOWN, run, _at_times, needs=("brushes", "fonts"), tried=True),
)
