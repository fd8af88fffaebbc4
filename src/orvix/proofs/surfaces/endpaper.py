"""Endpaper: the paper inside the boards of an open book, bent where the pages meet."""

from __future__ import annotations

import numpy as np

from orvix.proofs.surfaces.scene import Plane, Scene, add_surface
from orvix.proofs.surfaces.shapes import flat, folded

WIDTH_MM, HEIGHT_MM = 400.0, 280.0


def _rise(u: Plane, v: Plane) -> Plane:
    """Two pages that swell towards the fold and go down into it."""
    away = np.abs(u - WIDTH_MM / 2)
    return 15 * (1 - np.exp(-away / 13)) * np.exp(-((away / 120) ** 2)) * 1.5 + 0 * v


@add_surface("endpaper", "Endpaper", "400 × 280 mm", "The first two pages of an open book.")
def scene() -> Scene:
    """The sheet over both boards, seen from above and a little from below."""
    paper = folded(WIDTH_MM, HEIGHT_MM, _rise)
    block = [
        flat(WIDTH_MM + 3 - n, HEIGHT_MM + 1.5 - n / 2).moved(z=-5 + n).in_colour(0.9, 0.88, 0.83) for n in range(3)
    ]
    boards = flat(WIDTH_MM + 16, HEIGHT_MM + 12).moved(z=-8).in_colour(0.23, 0.26, 0.28)
    return Scene([one.turned("x", 16) for one in (boards, *block, paper)], (470, 330), 1500, shadow_mm=10)
