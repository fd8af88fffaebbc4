"""The lettering tip: a text along the stroke, cluster after cluster or as one stamp."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from orvix.brushes.tips.registry import TIPS, TipKind
from orvix.lettering.drawing import Drawn, draw_letters, draw_whole
from orvix.lettering.fonts import FONT_NAMES, Font, shipped_font
from orvix.registry import Value

PLACED = ("letter by letter", "as one stamp")
BEGINS = ("start over", "go on")
VALUES = (
    Value("text", "Text", "text", "Skerry", "Text along the stroke, in any script, emoji included.", high=200),
    Value(
        "font", "Font", "choice", "plain",
        "Font of the text. An imported font replaces it.", choices=FONT_NAMES
    ),
    Value(
        "placed", "Placement", "choice", "letter by letter",
        "One letter per stamp, spaced as in the font, or the whole text as one stamp.", choices=PLACED,
    ),
    Value(
        "begins", "Next stroke", "choice", "start over",
        "Start over: each stroke begins with the first letter. Continue: it goes on where the last one stopped.",
        choices=BEGINS,
    ),
    Value("gap", "Gap after text", "number", 0.6, "Gap before the text repeats.", unit="ems", low=0, high=10),
)  # fmt: skip

TIPS.add("lettering", TipKind("lettering", "Text", "Text along the stroke, in any script.", VALUES, (0, 1)))


def drawn(values: Mapping[str, Any], own: Font | None = None) -> Drawn:
    """The pictures of a text and the ways between them; own: a font of one's own. Raises BadValue."""
    font = own or shipped_font(values["font"])
    draw = draw_whole if values["placed"] == "as one stamp" else draw_letters
    return draw(values["text"], font, values["gap"])
