"""Squinting: a cloth as a sharp eye sees it printed and some way off. Not a reading itself.

A sharp eye tells one minute of arc. At a distance d that is d tan(1/60 degree) wide; a Gaussian of half that standard
deviation takes out what is finer.
"""

from __future__ import annotations

from math import radians, tan

import numpy as np
from numpy.typing import NDArray

from orvix.tiles.lowpass import coarse
from orvix.tiles.repeats import Repeat

PRINT_PPI = 300.0
MM_PER_INCH = 25.4


def blur_px(distance_mm: float, ppi: float = PRINT_PPI) -> float:
    """The standard deviation, px of the tile, of what a sharp eye does not tell apart at a distance."""
    return 0.5 * distance_mm * tan(radians(1 / 60)) * ppi / MM_PER_INCH


def squint(rgba: NDArray[np.uint8], repeat: Repeat, distance_mm: float, ppi: float = PRINT_PPI) -> NDArray[np.uint8]:
    """An opaque 8-bit tile (rows, columns, 4) as seen from a distance; ppi of the px given."""
    sigma = blur_px(distance_mm, ppi)
    if sigma < 0.3:
        return rgba
    soft = coarse(rgba, sigma, repeat)
    return np.asarray(np.clip(soft + np.float32(0.5), 0, 255), np.uint8)
