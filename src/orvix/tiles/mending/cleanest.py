"""The cleanest part of a photo: where light is even, detail is alike all over, and no stain or lone speck lies."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.errors import BadValue
from orvix.tiles.mending.borders import to_lab

Floats = NDArray[np.float32]
_SIDE = 360


@dataclass(frozen=True)
class Part:
    """left, top, width, height in shares of the photo; cost: the less the cleaner (standard deviations of L*a*b*)."""

    left: float
    top: float
    width: float
    height: float
    cost: float

    def corners(self) -> list[list[float]]:
        """Its corners, as the photo source takes them."""
        right, bottom = min(self.left + self.width, 1.0), min(self.top + self.height, 1.0)
        return [[self.left, self.top], [right, self.top], [right, bottom], [self.left, bottom]]


def cleanest_parts(photo: Floats, width: float, height: float, most: int = 3) -> list[Part]:
    """The cleanest parts of a given size (shares of the photo, 0.1 to 1), best first, overlapping by at most half.

    photo: float32 (rows, columns, 3 or more) in 0 to 1. Raises BadValue for a size out of range.
    """
    for name, share in (("width", width), ("height", height)):
        if not 0.1 <= share <= 1:
            raise BadValue(name, share, "must be 0.1 to 1 of the photo")
    scale = _SIDE / max(photo.shape[:2])
    size = max(round(photo.shape[1] * scale), 16), max(round(photo.shape[0] * scale), 16)
    lab = to_lab(cv2.resize(photo[..., :3], size, interpolation=cv2.INTER_AREA))
    w, h = min(max(round(width * size[0]), 8), size[0]), min(max(round(height * size[1]), 8), size[1])
    cost = _cost(lab, w, h)
    parts: list[Part] = []
    while len(parts) < most and np.isfinite(cost).any():
        y, x = (int(n) for n in np.unravel_index(int(np.argmin(cost)), cost.shape))
        parts.append(Part(x / size[0], y / size[1], w / size[0], h / size[1], float(cost[y, x])))
        cost[max(y - h // 2, 0) : y + h // 2 + 1, max(x - w // 2, 0) : x + w // 2 + 1] = np.inf
    return parts


def _cost(lab: Floats, w: int, h: int) -> Floats:
    """For each place of a w x h window: unevenness of light, of detail, and the strongest spots in it."""
    low = cv2.GaussianBlur(lab, (0, 0), max(lab.shape) / 16)
    light = np.sqrt(np.maximum(sum(_variance(np.ascontiguousarray(low[..., c]), w, h) for c in range(3)), 0))
    fine = ((lab - cv2.GaussianBlur(lab, (0, 0), 2)) ** 2).sum(axis=2)
    detail = cv2.GaussianBlur(np.log2(fine + 0.5), (0, 0), max(lab.shape) / 24)
    uneven = np.sqrt(np.maximum(_variance(detail, w, h), 0))
    spots = np.sqrt(((cv2.GaussianBlur(lab, (0, 0), 3) - cv2.GaussianBlur(lab, (0, 0), 9)) ** 2).sum(axis=2))
    usual = float(np.median(spots))
    strong = np.maximum(spots - 3 * usual - 1, 0)
    return np.asarray(light + 1.5 * uneven + 12 * _mean(strong * strong, w, h) ** 0.5, np.float32)


def _mean(plane: Floats, w: int, h: int) -> NDArray[np.float64]:
    sums = cv2.integral(plane, sdepth=cv2.CV_64F)
    return np.asarray((sums[h:, w:] - sums[:-h, w:] - sums[h:, :-w] + sums[:-h, :-w]) / (w * h))


def _variance(plane: Floats, w: int, h: int) -> NDArray[np.float64]:
    return _mean(plane * plane, w, h) - _mean(plane, w, h) ** 2
