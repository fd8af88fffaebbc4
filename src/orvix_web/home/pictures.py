"""Large pictures of works for the home page: a whole repeat, so that copies of it close, or the work as it is."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.pictures.packing import flat_rgba8
from orvix.pictures.writing import contrasting_ground, png_bytes
from orvix.tiles.joining import Unrolling, unroll
from orvix.tiles.recipe import Recipe
from orvix_web.brushes.loading import load_version
from orvix_web.brushes.trials import brush_thumbnail
from orvix_web.canvases.pictures import picture
from orvix_web.tiles.rendering import tile_pixels

WIDEST = 640
SWATCH = (640, 264)
"""Px of a large picture: a work is at most so wide, a stroke of a brush exactly so large."""
MOST_PX = 16_000_000
"""A repeat that would unroll to more px is shown as its one tile."""


def large_picture(kind: str, thing: Any) -> bytes:
    """A work's large picture as PNG. kind: tile, brush or canvas."""
    return _OF[kind](thing)


def _of_tile(tile: Any) -> bytes:
    version = tile.latest
    recipe = Recipe.parse(version.recipe)
    pixels = tile_pixels(version)
    found = Unrolling.of(recipe.repeat, *pixels.shape[1::-1])
    if found.exact and found.width * found.height <= MOST_PX:
        pixels = unroll(pixels, recipe.repeat)
    return _reduced(flat_rgba8(pixels, contrasting_ground(pixels)))


def _of_canvas(row: Any) -> bytes:
    shown = picture(row)
    level = max((max(row.width, row.height) // WIDEST).bit_length() - 1, 0)
    return _reduced(shown.view(shown.spec.box, level))


def _of_brush(brush: Any) -> bytes:
    return brush_thumbnail(load_version(brush.owner_id, brush.latest.pk), SWATCH)


_OF = {"tile": _of_tile, "canvas": _of_canvas, "brush": _of_brush}


def _reduced(rgba: NDArray[np.uint8]) -> bytes:
    rows, columns = rgba.shape[:2]
    part = np.ascontiguousarray(rgba[..., :3])
    if columns > WIDEST:
        part = cv2.resize(part, (WIDEST, max(round(rows * WIDEST / columns), 1)), interpolation=cv2.INTER_AREA)
    return png_bytes(part, level=3)
