"""The coarse part of a picture: a Gaussian blur with a large reach, computed on a reduced picture."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.tiles.repeats import Repeat, cloth

Floats = NDArray[np.float32]


def coarse(plane: NDArray[Any], sigma_px: float, repeat: Repeat | None) -> Floats:
    """A Gaussian blur of (rows, columns[, channels]), float32 or uint16; float32 of the same shape and scale.

    repeat: neighbours are copies of the tile under it; None: the picture ends at its borders, which go on outwards. The
    picture is reduced until sigma is 3 px or less, and enlarged linearly: within 1 % of the range of the exact blur.
    """
    rows, columns = plane.shape[:2]
    factor = max(sigma_px / 3, 1.0)
    small_w, small_h = _small_size(columns, rows, factor, repeat)
    small = cv2.resize(plane, (small_w, small_h), interpolation=cv2.INTER_AREA)
    small = small.reshape(small_h, small_w, *plane.shape[2:]).astype(np.float32, copy=False)
    sigmas = sigma_px * small_w / columns, sigma_px * small_h / rows
    margin = 2
    if repeat is not None:
        margin = int(3.5 * max(sigmas)) + 2
        small = cloth(small, repeat, -margin, -margin, small_h + 2 * margin, small_w + 2 * margin)
    else:
        small = cv2.copyMakeBorder(small, margin, margin, margin, margin, cv2.BORDER_REPLICATE)
    blurred = cv2.GaussianBlur(small, (0, 0), sigmas[0], sigmaY=sigmas[1], borderType=cv2.BORDER_REFLECT)
    across, down = small_w / columns, small_h / rows
    at = np.array([[across, 0, across / 2 - 0.5 + margin], [0, down, down / 2 - 0.5 + margin]], np.float64)
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    out = cv2.warpAffine(blurred, at, (columns, rows), flags=flags, borderMode=cv2.BORDER_REPLICATE)
    return out.reshape(plane.shape)


def _small_size(columns: int, rows: int, factor: float, repeat: Repeat | None) -> tuple[int, int]:
    """A size about `factor` times smaller, of which the stagger is nearest to whole px."""
    width, height = max(round(columns / factor), 1), max(round(rows / factor), 1)
    if repeat is None or factor <= 1 or repeat.kind == "straight":
        return width, height
    length, least = (columns, width) if repeat.kind == "brick" else (rows, height)
    share = repeat.stagger_px(columns, rows) / length
    tries = range(least, min(least + max(least // 3, 4), length) + 1)
    best = min(tries, key=lambda n: (round(abs(share * n - repeat.stagger_px(n, n)), 6), n))
    return (best, height) if repeat.kind == "brick" else (width, best)
