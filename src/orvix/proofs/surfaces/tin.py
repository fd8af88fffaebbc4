"""Tin: a round tin with a lid, printed round its wall and on its lid."""

from __future__ import annotations

from dataclasses import replace

from orvix.proofs.surfaces.scene import Scene, add_surface
from orvix.proofs.surfaces.shapes import disc, tube

RADIUS_MM, WALL_MM, LID_MM = 52.0, 92.0, 22.0
_TILT = -24.0
_METAL = (0.62, 0.63, 0.64)


@add_surface("tin", "Tin", "104 × 114 mm", "A round tin, its wall and its lid printed, its rims bare metal.")
def scene() -> Scene:
    """Seen a little from above."""
    wall = tube(RADIUS_MM, WALL_MM).moved(y=LID_MM / 2 + 3)
    skirt = tube(RADIUS_MM + 1.2, LID_MM).moved(y=-WALL_MM / 2)
    top = disc(RADIUS_MM - 1.5).moved(y=-WALL_MM / 2 - LID_MM / 2)
    rims = [
        tube(RADIUS_MM + 1.8, 2.6).moved(y=-WALL_MM / 2 + LID_MM / 2).in_colour(*_METAL, shine=0.5),
        tube(RADIUS_MM + 1.6, 2.2).moved(y=-WALL_MM / 2 - LID_MM / 2 + 0.6).in_colour(*_METAL, shine=0.5),
        disc(RADIUS_MM + 1.6, RADIUS_MM - 1.6).moved(y=-WALL_MM / 2 - LID_MM / 2 - 0.4).in_colour(*_METAL, shine=0.5),
        tube(RADIUS_MM + 0.8, 3).moved(y=WALL_MM / 2 + LID_MM / 2 + 2).in_colour(*_METAL, shine=0.5),
    ]
    sheets = [one.turned("x", _TILT) for one in (wall, skirt, top, *rims)]
    sheets[:3] = [replace(one, shine=0.22) for one in sheets[:3]]
    return Scene(sheets, (190, 200), 620, shadow_mm=7)
