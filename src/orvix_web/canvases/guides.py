"""Guides of a drawing, checked: what the page draws over the cloth and nothing of which is ever in the pixels."""

from __future__ import annotations

from typing import Any

from orvix.errors import BadValue
from orvix.registry import Value, check_values
from orvix.tiles.reserve import RHOMB, check_reserve

SETTINGS = (
    Value("frame", "Frame", "switch", True, "Marks one tile on the cloth."),
    Value("former", "Original border", "switch", True, "Marks the original border while a half move shows it inside."),
    Value("centre", "Centre lines", "switch", False, "Shows lines through the centre of the tile."),
    Value("grid", "Grid", "switch", False, "Shows a grid that divides the tile evenly."),
    Value("columns", "Columns", "whole", 8, "Number of grid columns.", low=1, high=64),
    Value("rows", "Rows", "whole", 8, "Number of grid rows.", low=1, high=64),
    Value("snap", "Snap to grid", "switch", False, "Pulls strokes to grid lines when they come close."),
    Value("margin", "Margin", "number", 0.0, "Shows a margin along the borders.", unit="px", low=0, high=4096),
    Value("reserve", "Reserve", "switch", False, "Outline that keeps the corners empty."),
    Value(
        "outline", "Outline", "points", RHOMB, "The reserve's corners, in shares of the tile.", low=0, high=1, least=3,
        most=24,
    ),
    Value("greys", "Greys only", "switch", False, "Paints the grey of the same lightness as the current colour."),
    Value("frame_x", "Frame, across", "whole", 0, "Where the marked tile lies.", unit="px", low=-65536, high=65536),
    Value("frame_y", "Frame, down", "whole", 0, "Where the marked tile lies.", unit="px", low=-65536, high=65536),
)  # fmt: skip


def check_settings(told: Any) -> dict[str, Any]:
    """Settings of a drawing, whole; what is left out takes its default. Raises BadValue or UnknownName."""
    if not isinstance(told, dict):
        raise BadValue("guides", told, "must be an object of named values")
    checked = check_values(SETTINGS, told, "guides")
    checked["outline"] = check_reserve(checked["outline"])
    return checked
