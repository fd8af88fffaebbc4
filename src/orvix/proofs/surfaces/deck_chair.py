"""Deck chair: a long piece of cloth that hangs between two bars of a wooden frame."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from orvix.proofs.surfaces.scene import Scene, add_surface
from orvix.proofs.surfaces.shapes import flat, rod

WIDTH_MM, LENGTH_MM = 430.0, 1120.0
_WOOD, _DARK = (0.62, 0.45, 0.27), (0.52, 0.37, 0.22)


def _hang() -> tuple[np.ndarray, np.ndarray]:
    """The way of a hanging cloth from the upper bar to the lower one: (n, 2) of y and z, and the way along it."""
    at = np.linspace(-1, 1, 281)
    sag = np.cosh(1.35 * at)
    way = np.stack([at * 390, 150 * (sag - sag.max()) / (sag.max() - 1)], axis=-1)
    way[:, 1] += 0.4 * way[:, 0]
    lengths = np.concatenate([[0], np.cumsum(np.hypot(*np.diff(way, axis=0).T))])
    return way * (LENGTH_MM / lengths[-1]), lengths * (LENGTH_MM / lengths[-1])


@add_surface("deck-chair", "Deck chair", "430 × 1120 mm", "The sling of a deck chair between its bars.")
def scene() -> Scene:
    """Seen from the front, the sling leaning back."""
    way, lengths = _hang()
    sheet = flat(WIDTH_MM, LENGTH_MM, across=60, down=280)
    points = sheet.points.copy()
    dip = 1 - (sheet.uv[..., 0] / WIDTH_MM * 2 - 1) ** 2
    points[..., 1], points[..., 2] = way[:, :1], way[:, 1:] - 10 * dip
    uv = sheet.uv.copy()
    uv[..., 1] = lengths[:, None]
    sling = replace(sheet, points=points, uv=uv)
    top, low = way[0], way[-1]
    bars = [rod(np.array([[-265.0, y, z], [0, y, z], [265, y, z]]), 17).in_colour(*_WOOD) for y, z in (top, low)]
    sides = []
    for x in (-246.0, 246.0):
        legs = [
            ([x, top[0] - 70, top[1] - 30], [x, low[0] + 210, low[1] + 130]),
            ([x * 1.08, top[0] + 330, top[1] - 260], [x * 1.08, low[0] + 20, low[1] + 20]),
        ]
        for n, (a, b) in enumerate(legs):
            path = np.linspace(a, b, 20)
            sides.append(rod(path, 15, 0.8).in_colour(*(_DARK if n else _WOOD)))
    return Scene([*sides, *bars, sling], (860, 1280), 4200, shadow_mm=30)
