"""A picture from a file, taken as it is: resized to the tile's size, nothing mended."""

from __future__ import annotations

import cv2
import numpy as np

from orvix.registry import Value
from orvix.tiles.repeats import cloth
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Source

VALUES = (Value("file", "File", "text", "", "The picture: a file beside the recipe, or an upload.", high=400),)


def render(order: Order) -> Pixels:
    """The window asked for of the picture's cloth, uint16 (rows, columns, 4).

    Larger pictures are reduced by area, smaller ones enlarged by Lanczos; premultiplied values are what is resampled.
    """
    pixels = order.read_picture(order.values["file"])
    if pixels.shape[:2] != (order.height, order.width):
        shrinks = order.width <= pixels.shape[1] and order.height <= pixels.shape[0]
        method = cv2.INTER_AREA if shrinks else cv2.INTER_LANCZOS4
        resized = cv2.resize(pixels, (order.width, order.height), interpolation=method)
        pixels = np.minimum(resized, resized[..., 3:]).astype(np.uint16)
    window = order.window
    if (window.top, window.left, window.height, window.width) == (0, 0, order.height, order.width):
        return pixels
    return cloth(pixels, order.repeat, window.top, window.left, window.height, window.width)


SOURCES.add(
    "picture",
    Source("picture", "Picture", "given", "A picture as it came, with whatever seam it has.", VALUES, render),
)
