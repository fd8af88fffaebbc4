"""Which layers an operation is about."""

from __future__ import annotations

from typing import Any

from orvix.canvases.canvas import Canvas
from orvix.canvases.layers import Layer
from orvix.errors import BadValue


def chosen_layers(canvas: Canvas, told: Any) -> list[Layer]:
    """The layers of these numbers, as they lie, the lowest first; raises BadValue."""
    if not isinstance(told, list) or not told:
        raise BadValue("layers", told, "must be a list of numbers of layers")
    wanted = {canvas.layer_of(one).id for one in told if isinstance(one, int) and not isinstance(one, bool)}
    if len(wanted) != len(told):
        raise BadValue("layers", told, "must name each layer once")
    return [one for one in canvas.stack if one.id in wanted]


def fresh_number(told: Any) -> int:
    """The first of the numbers that no layer has had; raises BadValue."""
    if isinstance(told, bool) or not isinstance(told, int) or not 1 <= told < 2**31 - 1024:
        raise BadValue("layer", told, "must be a number that no layer of this canvas has had")
    return told
