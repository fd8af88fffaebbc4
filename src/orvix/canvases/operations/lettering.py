"""Lettering: a layer of text made, or made anew; it stays editable, its pixels are worked out from its values."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

from orvix.canvases.canvas import Canvas
from orvix.canvases.layers import Change, Layer, check_stack
from orvix.canvases.letterings import Lettering
from orvix.canvases.operations.chosen import fresh_number
from orvix.canvases.operations.registry import OPERATIONS, Operation, Told
from orvix.canvases.operations.shape import over_layer
from orvix.canvases.typesetting import lettering_pixels, no_font
from orvix.errors import BadValue


def run(canvas: Canvas, told: Told) -> Change:
    """told: layer, a lettering, or a number that no layer has had; lettering, its values; name; over, for a new one."""
    number = fresh_number(told.get("layer"))
    lettering = Lettering.parse(told.get("lettering"))
    layer = next((one for one in canvas.stack if one.id == number), None)
    if layer is None:
        name = str(told.get("name") or lettering.text.split("\n")[0].strip() or "Text")[:60]
        stack = over_layer(canvas, Layer(number, name, kind="lettering", lettering=lettering), told.get("over"))
    else:
        if layer.lettering is None:
            raise BadValue("layer", layer.name, "is not a text layer")
        canvas.refuse_locked(layer)
        stack = tuple(replace(one, lettering=lettering) if one.id == number else one for one in canvas.stack)
    blocks = lettering_pixels(canvas.spec, lettering, told.get("font_of") or no_font)
    change = Change(stack=canvas.restack(check_stack(stack)))
    for key in {*canvas.layer_blocks(number).keys(), *blocks.keys()}:
        change.blocks[(number, key)] = canvas.put((number, key), blocks.get(key))
    return change


def _at_times(told: Told, times: Fraction) -> Told:
    return {**told, "lettering": Lettering.parse(told.get("lettering")).at_times(times).as_dict()}


_KNOWN = ("layer", "name", "over", "lettering")
OPERATIONS.add("lettering", Operation("lettering", "Text", _KNOWN, run, _at_times, needs=("fonts",), tried=True))
