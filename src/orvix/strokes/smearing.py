"""Smearing: stamp after stamp takes up the colour under it and lays down what it carries.

The stamps, their sizes and their cover are those of the brush's lowest coat, its grain included; the first one only
takes up. Both what is laid and what is taken up are set by the way between stamps, so that closer ones do not smear
more: over a length of the stamp, 0.9 x strength of the picture is replaced by what is carried, and of what is carried
a share stays that reaches `reach` lengths on in the mean.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.compiling import kernel
from orvix.geometry import BLOCK, Box, Key, block_box, clip, join, part_of
from orvix.strokes import rhythm
from orvix.strokes.area import Area
from orvix.strokes.coats import CoatPainter, Paint, Plane
from orvix.strokes.dabs import Marks
from orvix.strokes.grains import CoatGrain
from orvix.strokes.loaded import LoadedCoat
from orvix.strokes.symmetry import copies_of
from orvix.strokes.windows import gather, ones, scatter

Pixels = NDArray[np.uint16]
_MOST_LAID = 0.9


class SmearPainter(CoatPainter):
    """Paints one smear into blocks that `block_of` gives, for reading and writing: uint16 (BLOCK, BLOCK, 4)."""

    def __init__(
        self,
        loaded: LoadedCoat,
        rules: rhythm.Rules,
        area: Area,
        paint: Paint,
        grain_at: Callable[[tuple[int, int]], CoatGrain | None],
        block_of: Callable[[Key], Pixels],
        strength: float,
        reach: float,
    ) -> None:
        """strength: 0 to 1; reach: lengths of the stamp."""
        super().__init__(loaded, rules, area, paint, grain_at)
        self.coloured = False
        self._block_of = block_of
        self._left = 1.0 - _MOST_LAID * strength
        self._reach = reach
        self._maps = area.maps
        self._carried: dict[int, Plane] = {}
        """What is carried, for each copy of the symmetry."""

    def paint(self, marks: Marks) -> dict[Key, Box]:
        """See `CoatPainter`: into the picture itself."""
        places, dabs, reach = self.dabs(marks)
        copies = 1 if self._maps is None else len(self._maps)
        if self._maps is not None:
            places, dabs, reach = copies_of(self._maps, places, dabs, reach)
        changed: dict[Key, Box] = {}
        ways = np.repeat(marks[:, rhythm.S_SPACING] / marks[:, rhythm.S_SIZE], copies)
        laid, keep = 1.0 - self._left**ways, self._reach / (self._reach + ways)
        for n, far in enumerate(reach.tolist()):
            x, y = int(places[n, 0]), int(places[n, 1])
            box = (x - far, y - far, x + far + 1, y + far + 1)
            for key, part in self._stamp(box, (places, dabs, reach), n, n % copies, laid[n], keep[n]).items():
                both = join(changed.get(key), part)
                assert both is not None
                changed[key] = both
        return changed

    def _stamp(
        self, box: Box, given: tuple[Any, Plane, Any], n: int, copy: int, laid: float, keep: float
    ) -> dict[Key, Box]:
        side = box[2] - box[0]
        key, part = self._alone(box)
        cover = np.zeros((side, side), np.float32)
        self.lay(cover, box[1], box[0], self._tooth_under(box), *given, np.array([n]))
        cover *= np.float32(laid)
        carried = self._carried.get(copy)
        first = carried is None
        if key is None:
            pixels = gather(self._area, box, np.zeros((side, side, 4), np.uint16), self._block_of)
        else:
            pixels = self._block_of(key)
        window = pixels[part]
        carried = self._carried[copy] = window.astype(np.float32) if carried is None else _at_side(carried, window)
        smear_dab(pixels, part[0].start, part[1].start, carried, cover, np.float32(keep), first)
        if first:
            return {}
        return scatter(self._area, box, pixels, self._block_of) if key is None else {key: box}

    def _alone(self, box: Box) -> tuple[Key | None, tuple[slice, slice]]:
        """The block that holds all of a window of the canvas, if one does, and where the window is in it.

        None where it must be gathered from several; then it begins at its own first px.
        """
        key = (box[1] // BLOCK, box[0] // BLOCK)
        if clip(box, clip(block_box(key), (0, 0, self._area.width, self._area.height))) == box:
            return key, part_of(key, box)
        return None, (slice(0, box[3] - box[1]), slice(0, box[2] - box[0]))

    def _tooth_under(self, box: Box) -> Any:
        grain = self.grain
        if grain is None or grain.field is None:
            return self.tooth((0, 0))
        field = grain.field
        return grain.tooth_under(gather(self._area, box, ones(box), lambda key: field.block(*key)))


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


@kernel
def smear_dab(pixels, top, left, carried, paint, keep, first):  # type: ignore[no-untyped-def]
    """One stamp of a smear: what is carried takes up the window's colour and is laid by `paint`; unchecked kernel.

    pixels: uint16 (any, any, 4), premultiplied, changed from row `top` and column `left` on. carried: float32 (rows,
    columns, 4), 0 to 65535, changed. paint: float32 (rows, columns). keep: the share of what is carried that stays;
    first: nothing is laid yet.
    """
    one, half = np.float32(1.0), np.float32(0.5)
    for y in range(paint.shape[0]):
        line, load, cover = pixels[top + y].reshape(-1)[4 * left :], carried[y].reshape(-1), paint[y]
        for x in range(cover.shape[0]):
            alpha = cover[x]
            for i in range(4 * x, 4 * x + 4):
                here = np.float32(line[i])
                held = here if first else load[i] * keep + here * (one - keep)
                load[i] = held
                line[i] = np.uint16(np.int32(here + (held - here) * alpha + half))
