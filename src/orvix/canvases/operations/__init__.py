"""Operations on a canvas other than strokes, one a file; importing this package registers all of them."""

from orvix.canvases.operations import (
    corners,
    duplicate,
    half_move,
    layers,
    merge,
    move,
    paint_again,
    pour,
    recolour,
    rework,
    shape,
    take_up,
)
from orvix.canvases.operations.registry import OPERATIONS, Operation, do

__all__ = [
    "OPERATIONS",
    "Operation",
    "corners",
    "do",
    "duplicate",
    "half_move",
    "layers",
    "merge",
    "move",
    "paint_again",
    "pour",
    "recolour",
    "rework",
    "shape",
    "take_up",
]
