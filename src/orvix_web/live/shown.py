"""What windows are shown of a canvas under a hand: its picture seen small, kept, and what is still to be made good."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from orvix.canvases.canvas import Canvas
from orvix.canvases.compositing import reduced
from orvix.geometry import Box, aligned, area, clip, merged
from orvix_web.canvases.storage import SHOWN_BITS

Rgba8 = NDArray[np.uint8]


class Shown:
    """The picture of one canvas as its windows see it."""

    def __init__(self, canvas: Canvas, picture: Rgba8 | None = None) -> None:
        """picture: the whole at the level that is kept, where it is at hand."""
        self._canvas = canvas
        self._swiftly: list[Box] = []
        self.fit(picture)

    def fit(self, picture: Rgba8 | None = None) -> None:
        """Made anew for the size, the ground and the edges that the canvas has now."""
        self._level = self._canvas.spec.level_within(SHOWN_BITS)
        self.picture = self._canvas.view(self._canvas.spec.box, self._level) if picture is None else picture
        """The whole at `_level`, as it was when blocks were last stored."""

    def view(self, box: Box, level: int, *, painting: bool, rests: bool) -> Rgba8:
        """As `Canvas.view`. painting: a stroke is under way. rests: `picture` is what is seen, and is cut from it."""
        if painting:
            seen = self._canvas.view(box, level, swift=True)
            if self._canvas.was_swift:
                self._swiftly = merged([*self._swiftly, box])
            return seen
        if level < self._level or not self._level or not rests:
            return self._canvas.view(box, level)
        step = 1 << self._level
        left, top, right, bottom = box[0] // step, box[1] // step, -(-box[2] // step), -(-box[3] // step)
        return reduced(np.ascontiguousarray(self.picture[top:bottom, left:right]), level - self._level)

    @property
    def unsettled(self) -> bool:
        """Whether windows were shown values that may be off by one, while a hand painted on one of many layers."""
        return bool(self._swiftly)

    def settle(self) -> list[Box]:
        """What is to be shown again, so that windows have every value as a file has it."""
        boxes, self._swiftly = self._swiftly, []
        return [one for box in boxes if area(one := clip(box, self._canvas.spec.box))]

    @property
    def small(self) -> Rgba8:
        """The whole picture at no more than 256 px a side, as it was when blocks were last stored."""
        return reduced(self.picture, self._canvas.spec.level_within(8) - self._level)

    def update(self, boxes: list[Box]) -> None:
        """Bring the kept picture up to date where it has changed."""
        for box in boxes:
            left, top, right, bottom = clip(aligned(box, 1 << self._level), self._canvas.spec.box)
            part = self._canvas.view((left, top, right, bottom), self._level)
            y, x = top >> self._level, left >> self._level
            self.picture[y : y + part.shape[0], x : x + part.shape[1]] = part
