"""What a page needs to move motifs itself until they are let go: the layout in layers, those that move apart.

Laid over each other in their order they are the settled picture; a layer that moves is a picture of its items alone.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import groupby

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.tiles.motifs.layout import Layout
from orvix.tiles.motifs.rendering import Cloth, render
from orvix.tiles.motifs.sprites import Pixels, Studio, lay_sprite
from orvix.tiles.window import Window

MOST_LAYERS = 9


@dataclass(frozen=True)
class DragLayer:
    """rgba: uint8 (rows, columns, 4), straight, at the level asked. left, top: px of the tile."""

    rgba: NDArray[np.uint8]
    left: int
    top: int
    moving: bool


def drag_layers(layout: Layout, cloth: Cloth, studio: Studio, chosen: tuple[int, ...], level: int) -> list[DragLayer]:
    """Layers from below: the still ones as large as the tile, the moving ones as large as their items."""
    picked = set(chosen)
    runs = [(moving, list(numbers)) for moving, numbers in groupby(range(len(layout.items)), lambda n: n in picked)]
    if len(runs) > MOST_LAYERS:
        low = min(picked)
        below, above = list(range(low)), [n for n in range(low, len(layout.items)) if n not in picked]
        runs = [(False, below), (True, sorted(picked)), (False, above)]
    whole = Window(0, 0, cloth.height, cloth.width)
    if not runs or runs[0][0]:
        runs.insert(0, (False, []))
    out = []
    for n, (moving, numbers) in enumerate(runs):
        if moving:
            out.append(_moving(layout, studio, numbers, level))
        else:
            pixels = render(layout, cloth, studio, whole, numbers, ground=n == 0)
            out.append(DragLayer(_straight(pixels, level), 0, 0, False))
    return out


def _moving(layout: Layout, studio: Studio, numbers: list[int], level: int) -> DragLayer:
    placed: list[tuple[Pixels, int, int]] = []
    for number in numbers:
        sprite, x, y = studio.sprite(layout, layout.items[number])
        placed.append((sprite.pixels, x + sprite.left, y + sprite.top))
    step = 1 << level
    left = min(x for _, x, _ in placed) // step * step
    top = min(y for _, _, y in placed) // step * step
    right = max(x + picture.shape[1] for picture, x, _ in placed)
    bottom = max(y + picture.shape[0] for picture, _, y in placed)
    pixels = np.zeros((-(-(bottom - top) // step) * step, -(-(right - left) // step) * step, 4), np.uint16)
    for picture, x, y in placed:
        lay_sprite(pixels, picture, y - top, x - left)
    return DragLayer(_straight(pixels, level), left, top, True)


def _straight(pixels: Pixels, level: int) -> NDArray[np.uint8]:
    """Premultiplied 16-bit px as straight 8-bit ones at 1 / 2^level of their size."""
    step = 1 << level
    if level:
        rows, columns = (-(-side // step) for side in pixels.shape[:2])
        short = (rows * step - pixels.shape[0], columns * step - pixels.shape[1])
        pixels = np.pad(pixels, ((0, short[0]), (0, short[1]), (0, 0)), mode="edge")
        pixels = cv2.resize(pixels, (columns, rows), interpolation=cv2.INTER_AREA)
    alpha = np.maximum(pixels[..., 3:], 1).astype(np.float32)
    out = np.empty(pixels.shape, np.uint8)
    out[..., :3] = np.minimum(pixels[..., :3] / alpha * 255 + 0.5, 255)
    out[..., 3] = (pixels[..., 3].astype(np.uint32) + 128) // 257
    return out
