"""Small pictures of things, as PNG, for the strip and the lists."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.pictures import read_picture
from orvix.pictures.packing import flat_rgba8, straight_to_pixels
from orvix.pictures.writing import contrasting_ground, png_bytes
from orvix.tiles.motifs.svg import Pose, draw_svg, is_svg, read_svg

WIDTH, HEIGHT = 192, 128


def thumbnail(rgb: NDArray[np.uint8], width: int = WIDTH, height: int = HEIGHT) -> bytes:
    """The middle of 8-bit pixels (rows, columns, 3 or 4), cut to the proportions and reduced by area."""
    rows, columns = rgb.shape[:2]
    scale = max(width / columns, height / rows)
    cut_w, cut_h = min(round(width / scale), columns), min(round(height / scale), rows)
    left, top = (columns - cut_w) // 2, (rows - cut_h) // 2
    part = np.ascontiguousarray(rgb[top : top + cut_h, left : left + cut_w, :3])
    return png_bytes(cv2.resize(part, (width, height), interpolation=cv2.INTER_AREA), level=3)


def tile_thumbnail(pixels: NDArray[np.uint16]) -> bytes:
    """A thumbnail of a tile's pixels, over the ground they contrast with."""
    return thumbnail(flat_rgba8(pixels, contrasting_ground(pixels)))


def plane_thumbnail(plane: NDArray[np.float32]) -> bytes:
    """A thumbnail of a grain."""
    grey = (plane * 255 + 0.5).astype(np.uint8)
    return thumbnail(np.dstack([grey, grey, grey]))


def outside_thumbnail(data: bytes, name: str) -> bytes:
    """A thumbnail of a file from outside, an SVG or a picture, whole and over the ground it contrasts with."""
    if is_svg(data, name):
        svg = read_svg(data, name)
        scale = min(WIDTH / svg.width, HEIGHT / svg.height)
        size = max(round(svg.width * scale), 1), max(round(svg.height * scale), 1)
        drawn = draw_svg(svg, Pose(scale=scale), *size, (size[0] / 2, size[1] / 2)).astype(np.float32) / np.float32(255)
        pixels = straight_to_pixels(drawn[..., :3], drawn[..., 3])
    else:
        pixels = read_picture(data, name)
    flat = flat_rgba8(pixels, contrasting_ground(pixels))
    rows, columns = flat.shape[:2]
    side_w, side_h = max(columns, rows * WIDTH // HEIGHT), max(rows, columns * HEIGHT // WIDTH)
    out = np.full((side_h, side_w, 3), 255, np.uint8)
    top, left = (side_h - rows) // 2, (side_w - columns) // 2
    out[top : top + rows, left : left + columns] = flat[..., :3]
    return thumbnail(out)
