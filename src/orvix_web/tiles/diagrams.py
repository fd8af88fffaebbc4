"""Small drawings of how copies lie next to each other, for choosing a repeat by its picture."""

from __future__ import annotations

from dataclasses import dataclass

from orvix.tiles.joining import Joining

PART = (16, 12)
VIEW = (64, 44)


@dataclass(frozen=True)
class Flag:
    """One copy of the part: where its upper left corner is carried to, and how the part is mirrored (1 or -1)."""

    x: float
    y: float
    across: int
    down: int
    first: bool


def flags(repeat: str, neighbours: str = "plain") -> tuple[Flag, ...]:
    """Every copy of a part that shows in a view of VIEW px, the part itself in its middle; raises as Joining does."""
    joining = Joining.parse(repeat, "1/2", neighbours)
    (ax, ay), (bx, by) = joining.basis(*PART)
    left, top = (VIEW[0] - PART[0]) / 2, (VIEW[1] - PART[1]) / 2
    found = []
    for i in range(-4, 5):
        for j in range(-4, 5):
            for place in joining.places:
                x = left + place.column * PART[0] + i * ax + j * bx
                y = top + place.row * PART[1] + i * ay + j * by
                if -PART[0] < x < VIEW[0] and -PART[1] < y < VIEW[1]:
                    across, down = (-1 if place.across else 1), (-1 if place.down else 1)
                    first = (x, y, across, down) == (left, top, 1, 1)
                    found.append(Flag(x + PART[0] * place.across, y + PART[1] * place.down, across, down, first))
    return tuple(found)
