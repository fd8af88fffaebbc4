"""Paint again: strokes become what other versions of their brushes make of them.

The painting itself is done before, beside the canvas; this puts its result in the canvas's place, as one change.
"""

from __future__ import annotations

from orvix.canvases.operations import take_up
from orvix.canvases.operations.registry import OPERATIONS, Operation

OPERATIONS.add(
    "paint-again",
    Operation("paint-again", "Repaint", ("state",), take_up.run, needs=("state",), strokes="repaints"),
)
