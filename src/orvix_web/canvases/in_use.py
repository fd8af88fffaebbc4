"""What a painter has in use on a canvas: brush, size, colours, layer, tool and view. Kept for each person and canvas.

Nothing of it is ever in the pixels. The page says what it is, and takes it up again when it is opened.
"""

from __future__ import annotations

from typing import Any

from orvix.devices.mouse import KINDS
from orvix.registry import Value, check_values
from orvix_web.canvases.models import Canvas, InUse
from orvix_web.errors import NotYours

MODES = ("paint", "erase", "smear", "soften", "select", "move", "fill", "shape", "letters", "pick")
_FAR = 1 << 24

VALUES = (
    Value("brush", "Brush", "whole", 0, "The number of the brush; 0 for none.", low=0, high=2**53),
    Value("size", "Size", "number", 48.0, "Size of one mark.", unit="px", low=0.01, high=65536),
    Value("opacity", "Opacity", "number", 1.0, "The most that one stroke can cover.", low=0, high=1),
    Value("steady", "Smoothing", "number", 0.0, "How slowly the mark follows the hand.", low=0, high=1),
    Value("trail", "Trail length", "number", 0.0, "How far the mark is behind the hand.", unit="px", low=0, high=400),
    Value("colour", "Colour", "colour", "#1b3f4b", "The paint colour."),
    Value("second", "Second colour", "colour", "#d9793f", "The second paint colour."),
    Value("mode", "Tool", "choice", "paint", "What the hand does.", choices=MODES),
    Value("lines", "Lines", "choice", "", "Free hand, or straight runs.", choices=("", "run", "on")),
    Value("mouse", "Mouse pressure", "choice", KINDS[0], "Where the pressure of a mouse comes from.", choices=KINDS),
    Value("fixed", "Fixed pressure", "number", 0.6, "The pressure where it is fixed.", low=0, high=1),
    Value("layer", "Layer", "whole", 0, "The number of the layer or mask; 0 for the top one.", low=0, high=2**31),
    Value("fits", "Fit", "switch", True, "Whether the whole canvas is shown, whatever the window's size."),
    Value("zoom", "Zoom", "number", 1.0, "Screen px a canvas px.", low=0.001, high=64),
    Value("x", "Middle, x", "number", 0.0, "What lies in the middle of the view.", unit="px", low=-_FAR, high=_FAR),
    Value("y", "Middle, y", "number", 0.0, "What lies in the middle of the view.", unit="px", low=-_FAR, high=_FAR),
    Value("rotation", "View rotation", "number", 0.0, "How far the view is turned.", unit="degrees", low=0, high=360),
    Value("flipped", "View flipped", "switch", False, "Whether the view is mirrored."),
)  # fmt: skip


def keep(owner_id: int, canvas_id: int, told: Any) -> None:
    """Store what is in use now; raises NotYours, BadValue and UnknownName."""
    values = check_values(VALUES, told, "in use")
    if not Canvas.objects.filter(owner_id=owner_id, pk=canvas_id).exists():
        raise NotYours("This canvas no longer exists.")
    InUse.objects.update_or_create(owner_id=owner_id, canvas_id=canvas_id, defaults={"values": values})


def in_use(owner_id: int, canvas: Canvas) -> dict[str, Any] | None:
    """What the owner had in use on a canvas last; None where nothing is stored yet."""
    found = InUse.objects.filter(owner_id=owner_id, canvas=canvas).first()
    return None if found is None else check_values(VALUES, {**found.values}, "in use")
