"""Operations on a canvas other than strokes, one a file; importing this package registers all of them."""

from orvix.canvases.operations import corners, half_move, layers, move, paint_again, take_up
from orvix.canvases.operations.registry import OPERATIONS, Operation, do

__all__ = ["OPERATIONS", "Operation", "corners", "do", "half_move", "layers", "move", "paint_again", "take_up"]
