"""Smearing: stamp after stamp takes up the colour under it and lays down what it carries.

The stamps, their sizes and their cover are those of the brush, its grain included. What is carried keeps `keep` of
itself at every stamp and takes the rest from the picture; the first stamp only takes up.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.geometry import Box, Key, join
from orvix.strokes import kernels
from orvix.strokes.dabs import Dabs
from orvix.strokes.painter import NO_GRAIN, Area, BlockGrain, Plane, StrokePainter
from orvix.strokes.windows import gather, ones, scatter

Pixels = NDArray[np.uint16]


class SmearPainter(StrokePainter):
    """Paints one smear into blocks that `block_of` gives, for reading and writing: uint16 (BLOCK, BLOCK, 4)."""

    def __init__(
        self,
        rules: NDArray[np.float64],
        dabs: Dabs,
        area: Area,
        grain_at: Callable[[tuple[int, int]], BlockGrain | None] | None,
        block_of: Callable[[Key], Pixels],
        keep: float,
    ) -> None:
        """keep: 0 to 1, the share of what is carried that stays at each stamp."""
        super().__init__(rules, dabs, area, grain_at)
        self._block_of = block_of
        self._keep = np.float32(keep)
        self._carried: Plane | None = None

    def _paint(self, stamps: NDArray[np.float64]) -> dict[Key, Box]:
        places, shapes = self._dabs(stamps)
        changed: dict[Key, Box] = {}
        for n, reach in enumerate(self._tip.reach(shapes)):
            x, y, far = int(places[n, 0]), int(places[n, 1]), int(reach)
            box = (x - far, y - far, x + far + 1, y + far + 1)
            for key, part in self._stamp(box, places, shapes, n).items():
                both = join(changed.get(key), part)
                assert both is not None
                changed[key] = both
        return changed

    def _stamp(self, box: Box, places: NDArray[np.int64], shapes: Plane, n: int) -> dict[Key, Box]:
        side = box[2] - box[0]
        window: Pixels = gather(self._area, box, np.zeros((side, side, 4), np.uint16), self._block_of)
        paint = np.zeros((side, side), np.float32)
        self._tip.lay(paint, box[1], box[0], self._tooth_under(box), places, shapes, np.array([n]))
        first = self._carried is None
        self._carried = window.astype(np.float32) if self._carried is None else _at_side(self._carried, window)
        kernels.smear_dab(window, self._carried, paint, self._keep, first)
        return {} if first else scatter(self._area, box, window, self._block_of)

    def _tooth_under(self, box: Box) -> Any:
        grain = self._grain
        return NO_GRAIN if grain is None else gather(self._area, box, ones(box), lambda key: grain.block(*key))


def _at_side(carried: Plane, window: Pixels) -> Plane:
    """What is carried, about its middle, in a window of another side; where it did not reach, what lies there."""
    have, want = carried.shape[0], window.shape[0]
    if have == want:
        return carried
    if have > want:
        cut = (have - want) // 2
        return np.ascontiguousarray(carried[cut : cut + want, cut : cut + want])
    out = window.astype(np.float32)
    rim = (want - have) // 2
    out[rim : rim + have, rim : rim + have] = carried
    return out
