"""Half move: the borders brought to the middle, and by the next press back: two presses leave the same octets.

The first moves by floor(n / 2), the next by the rest; with a stagger that is the same as moving back.
"""

from __future__ import annotations

from orvix.canvases.canvas import Canvas
from orvix.canvases.layers import Change
from orvix.canvases.operations.move import move
from orvix.canvases.operations.registry import OPERATIONS, Operation, Told
from orvix.errors import BadValue

AXES = ("across", "down", "both")


def half_of(canvas: Canvas, axis: object, back: object) -> tuple[int, int]:
    """The move in px: half the canvas on an axis, or back; raises BadValue."""
    if axis not in AXES:
        raise BadValue("axis", axis, "must be one of " + ", ".join(AXES))
    if not isinstance(back, bool):
        raise BadValue("back", back, "must be true or false")
    x = canvas.spec.width // 2 if axis != "down" else 0
    y = canvas.spec.height // 2 if axis != "across" else 0
    return (-x, -y) if back else (x, y)


def moved_half(told: Told) -> dict[str, bool]:
    """On which axes the border comes inside, or goes back."""
    axis = told.get("axis", "both")
    return dict.fromkeys(("across", "down") if axis == "both" else (axis,), not told.get("back", False))


def run(canvas: Canvas, told: Told) -> Change:
    """told: axis, and whether it is the press that moves back."""
    if canvas.spec.joined is None:
        raise BadValue("half move", "open edges", "Half move needs joined edges. Set the edges to Joined first.")
    return move(canvas, *half_of(canvas, told.get("axis"), told.get("back", False)))


OPERATIONS.add("half-move", Operation("half-move", "Half move", ("axis", "back"), run, half=moved_half))
