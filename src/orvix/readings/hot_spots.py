"""Hot spots: single places that outweigh the rest, ranked against the tile's own.

Differences of Gaussians in L*a*b* at four sizes; every local top is beside the median of the tile's tops of its size. A
fixed limit would mark every motif, so only places at least twice as strong as the usual top are told.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from orvix.readings.registry import READINGS, Reading, Subject
from orvix.tiles.repeats import cloth

STANDS_OUT = 2.0
MOST = 5
_SIDE = 256


def hot_spots(subject: Subject, quick: bool = False) -> list[dict[str, Any]]:
    """[{"at": [x, y], "value", "radius_px"}], the strongest first; empty where none stands out."""
    lab = subject.small_lab(_SIDE)
    rows, columns = lab.shape[:2]
    scale = subject.width / columns
    found: list[tuple[float, float, float, float]] = []
    for share in (1 / 48, 1 / 28, 1 / 16, 1 / 10):
        sigma = share * min(rows, columns) / 2
        margin = int(4.5 * sigma) + 2
        around = cloth(lab, subject.repeat, -margin, -margin, rows + 2 * margin, columns + 2 * margin)
        away = cv2.GaussianBlur(around, (0, 0), max(sigma, 0.5)) - cv2.GaussianBlur(
            around, (0, 0), max(1.6 * sigma, 0.8)
        )
        strength = np.sqrt((away * away).sum(axis=2))
        side = 2 * int(max(2 * sigma, 2)) + 1
        top = cv2.dilate(strength, np.ones((side, side), np.uint8))
        inner = (slice(margin, margin + rows), slice(margin, margin + columns))
        tops = (strength == top)[inner] & (strength[inner] > 0.3)
        at_y, at_x = np.nonzero(tops)
        if len(at_y) < 6:
            continue
        heights = strength[inner][at_y, at_x]
        usual = float(np.percentile(heights, 75))
        found += [
            (float(h) / usual, float(x), float(y), 2 * sigma)
            for h, x, y in zip(heights, at_x, at_y, strict=True)
            if h > STANDS_OUT * usual
        ]
    found.sort(reverse=True)
    kept: list[tuple[float, float, float, float]] = []
    for one in found:
        if all(np.hypot(one[1] - other[1], one[2] - other[2]) > one[3] + other[3] for other in kept):
            kept.append(one)
    return [
        {
            "at": [round((x + 0.5) * scale), round((y + 0.5) * scale)],
            "value": round(value, 2),
            "radius_px": round(r * scale, 1),
        }
        for value, x, y, r in kept[:MOST]
    ]


READINGS.add(
    "hot_spots", Reading("hot_spots", "Hot spots", "Single spots much stronger than the rest.", hot_spots, quick=False)
)
