"""Tote: a bag that hangs from its handles, sewn from two panels; soft folds fall from where the handles pull."""

from __future__ import annotations

import numpy as np

from orvix.proofs.surfaces.scene import Plane, Scene, add_surface
from orvix.proofs.surfaces.shapes import flat, folded, rod

WIDTH_MM, HEIGHT_MM = 380.0, 420.0
_HANDLES = (-82.0, 82.0)
_WEBBING = (0.80, 0.74, 0.62)


def _rise(u: Plane, v: Plane) -> Plane:
    x = u - WIDTH_MM / 2
    falls = np.minimum(v / HEIGHT_MM, 1.0)
    body = 30 * np.cos(np.pi * x / WIDTH_MM) * falls**0.7
    fold = sum(
        side * 13 * np.exp(-(((x - at * (1 - 0.35 * falls)) / 26) ** 2)) * (1 - falls) ** 0.5 * np.minimum(v / 60, 1)
        for at, side in ((-82, 1.0), (82, 1.0), (0, -1.1))
    )
    low = 8 * np.sin(x / 21 + 0.6) * np.exp(-(((v - 330) / 90) ** 2))
    return body + fold + low


@add_surface("tote", "Tote", "380 × 420 mm", "A cotton bag, hung by its handles and lit from the left.")
def scene() -> Scene:
    """The front panel under its handles."""
    panel = folded(WIDTH_MM, HEIGHT_MM, _rise, hang="top").moved(y=80)
    turn = np.linspace(0, np.pi, 60)
    path = np.stack([-82 * np.cos(turn), -126 - 176 * np.sin(turn) ** 0.8, 4 + 26 * np.sin(turn)], axis=-1)
    strap = rod(path, 13, 0.16).in_colour(*_WEBBING)
    back = rod(path * np.array([0.97, 0.95, 1]) - np.array([0, 8, 40]), 13, 0.16).in_colour(0.66, 0.61, 0.5)
    patches = [flat(32, 38).moved(at, -110, 13).in_colour(0.74, 0.68, 0.55) for at in _HANDLES]
    return Scene([back, panel, strap, *patches], (520, 680), 1900, shadow_mm=16)
