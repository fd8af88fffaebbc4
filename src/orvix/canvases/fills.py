"""What a fill layer shows: a colour, or a tile that lies on the canvas at a scale, a turn and an offset, and repeats.

A fill holds no pixels: its blocks are worked out where they are looked at, from whatever the tile is now.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from fractions import Fraction
from functools import lru_cache
from math import floor
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.canvases.blocks import Block
from orvix.canvases.compositing import colour_to_rgb
from orvix.errors import BadValue, UnknownName
from orvix.geometry import BLOCK, MOST_SIDE, Key
from orvix.grains.field import GrainField, Placing, prefiltered
from orvix.grains.fit import FitQuestion, closing, snapped_scales
from orvix.registry import check_colour
from orvix.strokes.area import Area
from orvix.tiles.repeats import Repeat

_KEPT_BLOCKS = 96
_KNOWN = ("colour", "tile", "scale", "turn", "x", "y")
_LEAST_SCALE, _MOST_SCALE = Fraction(1, 50), Fraction(50)


@dataclass(frozen=True)
class Fill:
    """colour: `#rrggbb`, or empty where `tile` is the number of one. scale: canvas px a tile px, 0.02 to 50.

    turn: degrees clockwise. x, y: whole px of the canvas that the tile's upper left corner is moved by.
    """

    colour: str = ""
    tile: int = 0
    scale: Fraction = Fraction(1)
    turn: float = 0.0
    x: int = 0
    y: int = 0

    def at_times(self, times: Fraction) -> Fill:
        """The same on a canvas that is so many times larger."""
        x, y = (floor(one * times + Fraction(1, 2)) for one in (self.x, self.y))
        return replace(self, scale=self.scale * times, x=x, y=y)

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it; `Fill.parse` gives the same fill back."""
        if self.colour:
            return {"colour": self.colour}
        return {"tile": self.tile, "scale": str(self.scale), "turn": self.turn, "x": self.x, "y": self.y}

    @classmethod
    def parse(cls, told: Any) -> Fill:
        """One from JSON data; raises BadValue."""
        if not isinstance(told, dict):
            raise BadValue("fill", told, "must be an object with a colour or a tile")
        for name in told:
            if name not in _KNOWN:
                raise UnknownName("value of a fill", name, list(_KNOWN))
        if told.get("colour"):
            return cls(check_colour("colour", told["colour"]))
        tile, turn = told.get("tile"), told.get("turn", 0.0)
        if isinstance(tile, bool) or not isinstance(tile, int) or not 1 <= tile < 2**31:
            raise BadValue("tile", tile, "must be the number of a tile, where the fill has no colour")
        if isinstance(turn, bool) or not isinstance(turn, int | float) or not -3600 <= turn <= 3600:
            raise BadValue("turn", turn, "must be -3600 to 3600 degrees")
        moves = [told.get(name, 0) for name in ("x", "y")]
        for name, moved in zip("xy", moves, strict=True):
            if isinstance(moved, bool) or not isinstance(moved, int) or abs(moved) > 4 * MOST_SIDE:
                raise BadValue(name, moved, f"must be a whole number of px, at most {4 * MOST_SIDE} either way")
        return cls("", tile, _scale(told.get("scale", 1)), float(turn) % 360.0, *moves)


def _scale(given: Any) -> Fraction:
    try:
        scale = Fraction(str(given)).limit_denominator(100_000)
    except (ValueError, ZeroDivisionError) as error:
        raise BadValue("scale", given, "must be a decimal or a fraction such as 5/17") from error
    if not _LEAST_SCALE <= scale <= _MOST_SCALE:
        raise BadValue("scale", given, "must be 0.02 to 50")
    return scale


@dataclass(frozen=True, eq=False)
class FillTile:
    """The tile of a fill as it is now: float32 (rows, columns, 4), premultiplied, 0 to 1; and its repeat."""

    pixels: NDArray[np.float32]
    repeat: Repeat


TileOf = Callable[[int], FillTile | None]
"""Gives the tile of a number as it is now: the same object as long as it has not changed; None for none."""


def fill_question(fill: Fill, tile: FillTile, area: Area) -> FitQuestion:
    """The question whether a fill's tile closes on a canvas."""
    rows, columns = tile.pixels.shape[:2]
    canvas_repeat = area.joined.repeat if area.joined else Repeat("straight")
    return FitQuestion(
        (columns, rows), (area.width, area.height), fill.scale, tile.repeat, canvas_repeat, turn_deg=fill.turn
    )


@dataclass
class FillBlocks:
    """Blocks of the fills of one canvas. A block stays the same object while its fill and its tile stay the same."""

    area: Area
    tile_of: TileOf = lambda number: None
    _fields: dict[Fill, tuple[FillTile, GrainField]] = field(default_factory=dict)
    _kept: OrderedDict[tuple[Fill, Key], tuple[Any, Block]] = field(default_factory=OrderedDict)

    def of_layer(self, layer: Any, key: Key) -> Block | None:
        """What a layer with a `fill` shows at a block; None for nothing."""
        return None if layer.fill is None else self.block(layer.fill, key)

    def block(self, fill: Fill, key: Key) -> Block | None:
        """What a fill shows at a block: uint16 (BLOCK, BLOCK, 4), read-only; None where its tile is gone."""
        tile = None if fill.colour else self.tile_of(fill.tile)
        if tile is None and not fill.colour:
            return None
        if tile is None:
            return plain_block(fill.colour)
        at = (fill, key)
        kept = self._kept.get(at)
        if kept is not None and kept[0] is tile:
            self._kept.move_to_end(at)
            return kept[1]
        block = _rounded(self._field(fill, tile), key)
        block.flags.writeable = False
        self._kept[at] = tile, block
        while len(self._kept) > _KEPT_BLOCKS:
            self._kept.popitem(last=False)
        return block

    def _field(self, fill: Fill, tile: FillTile) -> GrainField:
        found = self._fields.get(fill)
        if found is None or found[0] is not tile:
            question = fill_question(fill, tile, self.area)
            scales = snapped_scales(question) or (fill.scale, fill.scale)
            placing = Placing(*scales, origin=(fill.x, fill.y), turn_deg=fill.turn, closing=closing(question))
            pixels = prefiltered(tile.pixels, tile.repeat, *(float(one) for one in scales))
            found = self._fields[fill] = tile, GrainField(pixels, tile.repeat, placing)
            for old in list(self._fields)[:-4]:
                del self._fields[old]
        return found[1]


@lru_cache(maxsize=16)
def plain_block(colour: str) -> Block:
    """A block of one colour, `#rrggbb`, opaque; read-only."""
    rgb = [one * 257 for one in colour_to_rgb(colour)]
    block = np.full((BLOCK, BLOCK, 4), (*rgb, 65535), np.uint16)
    block.flags.writeable = False
    return block


def _rounded(lies: GrainField, key: Key) -> Block:
    plane = np.clip(lies.window(key[0] * BLOCK, key[1] * BLOCK, BLOCK, BLOCK), 0, 1)
    out = (plane * np.float32(65535) + np.float32(0.5)).astype(np.uint16)
    np.minimum(out[..., :3], out[..., 3:], out=out[..., :3])
    return out
