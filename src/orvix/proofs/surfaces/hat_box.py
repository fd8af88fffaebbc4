"""Hat box: a wide round box of card, papered, with a cord."""

from __future__ import annotations

import numpy as np

from orvix.proofs.surfaces.scene import Scene, add_surface
from orvix.proofs.surfaces.shapes import disc, rod, tube

RADIUS_MM, WALL_MM, LID_MM = 165.0, 165.0, 48.0


@add_surface("hat-box", "Hat box", "330 × 215 mm", "A papered box with its lid on, seen from above.")
def scene() -> Scene:
    """The lid and the wall papered with one cloth, a cord over it."""
    half = (WALL_MM + LID_MM) / 2
    wall = tube(RADIUS_MM, WALL_MM).moved(y=half - WALL_MM / 2)
    skirt = tube(RADIUS_MM + 3, LID_MM).moved(y=-half + LID_MM / 2)
    top = disc(RADIUS_MM + 3).moved(y=-half)
    edge = tube(RADIUS_MM + 3.3, 3).moved(y=-half + LID_MM - 1).in_colour(0.30, 0.27, 0.24)
    turn = np.linspace(-np.pi / 2, np.pi / 2, 60)
    path = np.stack([120 * np.sin(turn), -half - 3 - 62 * np.cos(turn) ** 0.8, 20 + 0 * turn], axis=-1)
    cord = rod(path, 4).in_colour(0.55, 0.42, 0.25)
    return Scene([one.turned("x", -28) for one in (wall, skirt, top, edge, cord)], (460, 430), 1500, shadow_mm=18)
