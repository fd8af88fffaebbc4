"""The polygon tip: a regular polygon or star, drawn here at a fine size."""

from __future__ import annotations

from collections.abc import Mapping
from math import cos, pi, sin
from typing import Any

import cv2
import numpy as np

from orvix.brushes.tips.registry import TIPS, Plane, TipKind
from orvix.registry import Value

SIDE = 768
_FINE = 1 << 6
_SHIFT = 6

VALUES = (
    Value("sides", "Sides", "whole", 5, "Number of sides or star points.", low=3, high=24),
    Value("star", "Star", "number", 0.0, "How far each side is pulled in to make a star.", low=0, high=0.95),
    Value("rounded", "Corner rounding", "number", 0.0, "How round the corners are.", low=0, high=1),
    Value("tip_turn", "Tip rotation", "number", 0.0, "Rotates the tip before any other rotation.", unit="°", low=-180,
        high=180),
)  # fmt: skip


def draw(values: Mapping[str, Any]) -> Plane:
    """Its cover: float32 (SIDE, SIDE), 0 to 1, edges a px wide; the circle round its corners touches the borders."""
    sides, pull = values["sides"], cos(pi / values["sides"]) * (1 - values["star"])
    turn = values["tip_turn"] * pi / 180 - pi / 2
    corners = []
    for n in range(2 * sides):
        reach = 1.0 if n % 2 == 0 else pull
        angle = turn + n * pi / sides
        corners.append((reach * cos(angle), reach * sin(angle)))
    inset = values["rounded"] * 0.45 * pull
    points = np.array(corners) * (1 - inset) * (SIDE / 2 - 1) + SIDE / 2 - 0.5
    plane = np.zeros((SIDE, SIDE), np.uint8)
    fixed = np.round(points * _FINE).astype(np.int32)[None]
    cv2.fillPoly(plane, fixed, 255, cv2.LINE_AA, _SHIFT)
    if inset > 0:
        cv2.polylines(plane, fixed, True, 255, max(round(inset * SIDE), 1), cv2.LINE_AA, _SHIFT)
    return plane.astype(np.float32) / np.float32(255)


TIPS.add(
    "polygon",
    TipKind("polygon", "Polygon", "A regular polygon or a star, with sharp or round corners.", VALUES, draw=draw),
)
