"""The set: several pictures in one tip, of which each stamp takes one."""

from __future__ import annotations

from orvix.brushes.tips import picture
from orvix.brushes.tips.registry import MOST_PICTURES, TIPS, TipKind
from orvix.registry import Value

TAKEN = ("in order", "by chance", "by heading", "by pressure")
VALUES = (
    Value(
        "taken", "Taken", "choice", "in order",
        "Which picture a stamp takes: one after the other, any, by the way the stroke goes, or by "
        "how hard the pen presses.",
        choices=TAKEN,
    ),
    *picture.VALUES,
)  # fmt: skip

TIPS.add(
    "set",
    TipKind("set", "Set of pictures", "Several pictures, of which each stamp takes one.", VALUES, (1, MOST_PICTURES)),
)
