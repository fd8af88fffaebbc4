"""Colours as texts and as numbers."""

from __future__ import annotations

from collections.abc import Iterable


def hex_to_rgb(colour: str) -> tuple[float, float, float]:
    """A checked colour `#rrggbb` as sRGB-encoded channels in 0 to 1."""
    return int(colour[1:3], 16) / 255, int(colour[3:5], 16) / 255, int(colour[5:7], 16) / 255


def hex_of(rgb: Iterable[int]) -> str:
    """Three whole channels in 0 to 255 as `#rrggbb`."""
    red, green, blue = (int(one) for one in rgb)
    return f"#{red:02x}{green:02x}{blue:02x}"
