"""Cushion: a filled square with a piped edge. It swells, so near its corners the cloth is gathered."""

from __future__ import annotations

import numpy as np

from orvix.proofs.surfaces.scene import Plane, Scene, add_surface
from orvix.proofs.surfaces.shapes import folded, rod

SIDE_MM = 450.0


def _rise(u: Plane, v: Plane) -> Plane:
    s, t = 2 * u / SIDE_MM - 1, 2 * v / SIDE_MM - 1
    swell = 72 * ((1 - np.abs(s) ** 2.6) * (1 - np.abs(t) ** 2.6)) ** 0.75
    creases = 3.0 * np.cos(9 * np.arctan2(t, s) + 0.8) * (s * s + t * t) ** 1.5 * (1 - np.maximum(abs(s), abs(t)) ** 6)
    return swell + creases


@add_surface("cushion", "Cushion", "450 × 450 mm", "A filled cushion with a piped edge.")
def scene() -> Scene:
    """Seen from the front, turned a little."""
    cover = folded(SIDE_MM, SIDE_MM, _rise)
    points = cover.points
    rim = np.concatenate([points[0], points[1:, -1], points[-1, -2::-1], points[-2::-1, 0]])
    piping = rod(rim, 4).in_colour(0.27, 0.29, 0.31)
    return Scene([one.turned("y", 10).turned("z", -3) for one in (cover, piping)], (520, 500), 2000, shadow_mm=20)
