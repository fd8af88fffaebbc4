"""A window of the cloth: what part of a repeated tile is to be computed."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass


@dataclass(frozen=True)
class Window:
    """Upper left pixel and size in px. The tile itself is (0, 0, height, width)."""

    top: int
    left: int
    height: int
    width: int

    def strips(self, rows: int) -> Iterator[Window]:
        """The window cut into strips of so many rows; the last may be lower."""
        for start in range(0, self.height, rows):
            yield Window(self.top + start, self.left, min(rows, self.height - start), self.width)
