"""The set: several pictures in one tip, of which each stamp takes one."""

from __future__ import annotations

from orvix.brushes.tips import picture
from orvix.brushes.tips.registry import MOST_PICTURES, TIPS, TipKind
from orvix.registry import Value

TAKEN = ("in order", "by chance", "by heading", "by pressure")
VALUES = (
    Value(
        "taken", "Picture order", "choice", "in order",
        "Which picture each stamp uses: in order, at random, by heading or by pressure.",
        choices=TAKEN,
    ),
    *picture.VALUES,
)  # fmt: skip

TIPS.add(
    "set",
    TipKind("set", "Picture set", "Several pictures. Each stamp uses one.", VALUES, (1, MOST_PICTURES)),
)
