"""The tiles that fill layers show, always as their newest version has them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import numpy as np

from orvix.canvases.fills import FillTile
from orvix.canvases.layers import Stack
from orvix_web.tiles.models import TileVersion
from orvix_web.tiles.rendering import Recent, tile_state

_TILES = Recent(24)


class OwnedTiles:
    """Tiles of one owner by their numbers: an `orvix.canvases.fills.TileOf`. Reads rows: never on the event loop."""

    def __init__(self, owner_id: int, versions: Mapping[str, int] | None = None) -> None:
        """versions: the version that counts of each tile named, by its number as text; of all others the newest."""
        self._owner_id = owner_id
        self._fixed = dict(versions or {})
        self._known: dict[int, tuple[int, FillTile] | None] = {}

    def __call__(self, number: int) -> FillTile | None:
        if number not in self._known:
            self._look([number])
        known = self._known[number]
        return known[1] if known else None

    def refresh(self) -> bool:
        """Take up newer versions of the tiles that are shown; whether any was changed."""
        before = dict(self._known)
        self._look(before)
        return any(self._known[number] != before[number] for number in before)

    def versions(self, numbers: Iterable[int]) -> dict[str, int]:
        """The versions of tiles that are shown, as an operation keeps them that makes pixels of them."""
        shown = {number: self._known[number] for number in numbers if self(number)}
        return {str(number): known[0] for number, known in shown.items() if known}

    def _look(self, numbers: Iterable[int]) -> None:
        wanted = list(numbers)
        versions = TileVersion.objects.filter(tile__owner_id=self._owner_id, tile_id__in=wanted)
        found: dict[int, TileVersion] = {}
        for one in versions.select_related("tile").order_by("number") if wanted else ():
            if self._fixed.get(str(one.tile_id), one.pk) == one.pk:
                found[one.tile_id] = one
        for number in wanted:
            self._known[number] = (found[number].pk, _fill_tile(found[number])) if number in found else None


def _fill_tile(version: TileVersion) -> FillTile:
    def load() -> FillTile:
        state = tile_state(version)
        return FillTile(state.pixels.astype(np.float32) / np.float32(65535), state.repeat)

    return _TILES.get(version.pk, load)


def tiles_filled_with(stack: Stack) -> set[int]:
    """The numbers of the tiles that the fills of a stack show."""
    return {one.fill.tile for one in stack if one.fill is not None and one.fill.tile}
