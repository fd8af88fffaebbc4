"""Small pictures of things, as PNG, for the strip and the lists."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.pictures.packing import flat_rgba8
from orvix.pictures.writing import contrasting_ground, png_bytes

WIDTH, HEIGHT = 192, 128


def thumbnail(rgb: NDArray[np.uint8], width: int = WIDTH, height: int = HEIGHT) -> bytes:
    """The middle of 8-bit pixels (rows, columns, 3 or 4), cut to the proportions and reduced by area."""
    rows, columns = rgb.shape[:2]
    scale = max(width / columns, height / rows)
    cut_w, cut_h = min(round(width / scale), columns), min(round(height / scale), rows)
    left, top = (columns - cut_w) // 2, (rows - cut_h) // 2
    part = np.ascontiguousarray(rgb[top : top + cut_h, left : left + cut_w, :3])
    return png_bytes(cv2.resize(part, (width, height), interpolation=cv2.INTER_AREA), level=3)


def tile_thumbnail(pixels: NDArray[np.uint16]) -> bytes:
    """A thumbnail of a tile's pixels, over the ground they contrast with."""
    return thumbnail(flat_rgba8(pixels, contrasting_ground(pixels)))


def plane_thumbnail(plane: NDArray[np.float32]) -> bytes:
    """A thumbnail of a grain."""
    grey = (plane * 255 + 0.5).astype(np.uint8)
    return thumbnail(np.dstack([grey, grey, grey]))
