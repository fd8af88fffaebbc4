"""Scenes drawn into planes of a picture: for every px which sheet it shows, where on its cloth, and in what light.

Triangles of each sheet's grid are filled with perspective (u / w, v / w and 1 / w are linear in the picture), the
nearest kept, at two times the size each way; then each px takes the nearest of its four and how many of them show
anything. Called by `rendering`, which keeps what comes out: it does not depend on the tile.
"""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import pairwise
from queue import SimpleQueue

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.bands import THREADS
from orvix.compiling import kernel, kernel_with
from orvix.proofs.surfaces.scene import Plane, Points, Scene, Sheet

_FINER = 2
_STRIPS = 12
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


@kernel_with(inline="always")
def _inside(low, high, first, step):  # type: ignore[no-untyped-def]
    """From where to where along a row, between low and high, first + x step is no less than -1e-9."""
    if step > 1e-300:
        low = max(low, (-1e-9 - first) / step)
    elif step < -1e-300:
        high = min(high, (-1e-9 - first) / step)
    elif first < -1e-9:
        high = low - 1.0
    return low, high


@kernel
def _fill(planes, which, sheet, corners, keep, spans, above):  # type: ignore[no-untyped-def]
    """Fill a grid of corners; unchecked kernel.

    planes: float32 (rows, columns, 5): near, u, v, light, gloss, of which near decides. which: uint8 (rows, columns).
    corners: float64 (n, m, 7): x, y in px, near, and u, v, light, gloss, the last four times near.
    keep: float64 (n, m), below one half: nothing there. spans: (n - 1, 2), from where to where each row of pieces
    reaches down the picture. above: how many rows of the picture lie above these.
    """
    rows, columns = which.shape
    at_a, to_b, to_c = np.empty(5), np.empty(5), np.empty(5)
    for i in range(corners.shape[0] - 1):
        if spans[i, 1] < above - 1 or spans[i, 0] > above + rows + 1:
            continue
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
                # The shares of b and c, and all that is told, are linear along a row: only px inside are walked.
                step_b, step_c = (c[1] - a[1]) * back, -(b[1] - a[1]) * back
                for k in range(5):
                    at_a[k] = a[2 + k]
                    to_b[k], to_c[k] = b[2 + k] - a[2 + k], c[2 + k] - a[2 + k]
                for y in range(top, bottom):
                    py = y + above + 0.5
                    first_b = ((0.5 - a[0]) * (c[1] - a[1]) - (py - a[1]) * (c[0] - a[0])) * back
                    first_c = ((b[0] - a[0]) * (py - a[1]) - (b[1] - a[1]) * (0.5 - a[0])) * back
                    low, high = np.float64(left), np.float64(right - 1)
                    low, high = _inside(low, high, first_b, step_b)
                    low, high = _inside(low, high, first_c, step_c)
                    low, high = _inside(low, high, 1.0 - first_b - first_c, -step_b - step_c)
                    for x in range(int(np.ceil(low)), int(np.floor(high)) + 1):
                        wb, wc = first_b + x * step_b, first_c + x * step_c
                        near = at_a[0] + wb * to_b[0] + wc * to_c[0]
                        if near <= planes[y, x, 0]:
                            continue
                        which[y, x] = sheet
                        planes[y, x, 0] = near
                        far = 1.0 / near
                        for k in range(1, 5):
                            planes[y, x, k] = (at_a[k] + wb * to_b[k] + wc * to_c[k]) * far


@kernel
def _reduce(out, which_out, cover, planes, which):  # type: ignore[no-untyped-def]
    """Each px from its four: the mean of those of the nearest sheet, and how many show anything; unchecked kernel.

    The planes are left as if nothing had been filled.
    """
    for y in range(cover.shape[0]):
        for x in range(cover.shape[1]):
            best, many, sheet = np.float32(0.0), 0, which_out[y, x]
            for dy in range(2):
                for dx in range(2):
                    near = planes[2 * y + dy, 2 * x + dx, 0]
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
                    if which[py, px] == sheet and planes[py, px, 0] > best * np.float32(0.997):
                        alike += np.float32(1.0)
                        for k in range(5):
                            out[k, y, x] += planes[py, px, k]
            for k in range(5):
                out[k, y, x] /= alike
            for dy in range(2):
                for dx in range(2):
                    planes[2 * y + dy, 2 * x + dx, 0] = 0
            which_out[y, x] = sheet
            cover[y, x] = np.float32(many) * np.float32(0.25)


def draw(scene: Scene, width: int) -> Drawn:
    """A scene at `width` px across; its height follows."""
    px_per_mm = width / scene.size_mm[0]
    height = max(round(scene.size_mm[1] * px_per_mm), 1)
    corners = [_corners(one, width, height, px_per_mm) for one in scene.corners]
    grids = [(one, _kept(sheet), _spans(one)) for one, sheet in zip(corners, scene.sheets, strict=True)]

    edges = [round(height * n / _STRIPS) for n in range(_STRIPS + 1)]
    most = max(last - first for first, last in pairwise(edges)) * _FINER
    # Room that is taken once: fresh memory for every strip costs as much as filling it.
    room: SimpleQueue[tuple[NDArray[np.float32], NDArray[np.uint8]]] = SimpleQueue()
    for _ in range(THREADS):
        room.put((np.zeros((most, width * _FINER, 5), np.float32), np.empty((most, width * _FINER), np.uint8)))
    # Near, u, v and what `told` is: light, gloss, cover and shadow.
    out = np.zeros((7, height, width), np.float32)
    near, u, v, _, _, cover, shadow = out
    which_out = np.full((height, width), NOTHING, np.uint8)

    def strip(first: int, last: int) -> None:
        mine = room.get()
        planes, which = (one[: (last - first) * _FINER] for one in mine)
        for n, (seen, keep, spans) in enumerate(grids):
            _fill(planes, which, np.uint8(n), seen, keep, spans, first * _FINER)
        _reduce(out[:, first:last], which_out[first:last], cover[first:last], planes, which)
        room.put(mine)

    with ThreadPoolExecutor(THREADS) as threads:
        list(threads.map(strip, edges[:-1], edges[1:]))
    shadow[:] = _shadow(cover, scene.shadow_mm * px_per_mm)
    return Drawn(which_out, u, v, near, out[3:], px_per_mm)


def _spans(corners: Points) -> Points:
    """From where to where each row of pieces reaches down the picture, (n - 1, 2)."""
    low, high = corners[..., 1].min(axis=1), corners[..., 1].max(axis=1)
    return np.stack([np.minimum(low[:-1], low[1:]), np.maximum(high[:-1], high[1:])], axis=1)


def _kept(sheet: Sheet) -> Plane:
    return np.ones(sheet.points.shape[:2]) if sheet.cover is None else sheet.cover


def _shadow(cover: NDArray[np.float32], reach_px: float) -> NDArray[np.float32]:
    """A soft shadow behind what is there, to the right and down, as far as `reach_px`: how dark, 0 to 1."""
    if reach_px < 1:
        return np.zeros_like(cover)
    size = cover.shape[::-1]
    small = cv2.resize(cover, (-(-size[0] // 4), -(-size[1] // 4)), interpolation=cv2.INTER_AREA)
    move = np.array([[1, 0, reach_px * 0.35 / 4], [0, 1, reach_px * 0.6 / 4]], np.float32)
    small = cv2.warpAffine(small, move, small.shape[::-1])
    soft = cv2.resize(cv2.GaussianBlur(small, (0, 0), reach_px / 10), size, interpolation=cv2.INTER_LINEAR)
    return np.asarray(_DARKEST * soft * (1 - cover), np.float32)


def _corners(seen: Points, width: int, height: int, px_per_mm: float) -> Points:
    """What a scene says of its corners, in px of the picture that is filled."""
    out = seen.copy()
    out[..., :2] *= px_per_mm * _FINER
    out[..., :2] += np.array([width, height]) * _FINER / 2
    return out
