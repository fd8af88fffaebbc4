"""At which spacing a tip's stamps just touch, overlap or stay clear, as the command line and the bench say it."""

from __future__ import annotations

from math import radians

from orvix.brushes.tips.outline import Outline

OVERLAPS = (0.1,)
CLEARS_PX = (1.0,)


def touch_report(outline: Outline, size_px: float, turn_deg: float = 0.0, heading_deg: float = 0.0) -> dict[str, float]:
    """extent_px along the heading of a stamp of this size and turn, and the spacings as fractions of it.

    overlap by p is (1 - p) x touch; clear by n px is touch + n px.
    """
    angle = radians(heading_deg - turn_deg)
    extent, touch = outline.extent(angle) * size_px, outline.touch(angle) * size_px
    told = {"extent_px": extent, "touch": touch / extent}
    told |= {f"overlap_{round(100 * share)}": (1 - share) * touch / extent for share in OVERLAPS}
    return told | {f"clear_{gap:g}px": (touch + gap) / extent for gap in CLEARS_PX}
