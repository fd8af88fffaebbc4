"""Flat cloth: a piece that lies on a table, one corner of it not quite smooth."""

from __future__ import annotations

import numpy as np

from orvix.proofs.surfaces.scene import Plane, Scene, add_surface
from orvix.proofs.surfaces.shapes import folded

WIDTH_MM, HEIGHT_MM = 600.0, 450.0


def _rise(u: Plane, v: Plane) -> Plane:
    """Two soft folds that run out from the lower right corner."""
    far = (WIDTH_MM - u) * 0.6 + (HEIGHT_MM - v)
    near_corner = np.exp(-((far / 230) ** 2))
    across = (WIDTH_MM - u) * 0.8 - (HEIGHT_MM - v) * 0.6
    return 15 * near_corner * np.cos(across / 26)


@add_surface("flat-cloth", "Flat cloth", "600 × 450 mm", "Cloth on a table, with soft folds in a corner.")
def scene() -> Scene:
    """Seen straight from above."""
    return Scene([folded(WIDTH_MM, HEIGHT_MM, _rise)], (660, 500), 2400, shadow_mm=7)
