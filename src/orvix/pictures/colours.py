"""Colours as texts and as numbers."""

from __future__ import annotations


def hex_to_rgb(colour: str) -> tuple[float, float, float]:
    """A checked colour `#rrggbb` as sRGB-encoded channels in 0 to 1."""
    return int(colour[1:3], 16) / 255, int(colour[3:5], 16) / 255, int(colour[5:7], 16) / 255
