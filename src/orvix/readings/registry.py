"""What a reading is: a name, and a function from a picture to numbers with a verdict and where it shows."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.pictures.writing import WHITE, Rgb, contrasting_ground, flat_rgb
from orvix.progress import UNWATCHED, Watch
from orvix.registry import Registry
from orvix.tiles.repeats import Repeat

Floats = NDArray[np.float32]
Offset = tuple[int, int]


@dataclass(frozen=True)
class Subject:
    """What is read: rgb float32 (rows, columns, 3) in 0 to 1, sRGB-encoded, and alpha (rows, columns) or None.

    ground: what the picture lies on, where it has alpha. proven: whether closing is proven. borders: where the
    source's borders lie now, as moves (x, y) in px. watch: who may stop a long reading. directions: which way
    each motif of a layout points, and how much it counts.
    """

    rgb: Floats
    repeat: Repeat
    alpha: Floats | None = None
    proven: bool = False
    borders: tuple[Offset, ...] = ((0, 0),)
    notes: tuple[str, ...] = field(default=())
    ground: Rgb = WHITE
    watch: Watch = UNWATCHED
    directions: tuple[tuple[float, float], ...] = ()

    @classmethod
    def of(cls, pixels: NDArray[np.uint16], repeat: Repeat, **more: Any) -> Subject:
        """From premultiplied 16-bit pixels (rows, columns, 4), read over the ground they contrast with."""
        if (pixels[..., 3] == 65535).all():
            return cls(flat_rgb(pixels), repeat, **more)
        ground = contrasting_ground(pixels)
        alpha = pixels[..., 3].astype(np.float32) * np.float32(1 / 65535)
        return cls(flat_rgb(pixels, ground), repeat, alpha, ground=ground, **more)

    @property
    def width(self) -> int:
        """Columns in px."""
        return int(self.rgb.shape[1])

    @property
    def height(self) -> int:
        """Rows in px."""
        return int(self.rgb.shape[0])

    @property
    def on_black(self) -> Floats:
        """The picture over black: what a grain or light on nothing amounts to."""
        if self.alpha is None:
            return self.rgb
        return self.rgb - np.asarray(self.ground, np.float32) * (1 - self.alpha[..., None])

    @cached_property
    def lab(self) -> Floats:
        """CIE L*a*b* (D65)."""
        return np.asarray(cv2.cvtColor(np.ascontiguousarray(self.rgb), cv2.COLOR_RGB2Lab))

    def small_lab(self, side: int) -> Floats:
        """L*a*b* reduced by area to at most `side` px a side."""
        factor = max(max(self.width, self.height) / side, 1.0)
        size = max(round(self.width / factor), 1), max(round(self.height / factor), 1)
        return np.asarray(cv2.resize(self.lab, size, interpolation=cv2.INTER_AREA), np.float32)

    def reduced(self, side: int) -> Subject:
        """The picture reduced by area to at most `side` px a side; what is small stays as it is."""
        factor = max(self.width, self.height) / side
        if factor <= 1:
            return self
        size = max(round(self.width / factor), 1), max(round(self.height / factor), 1)
        rgb = np.asarray(cv2.resize(self.rgb, size, interpolation=cv2.INTER_AREA), np.float32)
        alpha = None if self.alpha is None else np.asarray(cv2.resize(self.alpha, size, interpolation=cv2.INTER_AREA))
        borders = tuple((round(x / factor), round(y / factor)) for x, y in self.borders)
        return Subject(
            rgb, self.repeat, alpha, self.proven, borders, self.notes, self.ground, self.watch, self.directions
        )


@dataclass(frozen=True)
class Reading:
    """take: the reading as JSON types, whose "applies" says whether it means anything here.

    quick: whether it is taken while values move; take is then told so.
    """

    name: str
    title: str
    help: str
    take: Callable[[Subject, bool], Any]
    quick: bool = True


READINGS: Registry[Reading] = Registry("reading")


def masked(subject: Subject, side: int) -> tuple[NDArray[np.bool_], float] | None:
    """Where motifs lie on their ground, reduced to `side` px, and the scale back to px of the tile.

    By alpha where there is any; else the ground is the colour that most px have, within 8 dE. None where no such ground
    is seen: under 15 % or over 99.5 % of the px, or too many in between to tell motif from ground.
    """
    factor = max(max(subject.width, subject.height) / side, 1.0)
    size = max(round(subject.width / factor), 4), max(round(subject.height / factor), 4)
    if subject.alpha is not None:
        mask = cv2.resize(subject.alpha, size, interpolation=cv2.INTER_AREA) > 0.4
        return (mask, factor) if 0.03 < mask.mean() < 0.85 else None
    lab = cv2.resize(subject.lab, size, interpolation=cv2.INTER_AREA)
    away = np.sqrt(((lab - _commonest(lab)) ** 2).sum(axis=2))
    ground, unsure = float((away < 8).mean()), float(((away >= 8) & (away < 24)).mean())
    if not 0.15 < ground < 0.995 or unsure > 0.22 * (1 - ground):
        return None
    return away >= 12, factor


def _commonest(lab: Floats) -> Floats:
    """The middle of the fullest cell of a histogram, 5 dE a side."""
    cells = np.floor(lab.reshape(-1, 3) / 5).astype(np.int64)
    keys = (cells[:, 0] * 128 + cells[:, 1] + 64) * 128 + cells[:, 2] + 64
    found, counts = np.unique(keys, return_counts=True)
    fullest = lab.reshape(-1, 3)[keys == found[np.argmax(counts)]]
    return np.asarray(fullest.mean(axis=0), np.float32)
