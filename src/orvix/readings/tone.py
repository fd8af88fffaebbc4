"""Tone: how light a picture is, how far its tones spread, and how much paint it would let through as a grain."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.pictures.writing import LUMA
from orvix.readings.registry import READINGS, Reading, Subject

_CLASSES = 24


@dataclass(frozen=True)
class Tone:
    """mean and std of luma, 0 to 1; passes: paint let through; shares: in 24 equal classes, black to white."""

    mean: float
    std: float
    passes: float
    shares: tuple[float, ...]

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it."""
        return asdict(self) | {"shares": list(self.shares)}


def tone(rgb: NDArray[np.float32]) -> Tone:
    """Read a picture, float32 (rows, columns, 3) in 0 to 1, sRGB-encoded (luma of Rec. ITU-R BT.709)."""
    luma = cv2.transform(np.ascontiguousarray(rgb), np.array([LUMA], np.float32))
    mean, std = (float(value.item()) for value in cv2.meanStdDev(luma))
    counts = cv2.calcHist([luma], [0], None, [_CLASSES], [0.0, 1.0 + 1e-6]).ravel()
    return Tone(mean, std, mean, tuple(float(count) for count in counts / luma.size))


def take(subject: Subject, quick: bool = False) -> dict[str, Any]:
    """The tone of a subject, as JSON types."""
    return tone(subject.on_black).as_dict()


READINGS.add("tone", Reading("tone", "Tone", "How light the tile is, and how much paint it passes as a grain.", take))
