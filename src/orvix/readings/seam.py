"""Seam: whether the borders of a picture show when it repeats, as `tiles.closing.seam` measures it."""

from __future__ import annotations

from typing import Any

from orvix.readings.registry import READINGS, Reading, Subject
from orvix.tiles.closing.seam import Seam, seam


def take(subject: Subject, quick: bool = False) -> dict[str, Any]:
    """The seam of a subject, as JSON types; where it is too small to be read it says so."""
    if min(subject.width, subject.height) < 40:
        unread = Seam(1.0, "too small to read", subject.proven, {"left_right": 1.0, "top_bottom": 1.0}, "")
        return unread.as_dict() | {"applies": False}
    taken = seam(
        subject.rgb, subject.repeat, by_construction=subject.proven, full=not quick, borders=subject.borders,
        watch=subject.watch,
    )  # fmt: skip
    return taken.as_dict()


READINGS.add("seam", Reading("seam", "Seam", "Whether the borders show when the tile repeats.", take))
