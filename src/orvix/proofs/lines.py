"""The smallest lines of a picture at print size. Called by the checks of the print desk.

A picture is parted by Otsu's threshold ("A Threshold Selection Method from Gray-Level Histograms", 1979) into light and
dark. What an opening with a disc takes away is thinner than the disc; the smallest line is the first disc that takes a
share of either side's area that is seen.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.pictures.writing import LUMA

MOST_PX = 24
MOST_SIDE = 1024
"""Of a larger picture so much of its middle is measured."""
_SHARE = 0.01
_FLAT = 24
"""Light and dark that are nearer than this, of 255, are no lines but tone."""


def smallest_line_px(rgb: NDArray[np.uint8]) -> float | None:
    """How thin the thinnest lines are that hold 1 % of the light or the dark of a picture, in px.

    rgb: (rows, columns, 3). None: none is thinner than 24 px, or the picture has no light and dark.
    """
    rows, columns = rgb.shape[:2]
    top, left_px = max(rows - MOST_SIDE, 0) // 2, max(columns - MOST_SIDE, 0) // 2
    rgb = rgb[top : top + MOST_SIDE, left_px : left_px + MOST_SIDE]
    luma = (rgb @ np.array(LUMA, np.float32)).round().astype(np.uint8)
    parted = cv2.threshold(luma, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)[1]
    bright = parted > 0
    if bright.all() or not bright.any() or luma[bright].mean() - luma[~bright].mean() < _FLAT:
        return None
    for width in range(2, MOST_PX + 1):
        disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (width, width))
        for side in (bright, ~bright):
            plane = side.astype(np.uint8)
            left = cv2.morphologyEx(plane, cv2.MORPH_OPEN, disc, borderType=cv2.BORDER_REFLECT)
            if int(plane.sum()) - int(left.sum()) > _SHARE * int(plane.sum()):
                return float(width - 1)
    return None
