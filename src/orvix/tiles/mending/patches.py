"""Filling with patches: places of a tile covered anew with the parts of the same picture that fit best.

After A. Efros and W. Freeman, "Image quilting", SIGGRAPH 2001: each patch is sought where it differs least from what is
there already, and joined along a least-error cut; here each is then evened by its rim.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.progress import UNWATCHED, Watch
from orvix.tiles.repeats import Repeat, cloth

Floats = NDArray[np.float32]


def fill_band(picture: Floats, repeat: Repeat, band_px: int, watch: Watch = UNWATCHED) -> Floats:
    """Cover the borders of a tile, float32 (rows, columns, channels), with patches from its middle.

    Patches are about twice as wide as the band, and overlap by a third. They are laid on the tile moved by half, so
    that the borders lie in the middle, and sought among places that no border crosses.
    """
    rows, columns = picture.shape[:2]
    side = int(np.clip(2 * band_px, 24, min(rows, columns) // 4))
    moved = cloth(picture, repeat, rows // 2, columns // 2, rows, columns).copy()
    moved_y = rows - rows // 2
    moved_x = columns - columns // 2
    places = _places(rows, columns, moved_x, moved_y, side, repeat)
    source = np.ascontiguousarray(picture)
    for n, (x, y) in enumerate(places):
        watch.stop_if_asked()
        _lay(moved, source, repeat, (x - side // 2, y - side // 2), side)
        watch.tell((n + 1) / len(places), "laying patches")
    return cloth(moved, repeat, -(rows // 2), -(columns // 2), rows, columns)


def _places(rows: int, columns: int, at_x: int, at_y: int, side: int, repeat: Repeat) -> list[tuple[int, int]]:
    """Middles of patches along the former borders: the level one and the upright one, staggered ones in two parts."""
    step = max(side * 2 // 3, 8)
    level = [(x, at_y) for x in range(0, columns, step)]
    upright = [(at_x, y) for y in range(0, rows, step) if abs(y - at_y) > step // 2]
    moved = repeat.stagger_px(columns, rows)
    if repeat.kind == "half-drop" and moved:
        level = [(x, at_y if x < at_x else (at_y + moved) % rows) for x, _ in level]
    if repeat.kind == "brick" and moved:
        upright = [(at_x if y < at_y else (at_x + moved) % columns, y) for _, y in upright]
    return level + upright


def _lay(target: Floats, source: Floats, repeat: Repeat, corner: tuple[int, int], side: int) -> None:
    """Lay the best patch at a corner (x, y) of the tile; `target` is changed, wrapping at its borders."""
    x, y = corner
    around = cloth(target, repeat, y, x, side, side)
    patch = _best(source, around)
    blend = _rim_weight(side)[..., None]
    low = cv2.GaussianBlur(around - patch, (0, 0), side / 6)
    mixed = around * (1 - blend) + (patch + low) * blend
    for row in range(side):
        # A patch near the tile's edge wraps; under a stagger each part goes where the cloth has it.
        _put_row(target, repeat, x, y + row, mixed[row])


def _put_row(target: Floats, repeat: Repeat, x: int, y: int, line: Floats) -> None:
    rows, columns = target.shape[:2]
    moved = repeat.stagger_px(columns, rows)
    at = np.arange(x, x + len(line))
    lines = np.full(len(line), y)
    if repeat.kind == "half-drop":
        lines = lines - (at // columns) * moved
    elif repeat.kind == "brick":
        at = at - (lines // rows) * moved
    target[lines % rows, at % columns] = line


def _best(source: Floats, around: Floats) -> Floats:
    """The part of the source most like a patch's rim and, half as much, its middle; sought small, then px by px."""
    side = around.shape[0]
    factor = max(side // 24, 1)
    small_source = cv2.resize(
        source, (source.shape[1] // factor, source.shape[0] // factor), interpolation=cv2.INTER_AREA
    )
    small = cv2.resize(around, (max(side // factor, 4), max(side // factor, 4)), interpolation=cv2.INTER_AREA)
    mask = np.ascontiguousarray(
        np.repeat((1.15 - _rim_weight(small.shape[0]))[..., None], source.shape[2], 2), np.float32
    )
    errors = cv2.matchTemplate(small_source, small, cv2.TM_SQDIFF, mask=mask)
    y, x = np.unravel_index(int(np.argmin(errors)), errors.shape)
    top = int(np.clip(y * factor, 0, source.shape[0] - side))
    left = int(np.clip(x * factor, 0, source.shape[1] - side))
    return source[top : top + side, left : left + side]


def _rim_weight(side: int) -> Floats:
    """1 in the middle of a patch, 0 at its rim, over a third of it."""
    n = np.minimum(np.arange(side), np.arange(side)[::-1]).astype(np.float32) + np.float32(0.5)
    share = np.clip(n / np.float32(side / 3), 0, 1)
    share = share * share * (3 - 2 * share)
    return np.asarray(np.minimum(share[:, None], share[None, :]), np.float32)
