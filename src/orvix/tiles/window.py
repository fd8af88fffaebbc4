"""A window of the cloth: what part of a repeated tile is to be computed."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Window:
    """Upper left pixel and size in px. The tile itself is (0, 0, height, width)."""

    top: int
    left: int
    height: int
    width: int
