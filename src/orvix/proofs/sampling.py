"""A tile looked up anywhere on its cloth, at any size, without aliasing.

A pyramid of the tile at halves of its size (each the mean of what it covers), bilinear at two of its levels, blended;
where the px sees much more of the cloth one way than the other, several looks along that way are averaged. This is
trilinear filtering after Williams, "Pyramidal Parametrics" (1983), with the looks of Heckbert's elliptical footprint
reduced to its long axis.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.compiling import kernel
from orvix.tiles.repeats import Repeat

MOST_LOOKS = 8


@dataclass(frozen=True)
class Pyramid:
    """A tile at halves of its size, its px one after another: uint8 (n, 4), premultiplied.

    levels: float64 (levels, 4), where each begins, its width, its height and its stagger, in px of it; the stagger is
    no whole number on all of them. kind: 0 straight, 1 brick, 2 half-drop.
    """

    px: NDArray[np.uint8]
    levels: NDArray[np.float64]
    kind: int

    @classmethod
    def of(cls, tile: NDArray[np.uint8], repeat: Repeat) -> Pyramid:
        """tile: uint8 (rows, columns, 4), premultiplied."""
        pictures = [np.ascontiguousarray(tile)]
        while max(pictures[-1].shape[:2]) > 1:
            rows, columns = ((side + 1) // 2 for side in pictures[-1].shape[:2])
            smaller = cv2.resize(pictures[-1], (columns, rows), interpolation=cv2.INTER_AREA)
            pictures.append(smaller.reshape(rows, columns, 4))
        starts = np.cumsum([0, *(one.shape[0] * one.shape[1] for one in pictures)])
        rows, columns = tile.shape[:2]
        moved = repeat.stagger_px(columns, rows) / (columns if repeat.kind == "brick" else rows)
        levels = [
            [start, one.shape[1], one.shape[0], moved * one.shape[1 if repeat.kind == "brick" else 0]]
            for start, one in zip(starts, pictures, strict=False)
        ]
        kind = {"straight": 0, "brick": 1, "half-drop": 2}[repeat.kind]
        return cls(np.concatenate([one.reshape(-1, 4) for one in pictures]), np.array(levels, np.float64), kind)


@kernel
def _look(out, px, level, kind, x, y, share):  # type: ignore[no-untyped-def]
    """Add `share` of what lies at (x, y) of the cloth, in px of one level, to out (4,); unchecked kernel."""
    start, width, height, moved = int(level[0]), int(level[1]), int(level[2]), level[3]
    across = int(moved + 0.5)
    x, y = x - 0.5, y - 0.5
    if kind == 1:
        row = np.floor(y / height)
        y -= row * height
        x -= row * moved
        x -= np.floor(x / width) * width
    elif kind == 2:
        column = np.floor(x / width)
        x -= column * width
        y -= column * moved
        y -= np.floor(y / height) * height
    else:
        x -= np.floor(x / width) * width
        y -= np.floor(y / height) * height
    left, top = int(x), int(y)
    fx, fy = np.float32(x - left), np.float32(y - top)
    left, top = min(left, width - 1), min(top, height - 1)
    for dy in range(2):
        for dx in range(2):
            weight = (fx if dx else np.float32(1.0) - fx) * (fy if dy else np.float32(1.0) - fy) * share
            ix, iy = left + dx, top + dy
            if ix >= width:
                ix -= width
                if kind == 2:
                    iy -= across
                    if iy < 0:
                        iy += height
            if iy >= height:
                iy -= height
                if kind == 1:
                    ix -= across
                    if ix < 0:
                        ix += width
            at = start + iy * width + ix
            for c in range(4):
                out[c] += weight * np.float32(px[at, c])


@kernel
def _cloth(found, u, v, sheet, px, levels, kind, to_px, px_mm, y, x):  # type: ignore[no-untyped-def]
    """Add what one px sees of the tile to found (4,); as in `sample`. Unchecked kernel."""
    rows, columns = u.shape
    which = sheet[y, x]
    # How far one px goes on the cloth, measured to a neighbour on the same sheet.
    nx = x + 1 if x + 1 < columns and sheet[y, x + 1] == which else x - 1
    ny = y + 1 if y + 1 < rows and sheet[y + 1, x] == which else y - 1
    ux, vx, uy, vy = px_mm, 0.0, 0.0, px_mm
    beside, below = False, False
    if nx >= 0 and sheet[y, nx] == which:
        ux, vx = np.float64(u[y, nx] - u[y, x]) * (nx - x), np.float64(v[y, nx] - v[y, x]) * (nx - x)
        beside = True
    if ny >= 0 and sheet[ny, x] == which:
        uy, vy = np.float64(u[ny, x] - u[y, x]) * (ny - y), np.float64(v[ny, x] - v[y, x]) * (ny - y)
        below = True
    if beside and not below:
        uy, vy = -vx, ux
    elif below and not beside:
        ux, vx = vy, -uy
    ax, ay = to_px[0, 0] * ux + to_px[0, 1] * vx, to_px[1, 0] * ux + to_px[1, 1] * vx
    bx, by = to_px[0, 0] * uy + to_px[0, 1] * vy, to_px[1, 0] * uy + to_px[1, 1] * vy
    long, short = np.sqrt(ax * ax + ay * ay), np.sqrt(bx * bx + by * by)
    if short > long:
        long, short, ax, ay = short, long, bx, by
    looks = min(max(int(np.ceil(long / max(short, 1.0) - 0.25)), 1), MOST_LOOKS)
    depth = min(max(np.log2(max(long / looks, 1.0)), 0.0), levels.shape[0] - 1.0)
    low = int(depth)
    between = np.float32(depth - low)
    high = min(low + 1, levels.shape[0] - 1)
    cx = to_px[0, 0] * u[y, x] + to_px[0, 1] * v[y, x] + to_px[0, 2]
    cy = to_px[1, 0] * u[y, x] + to_px[1, 1] * v[y, x] + to_px[1, 2]
    for n in range(looks):
        along = (n + 0.5) / looks - 0.5
        px_x, px_y = cx + along * ax, cy + along * ay
        for k in range(2):
            share = (between if k else np.float32(1.0) - between) / np.float32(looks)
            if share > 0.0:
                level = levels[high if k else low]
                fx, fy = level[1] / levels[0, 1], level[2] / levels[0, 2]
                _look(found, px, level, kind, px_x * fx, px_y * fy, share)


@kernel
def sample(out, u, v, sheet, told, colours, shows, px, levels, kind, to_px, px_mm, top, bottom):  # type: ignore[no-untyped-def]
    """A tile on the sheets of a scene, in rows top to bottom; unchecked kernel.

    out: uint8 (rows, columns, 4), straight. u, v: float32 (rows, columns), places on the cloth in mm. sheet: uint8
    (rows, columns); colours: float32 (256, 3), 0 to 255, what each is made of; shows: bool (256,), whether it shows
    the tile. told: float32 (4, rows, columns): light, gloss, cover and shadow, as in `Drawn`. to_px: float64 (2, 3),
    from mm to px of the tile. px_mm: how large a px is, where none beside it shows the same sheet. px, levels, kind:
    as in `Pyramid`.
    """
    full, half = np.float32(255.0), np.float32(0.5)
    columns = u.shape[1]
    found = np.empty(4, np.float32)
    for y in range(top, bottom):
        for x in range(columns):
            which = sheet[y, x]
            found[:] = np.float32(0.0)
            if shows[which]:
                _cloth(found, u, v, sheet, px, levels, kind, to_px, px_mm, y, x)
            cover, shadow = told[2, y, x], told[3, y, x]
            alpha = cover + shadow
            share = cover / max(alpha, np.float32(1e-6))
            clear = np.float32(1.0) - found[3] * (np.float32(1.0) / full)
            for c in range(3):
                value = (found[c] + colours[which, c] * clear) * told[0, y, x] + full * told[1, y, x]
                out[y, x, c] = np.uint8(int(min(value, full) * share + half))
            out[y, x, 3] = np.uint8(int(min(alpha, np.float32(1.0)) * full + half))
