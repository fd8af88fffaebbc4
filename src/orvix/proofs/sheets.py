"""A sheet of a tile: so many copies by so many, under its repeat."""

from __future__ import annotations

from typing import Any

from numpy.typing import NDArray

from orvix.errors import BadValue
from orvix.tiles.repeats import Repeat, cloth

FEWEST, MOST = 1, 12
MOST_PIXELS = 256 * 1024 * 1024


def sheet(tile: NDArray[Any], repeat: Repeat, columns: int, rows: int) -> NDArray[Any]:
    """`columns` by `rows` copies of a tile (height, width, ...), as one array of the same kind.

    Raises BadValue for counts outside 1 to 12 or a sheet of over 256 Mpx.
    """
    for name, count in (("columns", columns), ("rows", rows)):
        if not FEWEST <= count <= MOST:
            raise BadValue(name, count, f"must be {FEWEST} to {MOST}")
    height, width = tile.shape[:2]
    if height * rows * width * columns > MOST_PIXELS:
        raise BadValue("sheet", f"{width * columns}x{height * rows}", f"at most {MOST_PIXELS} px")
    return cloth(tile, repeat, 0, 0, height * rows, width * columns)
