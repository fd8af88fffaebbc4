"""A drawing: a picture that was drawn on joined edges, handed in with its name. Nothing of canvases is known here.

Whether it closes by construction is known by whoever hands it in, and only for the size and repeat it was drawn under.
"""

from __future__ import annotations

from math import ceil

import cv2
import numpy as np

from orvix.registry import Value
from orvix.tiles.repeats import cloth
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Source

VALUES = (Value("file", "File", "text", "", "The drawing file.", high=400),)


def render(order: Order) -> Pixels:
    """The window asked for of the drawing's cloth; at another size it is resampled across its borders."""
    pixels = order.read_picture(order.values["file"])
    if pixels.shape[:2] != (order.height, order.width):
        pixels = resized(pixels, order)
    window = order.window
    if (window.top, window.left, window.height, window.width) == (0, 0, order.height, order.width):
        return pixels
    return cloth(pixels, order.repeat, window.top, window.left, window.height, window.width)


def resized(pixels: Pixels, order: Order) -> Pixels:
    """A drawing at the order's size: blurred first where it shrinks, then read bicubically, under its repeat."""
    rows, columns = pixels.shape[:2]
    step = columns / order.width, rows / order.height
    sigmas = [max(0.45 * (one - 1), 0.0) for one in step]
    margin = ceil(4 * max(sigmas)) + 4
    wide = cloth(pixels, order.repeat, -margin, -margin, rows + 2 * margin, columns + 2 * margin).astype(np.float32)
    if max(sigmas) > 0:
        wide = cv2.GaussianBlur(wide, (0, 0), max(sigmas[0], 1e-3), sigmaY=max(sigmas[1], 1e-3))
    at = np.array([[step[0], 0, step[0] / 2 - 0.5 + margin], [0, step[1], step[1] / 2 - 0.5 + margin]])
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    out = np.clip(cv2.warpAffine(wide, at, (order.width, order.height), flags=flags), 0, 65535)
    return np.minimum(out, out[..., 3:]).round().astype(np.uint16)


def proves(order: Order) -> bool:
    """Whether it was drawn on edges joined as this order joins them, at this size, and nothing in it stops there."""
    drawn = order.outside.vouch(order.values["file"])
    return drawn is not None and drawn == (order.width, order.height, order.repeat)


SOURCES.add(
    "drawn", Source("drawn", "Drawing", "given", "A tile drawn by hand.", VALUES, render, "given", proves=proves)
)
