"""The coats of a stroke mixed over one another into one picture of the stroke, block by block."""

from __future__ import annotations

from math import ceil

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.colour.blending import lay_over, mode_number
from orvix.compiling import kernel
from orvix.geometry import Box, Key, block_box, part_of
from orvix.strokes.area import Area
from orvix.strokes.coats import CoatPainter
from orvix.strokes.windows import gather

Plane = NDArray[np.float32]
_RIM = np.float32(0.75)


class CoatMix:
    """What one stroke's coats make together. area: where it lands."""

    def __init__(self, painters: list[CoatPainter], area: Area) -> None:
        self._painters = painters
        self._area = area
        self._modes = [mode_number(one.loaded.coat.values["mix"]) for one in painters]
        self._wet = [_wet_of(one, area) for one in painters]
        self.margin = max((ceil(3 * sigma) for _, sigma in self._wet if sigma), default=0)

    @property
    def plain(self) -> bool:
        """Whether the stroke is one cover in one colour."""
        one = self._painters[0]
        whole = len(self._painters) == 1 and not one.coloured and not self.margin
        return whole and (one.grain is None or one.grain.colours is None)

    def picture(self, key: Key, box: Box) -> Plane:
        """The stroke within a block, over nothing: float32 (rows, columns, 4), premultiplied, of a box of the
        canvas."""
        part = part_of(key, box)
        out = np.zeros((box[3] - box[1], box[2] - box[0], 4), np.float32)
        for painter, mode, wet in zip(self._painters, self._modes, self._wet, strict=True):
            over = self._coat(painter, key, wet, part)
            if over is not None:
                lay_over(out.reshape(-1, 4), over.reshape(-1, 4), mode)
        return out

    def _coat(
        self, painter: CoatPainter, key: Key, wet: tuple[float, float], part: tuple[slice, slice]
    ) -> Plane | None:
        cover = painter.part(key, *part)
        if cover is None:
            return None
        if wet[0] > 0:
            rim = self._rim(painter, key, *wet)[part]
            cover = cover * (rim if cover.ndim == 2 else rim[..., None])
        if painter.coloured:
            return cover
        if painter.grain is not None and painter.grain.colours is not None:
            colours = painter.grain.colours.block(*key, part, cover > 0)[part]
            return np.ascontiguousarray(colours * cover[..., None])
        out = np.empty((*cover.shape, 4), np.float32)
        _tint(out.reshape(-1, 4), cover.reshape(-1), painter.colour)
        return out

    def _rim(self, painter: CoatPainter, key: Key, amount: float, sigma: float) -> Plane:
        """What a wet edge leaves of each px of a block: less where the stroke is as wide as the blur around it.

        A whole block and its surroundings are always blurred, so that it does not matter which part is asked for.
        """
        margin = ceil(3 * sigma)
        left, top, right, bottom = block_box(key)
        box = (left - margin, top - margin, right + margin, bottom + margin)
        window = np.zeros((box[3] - box[1], box[2] - box[0]), np.float32)
        gather(self._area, box, window, painter.alpha)
        side = 2 * margin + 1
        soft = cv2.GaussianBlur(window, (side, side), sigma)[margin:-margin, margin:-margin]
        return 1 - np.float32(amount) * _RIM * np.clip(2 * soft - 1, 0, 1)


def _wet_of(painter: CoatPainter, area: Area) -> tuple[float, float]:
    values = painter.loaded.coat.values
    amount = values["wet_edge"]
    return (amount, values["wet_px"] * float(area.times) / 2) if amount > 0 else (0.0, 0.0)


@kernel
def _tint(out, cover, colour):  # type: ignore[no-untyped-def]
    """out (n, 4) = a colour under a cover (n,); unchecked kernel."""
    for n in range(cover.shape[0]):
        for c in range(3):
            out[n, c] = colour[c] * cover[n]
        out[n, 3] = cover[n]
