"""Holes: the largest bare places between motifs, beside the usual ones.

The distance to the nearest motif, taken on the cloth; its highest top over the usual one: the median of its local tops,
each counted by the area it stands for, so that bays within motifs count little. Evenly spread motifs read about 1.5,
random ones 1.7; over 2.3 it is a hole (docs/readings/layouts.md). Means something for motifs on a ground only.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.readings.registry import READINGS, Reading, Subject, masked
from orvix.tiles.repeats import cloth

MOST = 2.3
_SIDE = 256


def holes(subject: Subject, quick: bool = False) -> dict[str, Any]:
    """{"value", "at": [x, y], "radius_px", "applies", "verdict", "others"}: the largest hole and those like it."""
    found = masked(subject, _SIDE)
    if found is None:
        nothing = {"value": None, "at": None, "radius_px": None, "applies": False}
        return nothing | {"verdict": "no motifs on a ground", "others": []}
    motif, factor = found
    places, heights = _tops(motif, subject)
    if not len(heights):
        return {"value": 1.0, "at": [0, 0], "radius_px": 0.0, "applies": True, "verdict": "even", "others": []}
    usual = _usual(heights)
    value = float(heights[0]) / usual
    large = [n for n in range(len(heights)) if heights[n] > max(MOST * usual, 0.8 * heights[0])]
    apart: list[int] = []
    for n in large:
        if all(np.hypot(*(places[n] - places[other])) > heights[n] for other in apart):
            apart.append(n)
    listed = [_hole(places[n], heights[n], factor) for n in apart[:6]]
    told = {"value": round(value, 3), **_hole(places[0], heights[0], factor), "applies": True}
    return told | {"verdict": "hole" if value > MOST else "even", "others": listed}


def _usual(heights: NDArray[np.float32]) -> float:
    """The median of heights that fall, each counted by its square."""
    counted = np.cumsum(heights[::-1].astype(np.float64) ** 2)
    return float(heights[::-1][np.searchsorted(counted, counted[-1] / 2)])


def _hole(place: NDArray[np.float64], radius: float, factor: float) -> dict[str, Any]:
    at = [round(float((place[n] + 0.5) * factor)) for n in (0, 1)]
    return {"at": at, "radius_px": round(float(radius) * factor, 1)}


def _tops(motif: NDArray[np.bool_], subject: Subject) -> tuple[NDArray[np.float64], NDArray[np.float32]]:
    """Places (x, y) and heights of the local tops of the distance to motifs, on the cloth, the highest first."""
    rows, columns = motif.shape
    around = cloth(motif, subject.repeat, -rows, -columns, 3 * rows, 3 * columns)
    far = cv2.distanceTransform((~around).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    tops = (far == cv2.dilate(far, np.ones((7, 7), np.uint8))) & (far > 1.5)
    tops, far = tops[rows : 2 * rows, columns : 2 * columns], far[rows : 2 * rows, columns : 2 * columns]
    at_y, at_x = np.nonzero(tops)
    order = np.argsort(-far[at_y, at_x], kind="stable")
    return np.stack([at_x, at_y], axis=1)[order].astype(np.float64), far[at_y, at_x][order]


READINGS.add("holes", Reading("holes", "Holes", "Gaps between motifs that are larger than the rest.", holes))
