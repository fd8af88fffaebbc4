"""Mug: glazed, printed round its wall; the handle stays bare."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from orvix.proofs.surfaces.scene import Scene, add_surface
from orvix.proofs.surfaces.shapes import disc, rod, tube

RADIUS_MM, HEIGHT_MM = 41.0, 95.0
_GLAZE = (0.93, 0.93, 0.92)


@add_surface("mug", "Mug", "82 × 95 mm", "A glazed mug, printed all round beside its handle.")
def scene() -> Scene:
    """Seen a little from above, the handle to the right."""
    wall = tube(RADIUS_MM, HEIGHT_MM, -165, 75)
    bare = tube(RADIUS_MM - 0.05, HEIGHT_MM, 70, 200).in_colour(*_GLAZE, shine=0.3)
    inside = tube(RADIUS_MM - 3.5, HEIGHT_MM - 8).moved(y=-4).in_colour(0.80, 0.80, 0.79)
    rim = disc(RADIUS_MM, RADIUS_MM - 3.5).moved(y=-HEIGHT_MM / 2).in_colour(*_GLAZE, shine=0.4)
    floor = disc(RADIUS_MM - 3.5).moved(y=HEIGHT_MM / 2 - 8).in_colour(0.72, 0.72, 0.71)
    turn = np.linspace(-np.pi / 2, np.pi / 2, 40)
    path = np.stack([RADIUS_MM - 3 + 27 * np.cos(turn), 29 * np.sin(turn) - 2, np.zeros_like(turn)], axis=-1)
    handle = rod(path, 6.2, 0.75).turned("y", -14).in_colour(*_GLAZE, shine=0.4)
    sheets = [replace(wall, shine=0.3), bare, inside, rim, floor, handle]
    return Scene([one.turned("x", -14) for one in sheets], (170, 150), 520, shadow_mm=6)
