"""Scenes drawn into planes of a picture: for every px which sheet it shows, where on its cloth, and in what light.

Triangles of each sheet's grid are filled with perspective (u / w, v / w and 1 / w are linear in the picture), the
nearest kept, at two times the size each way; then each px takes the nearest of its four and how many of them show
anything. Called by `rendering`, which keeps what comes out: it does not depend on the tile.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import cv2
import numpy as np
from numba import njit
from numpy.typing import NDArray

from orvix.bands import THREADS
from orvix.proofs.surfaces.scene import Plane, Points, Scene, Sheet

_FINER = 2
_STRIPS = 6
"""A scene is filled in so many strips of rows, on two threads, so that it never stands at twice its size whole."""
NOTHING = 255
_DARKEST = 0.4


@dataclass(frozen=True)
class Drawn:
    """A scene at one size, all planes (rows, columns): uint8 which sheet (255: none); float32 u and v on its cloth in
    mm, and near (1 / distance in mm). told: float32 (4, rows, columns), light as a share (1: as it is by itself), gloss
    to be added (0 to 1), cover, how much of the px it fills, and shadow, how dark it is behind."""

    sheet: NDArray[np.uint8]
    u: NDArray[np.float32]
    v: NDArray[np.float32]
    near: NDArray[np.float32]
    told: NDArray[np.float32]
    px_per_mm: float

    @property
    def nbytes(self) -> int:
        """What its planes weigh."""
        return sum(one.nbytes for one in (self.sheet, self.u, self.v, self.near, self.told))

    @property
    def light(self) -> NDArray[np.float32]:
        """Light as a share, 1 where a sheet is seen as it is by itself."""
        return self.told[0]

    @property
    def cover(self) -> NDArray[np.float32]:
        """How much of each px is filled, 0 to 1."""
        return self.told[2]

    def places(self, scene: Scene) -> Points:
        """Where in space each px looks at, (rows, columns, 3) in mm; nan where it looks at nothing."""
        rows, columns = self.sheet.shape
        y, x = np.mgrid[0:rows, 0:columns] + 0.5
        with np.errstate(divide="ignore"):
            away = np.where(self.sheet == NOTHING, np.nan, 1 / self.near.astype(np.float64))
        span = away / scene.distance_mm / self.px_per_mm
        return np.stack([(x - columns / 2) * span, (y - rows / 2) * span, scene.distance_mm - away], axis=-1)


@njit(nogil=True, cache=True, error_model="numpy")
def _fill(planes, which, sheet, corners, keep, above):  # type: ignore[no-untyped-def]
    """Fill a grid of corners; unchecked kernel.

    planes: float32 (5, rows, columns): near, u, v, light, gloss, of which near decides. which: uint8 (rows, columns).
    corners: float64 (n, m, 7): x, y in px, near, and u, v, light, gloss, the last four times near.
    keep: float64 (n, m), below one half: nothing there. above: how many rows of the picture lie above these.
    """
    rows, columns = which.shape
    for i in range(corners.shape[0] - 1):
        for j in range(corners.shape[1] - 1):
            for half in range(2):
                if half == 0:
                    a, b, c = corners[i, j], corners[i, j + 1], corners[i + 1, j]
                    kept = keep[i, j] + keep[i, j + 1] + keep[i + 1, j]
                else:
                    a, b, c = corners[i + 1, j + 1], corners[i + 1, j], corners[i, j + 1]
                    kept = keep[i + 1, j + 1] + keep[i + 1, j] + keep[i, j + 1]
                if kept < 1.5:
                    continue
                area = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
                if abs(area) < 1e-9:
                    continue
                left = max(int(np.floor(min(a[0], b[0], c[0]) - 0.5)), 0)
                right = min(int(np.ceil(max(a[0], b[0], c[0]) + 0.5)), columns)
                top = max(int(np.floor(min(a[1], b[1], c[1]) - 0.5)) - above, 0)
                bottom = min(int(np.ceil(max(a[1], b[1], c[1]) + 0.5)) - above, rows)
                back = 1.0 / area
                for y in range(top, bottom):
                    py = y + above + 0.5
                    for x in range(left, right):
                        px = x + 0.5
                        wb = ((px - a[0]) * (c[1] - a[1]) - (py - a[1]) * (c[0] - a[0])) * back
                        wc = ((b[0] - a[0]) * (py - a[1]) - (b[1] - a[1]) * (px - a[0])) * back
                        wa = 1.0 - wb - wc
                        if wa < -1e-9 or wb < -1e-9 or wc < -1e-9:
                            continue
                        near = wa * a[2] + wb * b[2] + wc * c[2]
                        if near <= planes[0, y, x]:
                            continue
                        which[y, x] = sheet
                        planes[0, y, x] = near
                        for k in range(4):
                            planes[1 + k, y, x] = (wa * a[3 + k] + wb * b[3 + k] + wc * c[3 + k]) / near


@njit(nogil=True, cache=True, error_model="numpy")
def _reduce(out, which_out, cover, planes, which):  # type: ignore[no-untyped-def]
    """Each px from its four: the mean of those of the nearest sheet, and how many show anything; unchecked kernel."""
    for y in range(cover.shape[0]):
        for x in range(cover.shape[1]):
            best, many, sheet = np.float32(0.0), 0, which_out[y, x]
            for dy in range(2):
                for dx in range(2):
                    near = planes[0, 2 * y + dy, 2 * x + dx]
                    many += near > 0.0
                    if near > best:
                        best, sheet = near, which[2 * y + dy, 2 * x + dx]
            if many == 0:
                continue
            alike = np.float32(0.0)
            for dy in range(2):
                for dx in range(2):
                    py, px = 2 * y + dy, 2 * x + dx
                    # A sheet may lie behind itself: what is farther than a fold is deep does not count.
                    if which[py, px] == sheet and planes[0, py, px] > best * np.float32(0.997):
                        alike += np.float32(1.0)
                        for k in range(5):
                            out[k, y, x] += planes[k, py, px]
            for k in range(5):
                out[k, y, x] /= alike
            which_out[y, x] = sheet
            cover[y, x] = np.float32(many) * np.float32(0.25)


def draw(scene: Scene, width: int) -> Drawn:
    """A scene at `width` px across; its height follows."""
    px_per_mm = width / scene.size_mm[0]
    height = max(round(scene.size_mm[1] * px_per_mm), 1)
    grids = [(_corners(scene, one, width, height, px_per_mm), _kept(one)) for one in scene.sheets]

    def strip(first: int, last: int) -> tuple[NDArray[np.float32], NDArray[np.uint8], NDArray[np.float32]]:
        rows = last - first
        planes = np.zeros((5, rows * _FINER, width * _FINER), np.float32)
        which = np.full(planes.shape[1:], NOTHING, np.uint8)
        for n, (corners, keep) in enumerate(grids):
            _fill(planes, which, np.uint8(n), corners, keep, first * _FINER)
        out, cover = np.zeros((5, rows, width), np.float32), np.zeros((rows, width), np.float32)
        which_out = np.full((rows, width), NOTHING, np.uint8)
        _reduce(out, which_out, cover, planes, which)
        return out, which_out, cover

    edges = [round(height * n / _STRIPS) for n in range(_STRIPS + 1)]
    with ThreadPoolExecutor(THREADS) as threads:
        outs, whiches, covers = zip(*threads.map(strip, edges[:-1], edges[1:]), strict=True)
    out, which_out, cover = np.concatenate(outs, axis=1), np.concatenate(whiches), np.concatenate(covers)
    near, u, v, light, gloss = out
    told = np.stack([light, gloss, cover, _shadow(cover, scene.shadow_mm * px_per_mm)])
    return Drawn(which_out, u, v, near, told, px_per_mm)


def _kept(sheet: Sheet) -> Plane:
    return np.ones(sheet.points.shape[:2]) if sheet.cover is None else sheet.cover


def _shadow(cover: NDArray[np.float32], reach_px: float) -> NDArray[np.float32]:
    """A soft shadow behind what is there, to the right and down, as far as `reach_px`: how dark, 0 to 1."""
    if reach_px < 1:
        return np.zeros_like(cover)
    size = cover.shape[::-1]
    move = np.array([[1, 0, reach_px * 0.35], [0, 1, reach_px * 0.6]], np.float32)
    small = cv2.resize(
        cv2.warpAffine(cover, move, size), (-(-size[0] // 4), -(-size[1] // 4)), interpolation=cv2.INTER_AREA
    )
    soft = cv2.resize(cv2.GaussianBlur(small, (0, 0), reach_px / 10), size, interpolation=cv2.INTER_LINEAR)
    return np.asarray(_DARKEST * soft * (1 - cover), np.float32)


def _corners(scene: Scene, sheet: Sheet, width: int, height: int, px_per_mm: float) -> Points:
    near = 1 / (scene.distance_mm - sheet.points[..., 2])
    scale = scene.distance_mm * near * px_per_mm * _FINER
    x = sheet.points[..., 0] * scale + width * _FINER / 2
    y = sheet.points[..., 1] * scale + height * _FINER / 2
    light, gloss = _lit(scene, sheet)
    told = np.stack([sheet.uv[..., 0], sheet.uv[..., 1], light, gloss], axis=-1) * near[..., None]
    return np.ascontiguousarray(np.concatenate([np.stack([x, y, near], axis=-1), told], axis=-1))


def _lit(scene: Scene, sheet: Sheet) -> tuple[Plane, Plane]:
    """Light as a share, 1 where a sheet faces the eye, and gloss (Blinn's half vector), for each corner."""
    down, across = np.gradient(sheet.points, axis=0), np.gradient(sheet.points, axis=1)
    normal = np.cross(across, down)
    normal /= np.maximum(np.linalg.norm(normal, axis=-1, keepdims=True), 1e-9)
    eye = np.array([0.0, 0.0, scene.distance_mm]) - sheet.points
    eye /= np.linalg.norm(eye, axis=-1, keepdims=True)
    if sheet.both_sides:
        normal = np.where((normal * eye).sum(-1, keepdims=True) < 0, -normal, normal)
    to_light = np.array(scene.light) / np.linalg.norm(scene.light)
    facing = (normal * to_light).sum(-1)
    light = 0.5 + 0.5 * np.maximum(facing, 0.0) / to_light[2]
    light = np.where(light > 1, 1 + 0.35 * (light - 1), light) * (1.0 if sheet.shade is None else sheet.shade)
    half = eye + to_light
    half /= np.linalg.norm(half, axis=-1, keepdims=True)
    gloss = sheet.shine * np.maximum((normal * half).sum(-1), 0) ** 40
    return light, gloss
