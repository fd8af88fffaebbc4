"""Cabin bulkhead: a papered wall of a ship's cabin, seen along it, with a porthole and a rail."""

from __future__ import annotations

import numpy as np

from orvix.proofs.surfaces.scene import Plane, Scene, add_surface
from orvix.proofs.surfaces.shapes import cut, disc, flat

WIDTH_MM, HEIGHT_MM = 4200.0, 1500.0
PORT_MM, PORT_AT = 190.0, (2150.0, 560.0)
_BRASS, _WOOD = (0.66, 0.52, 0.28), (0.40, 0.28, 0.18)


def _wall(u: Plane, v: Plane) -> np.ndarray:
    return np.hypot(u - PORT_AT[0], v - PORT_AT[1]) > PORT_MM


@add_surface("bulkhead", "Cabin bulkhead", "1500 mm high", "A papered wall, seen along it, with a porthole.")
def scene() -> Scene:
    """The wall turned away from the eye; boards, rail, beam and porthole are no paper."""
    at = (PORT_AT[0] - WIDTH_MM / 2, PORT_AT[1] - HEIGHT_MM / 2)
    wall = cut(flat(WIDTH_MM, HEIGHT_MM, 840, 300), _wall)
    ring = disc(PORT_MM + 42, PORT_MM - 12).turned("x", 90).moved(*at, 14).in_colour(*_BRASS, shine=0.4)
    glass = disc(PORT_MM + 30).turned("x", 90).moved(*at, -6).in_colour(0.53, 0.60, 0.63, shine=0.5)
    rail = flat(WIDTH_MM, 60, 24, 2).moved(y=HEIGHT_MM / 2 - 10, z=26).in_colour(*_WOOD)
    boards = flat(WIDTH_MM, 900, 24, 2).moved(y=HEIGHT_MM / 2 + 450, z=8).in_colour(0.34, 0.24, 0.16)
    beam = flat(WIDTH_MM, 500, 24, 2).moved(y=-HEIGHT_MM / 2 - 250, z=12).in_colour(0.86, 0.85, 0.82)
    shelf = flat(WIDTH_MM, 40, 24, 2).moved(y=-HEIGHT_MM / 2 + 12, z=16).in_colour(*_WOOD)
    sheets = (glass, wall, ring, boards, rail, beam, shelf)
    return Scene([one.turned("y", 30) for one in sheets], (2400, 1700), 4200)
