"""Neighbouring colours of a tip that are so alike that they run together once painted."""

from __future__ import annotations

import cv2
import numpy as np

from orvix.brushes.tips.registry import Rgba

MOST_COLOURS = 8
ALIKE = 9.0
"""Colours nearer than this in CIE Lab (1976) run together in a mark."""
_SIDE = 96
_LEAST_SHARE, _LEAST_BORDER = 0.02, 0.04


def alike_colours(picture: Rgba) -> list[tuple[str, str]]:
    """Pairs of flat colours, `#rrggbb`, that touch along a good part of their edges and are hard to tell apart.

    picture: premultiplied (rows, columns, 4). Pictures without flat colours, such as photos, give none.
    """
    rows, columns = picture.shape[:2]
    shrink = min(_SIDE / max(rows, columns), 1.0)
    size = (max(round(columns * shrink), 1), max(round(rows * shrink), 1))
    small = cv2.resize(np.ascontiguousarray(picture), size, interpolation=cv2.INTER_NEAREST)
    solid = small[..., 3] > 0.9
    whole = np.round(np.where(solid[..., None], small[..., :3], 0) * 255).astype(np.int64)
    codes = np.where(solid, (whole << [16, 8, 0]).sum(axis=-1), -1)
    colours, counts = np.unique(codes[_flat(codes) & solid], return_counts=True)
    flat = colours[counts >= _LEAST_SHARE * max(solid.sum(), 1)]
    if not 2 <= len(flat) <= MOST_COLOURS:
        return []
    lab = {int(one): _lab(int(one)) for one in flat}
    found = []
    for a, b in _borders(codes, [int(one) for one in flat]):
        if np.linalg.norm(lab[a] - lab[b]) < ALIKE:
            found.append((f"#{a:06x}", f"#{b:06x}"))
    return found


def _flat(codes: np.ndarray) -> np.ndarray:
    """Where a px has the colour of all four around it: not on an edge between two colours."""
    wide = np.pad(codes, 1, mode="edge")
    inner = wide[1:-1, 1:-1]
    beside = (wide[:-2, 1:-1], wide[2:, 1:-1], wide[1:-1, :-2], wide[1:-1, 2:])
    return np.logical_and.reduce([inner == one for one in beside])


def _lab(code: int) -> np.ndarray:
    rgb = np.array([[[code >> 16, code >> 8 & 255, code & 255]]], np.float32) / np.float32(255)
    return cv2.cvtColor(rgb, cv2.COLOR_RGB2LAB)[0, 0]


def _borders(codes: np.ndarray, flat: list[int]) -> list[tuple[int, int]]:
    """Pairs of colours that lie side by side often enough."""
    sides = [(codes[:, :-1], codes[:, 1:]), (codes[:-1], codes[1:])]
    found = []
    for n, a in enumerate(flat):
        for b in flat[n + 1 :]:
            meets = sum(int((((x == a) & (y == b)) | ((x == b) & (y == a))).sum()) for x, y in sides)
            if meets >= _LEAST_BORDER * min((codes == a).sum(), (codes == b).sum()) ** 0.5 * 4:
                found.append((a, b))
    return found
