"""Holes: the largest bare places between motifs, beside the usual ones.

The distance to the nearest motif, taken on the cloth; its highest top over the median of its local tops. Evenly spread
motifs read about 1.4, random ones 2.2; over 2.5 it is a hole. Means something for motifs on a ground only.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from orvix.readings.registry import READINGS, Reading, Subject, masked
from orvix.tiles.repeats import cloth

MOST = 2.5
_SIDE = 256


def holes(subject: Subject, quick: bool = False) -> dict[str, Any]:
    """{"value", "at": [x, y], "radius_px", "applies", "verdict", "others"}: the largest hole and those like it."""
    found = masked(subject, _SIDE)
    if found is None:
        return {
            "value": None,
            "at": None,
            "radius_px": None,
            "applies": False,
            "verdict": "no motifs on a ground",
            "others": [],
        }
    motif, factor = found
    rows, columns = motif.shape
    around = cloth(motif, subject.repeat, -rows, -columns, 3 * rows, 3 * columns)
    far = cv2.distanceTransform((~around).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    tops = (far == cv2.dilate(far, np.ones((7, 7), np.uint8))) & (far > 1.5)
    tops, far = tops[rows : 2 * rows, columns : 2 * columns], far[rows : 2 * rows, columns : 2 * columns]
    at_y, at_x = np.nonzero(tops)
    if not len(at_y):
        return {"value": 1.0, "at": [0, 0], "radius_px": 0.0, "applies": True, "verdict": "even", "others": []}
    heights = far[at_y, at_x]
    order = np.argsort(-heights, kind="stable")
    usual = float(np.median(heights))
    value = float(heights[order[0]]) / usual
    listed = [
        {
            "at": [round((at_x[n] + 0.5) * factor), round((at_y[n] + 0.5) * factor)],
            "radius_px": round(float(heights[n]) * factor, 1),
        }
        for n in order
        if heights[n] > max(MOST * usual, 0.8 * heights[order[0]])
    ][:6]
    first = order[0]
    return {
        "value": round(value, 3),
        "at": [round((at_x[first] + 0.5) * factor), round((at_y[first] + 0.5) * factor)],
        "radius_px": round(float(heights[first]) * factor, 1),
        "applies": True,
        "verdict": "hole" if value > MOST else "even",
        "others": listed,
    }


READINGS.add("holes", Reading("holes", "Holes", "Bare places larger than the others.", holes))
