"""A picture from a file that already repeats: one period of it, as two vectors on the picture.

Without vectors the whole picture is one period, resized to the tile and nothing mended.
"""

from __future__ import annotations

import cv2
import numpy as np

from orvix.errors import BadValue
from orvix.registry import Value
from orvix.tiles.repeats import cloth
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Source

_RIM_PX = 6
"""What Lanczos reaches over a border, and a little more."""
VALUES = (
    Value("file", "File", "text", "", "The picture file.", high=400),
    Value(
        "period", "Repeat", "points", [],
        "The repeat found in the picture. Empty uses the whole picture.",
        low=-16384, high=16384, least=0, most=3,
    ),
)  # fmt: skip


def render(order: Order) -> Pixels:
    """The window asked for of the picture's cloth, uint16 (rows, columns, 4).

    Larger pictures are reduced by area, smaller ones enlarged by Lanczos; premultiplied values are what is resampled.
    """
    pixels = order.read_picture(order.values["file"])
    if order.values["period"]:
        pixels = one_period(pixels, order.values["period"], order)
    elif pixels.shape[:2] != (order.height, order.width):
        pixels = _resized(pixels, order)
    window = order.window
    if (window.top, window.left, window.height, window.width) == (0, 0, order.height, order.width):
        return pixels
    return cloth(pixels, order.repeat, window.top, window.left, window.height, window.width)


def _resized(picture: Pixels, order: Order) -> Pixels:
    """The whole picture at the tile's size; where it is enlarged its neighbours in the cloth count at its borders."""
    rows, columns = picture.shape[:2]
    if order.width <= columns and order.height <= rows:
        resized = cv2.resize(picture, (order.width, order.height), interpolation=cv2.INTER_AREA)
    else:
        rim = 2 * _RIM_PX
        around = cloth(picture, order.repeat, -_RIM_PX, -_RIM_PX, rows + rim, columns + rim)
        scale = np.array([columns / order.width, rows / order.height])
        at = np.concatenate([np.diag(scale), (scale / 2 - 0.5 + _RIM_PX)[:, None]], axis=1)
        flags = cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP
        resized = cv2.warpAffine(around, at, (order.width, order.height), flags=flags, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(np.minimum(resized, resized[..., 3:]), np.uint16)


def one_period(picture: Pixels, period: list[list[float]], order: Order) -> Pixels:
    """One period of a picture laid out as the tile: its vectors become the tile's."""
    start, across, down = np.array(period, np.float64)
    vectors = np.stack([across, down], axis=1)
    tile = np.array(order.repeat.basis(order.width, order.height), np.float64).T
    change = vectors @ np.linalg.inv(tile)
    shrink = float(np.sqrt(abs(np.linalg.det(change))))
    if shrink > 1.4:
        size = max(round(picture.shape[1] / shrink), 1), max(round(picture.shape[0] / shrink), 1)
        scale = np.array([size[0] / picture.shape[1], size[1] / picture.shape[0]])
        picture = cv2.resize(picture, size, interpolation=cv2.INTER_AREA)
        change, start = change * scale[:, None], start * scale
    offset = start + change @ [0.5, 0.5] - 0.5
    at = np.concatenate([change, offset[:, None]], axis=1)
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    out = cv2.warpAffine(picture, at, (order.width, order.height), flags=flags, borderMode=cv2.BORDER_REFLECT_101)
    return np.asarray(np.minimum(out, out[..., 3:]), np.uint16)


def check(order: Order) -> None:
    """The period has all three parts or none, and its vectors span something."""
    period = order.values["period"]
    if period and len(period) != 3:
        raise BadValue("period", period, "must be empty, or where it begins and two vectors")
    if period and period[1][0] * period[2][1] - period[1][1] * period[2][0] < 64:
        raise BadValue(
            "period", period, "The repeat is too small or its arrows are swapped. Drag them to span at least 64 px."
        )


SOURCES.add(
    "picture",
    Source(
        "picture", "Picture that repeats", "given", "One repeat of a picture, with its seam.", VALUES, render,
        "given", check,
    ),
)  # fmt: skip
