"""Sheets of cloth, paper and metal in space: flat, with folds, round, and the straps and rims beside them.

Cloth does not stretch: every maker keeps lengths along the sheet, so that a tile lies on it at its true scale.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from orvix.proofs.surfaces.scene import Plane, Points, Sheet

STEP_MM = 4.0
_STEEPEST = 0.96
"""Of 1, at which cloth stands upright."""


def _places(width_mm: float, height_mm: float, across: int = 0, down: int = 0) -> tuple[Plane, Plane]:
    columns = across or max(int(width_mm / STEP_MM), 2)
    rows = down or max(int(height_mm / STEP_MM), 2)
    v, u = np.meshgrid(np.linspace(0, height_mm, rows + 1), np.linspace(0, width_mm, columns + 1), indexing="ij")
    return u, v


def flat(width_mm: float, height_mm: float, across: int = 0, down: int = 0) -> Sheet:
    """A flat sheet, its middle at the origin."""
    u, v = _places(width_mm, height_mm, across, down)
    points = np.stack([u - width_mm / 2, v - height_mm / 2, np.zeros_like(u)], axis=-1)
    return Sheet(points, np.stack([u, v], axis=-1))


def folded(width_mm: float, height_mm: float, rise: Callable[[Plane, Plane], Plane], *, hang: str = "middle") -> Sheet:
    """A sheet that rises towards the eye by rise(u, v) mm, places on the cloth in mm from its upper left.

    Along each thread x' = sqrt(1 - rise'^2), so that the thread keeps its length; the other thread's slope changes it
    only where rise changes both ways at once. hang: what stays in its place, "middle" or "top" (the upper border).
    """
    u, v = _places(width_mm, height_mm)
    z = rise(u, v)
    du, dv = width_mm / (u.shape[1] - 1), height_mm / (u.shape[0] - 1)
    x, y = _along(z, du, 1), _along(z, dv, 0)
    x -= (x[:, :1] + x[:, -1:]) / 2
    y -= (y[:1] + y[-1:]) / 2 if hang == "middle" else y[:1] + height_mm / 2
    return Sheet(np.stack([x, y, z], axis=-1), np.stack([u, v], axis=-1), shade=hollows(z))


def _along(z: Plane, step: float, axis: int) -> Plane:
    slope = np.clip(np.diff(z, axis=axis) / step, -_STEEPEST, _STEEPEST)
    lengths = np.cumsum(np.sqrt(1 - slope * slope) * step, axis=axis)
    first = np.zeros_like(np.take(z, [0], axis=axis))
    return np.concatenate([first, lengths], axis=axis)


def hollows(z: Plane, strength: float = 0.045) -> Plane:
    """Less light in what lies deeper than what is around it: a share for each place."""
    import cv2

    around = cv2.GaussianBlur(z, (0, 0), 5, borderType=cv2.BORDER_REPLICATE)
    return np.clip(1 - strength * np.maximum(around - z, 0), 0.45, 1.0)


def tube(radius_mm: float, height_mm: float, from_deg: float = -180, to_deg: float = 180, rim: float = 0.0) -> Sheet:
    """The wall of an upright tube, its middle at the origin; 0 degrees faces the eye. u runs round it.

    rim: how much wider it is at the upper end, as a share of the radius; then u is true halfway up.
    """
    arc = np.radians(to_deg - from_deg) * radius_mm
    u, v = _places(arc, height_mm, across=max(int(abs(to_deg - from_deg) / 2), 8))
    angle = np.radians(from_deg) + u / radius_mm
    wide = radius_mm * (1 + rim * (0.5 - v / height_mm))
    points = np.stack([wide * np.sin(angle), v - height_mm / 2, wide * np.cos(angle)], axis=-1)
    return Sheet(points, np.stack([u, v], axis=-1))


def disc(radius_mm: float, inner_mm: float = 0.0) -> Sheet:
    """A flat disc or ring that faces up, its middle at the origin; up on the tile is away from the eye."""
    inner_mm = max(inner_mm, radius_mm / 500)  # a point has no side that faces the light
    turn, way = np.meshgrid(np.linspace(-np.pi, np.pi, 121), np.linspace(inner_mm, radius_mm, 17), indexing="ij")
    x, z = way * np.sin(turn), way * np.cos(turn)
    points = np.stack([x, np.zeros_like(x), z], axis=-1)
    return Sheet(points, np.stack([x + radius_mm, z + radius_mm], axis=-1))


def rod(path: Points, radius_mm: float, flatness: float = 1.0) -> Sheet:
    """A rod or strap along a path (n, 3) in mm. flatness: how thick it is beside how wide it is."""
    along = np.gradient(path, axis=0)
    along /= np.linalg.norm(along, axis=1, keepdims=True)
    aside = np.cross(along, np.array([0.0, 0.0, 1.0]))
    lengths = np.linalg.norm(aside, axis=1, keepdims=True)
    aside = np.where(lengths > 1e-6, aside / np.maximum(lengths, 1e-6), np.array([1.0, 0.0, 0.0]))
    up = np.cross(aside, along)
    turn = np.linspace(0, 2 * np.pi, 25)
    ring = np.cos(turn)[None, :, None] * aside[:, None] + flatness * np.sin(turn)[None, :, None] * up[:, None]
    points = path[:, None] + radius_mm * ring
    way = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(path, axis=0), axis=1))])
    v, u = np.meshgrid(way, turn * radius_mm, indexing="ij")
    return Sheet(points, np.stack([u, v], axis=-1))


def cut(sheet: Sheet, keep: Callable[[Plane, Plane], NDArray[np.bool_]]) -> Sheet:
    """The sheet where keep(u, v) is true."""
    return replace(sheet, cover=keep(sheet.uv[..., 0], sheet.uv[..., 1]).astype(np.float64))
