"""A photo: the part of it within four corners, laid out square. It does not close until it is mended."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.errors import BadValue
from orvix.registry import Value
from orvix.tiles.repeats import cloth
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Source

WHOLE = [[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]]
VALUES = (
    Value("file", "File", "text", "", "The photo file.", high=400),
    Value(
        "corners", "Corners", "points", WHOLE,
        "Corners of the tile on the photo, clockwise from the top left.",
        low=0, high=1, least=4, most=4,
    ),
)  # fmt: skip


def render(order: Order) -> Pixels:
    """The window asked for of the part's cloth."""
    photo = order.read_picture(order.values["file"])
    pixels = straightened(photo, order.values["corners"], order.width, order.height)
    window = order.window
    if (window.top, window.left, window.height, window.width) == (0, 0, order.height, order.width):
        return pixels
    return cloth(pixels, order.repeat, window.top, window.left, window.height, window.width)


def straightened(photo: Pixels, corners: list[list[float]], width: int, height: int) -> Pixels:
    """The part within four corners as width x height px, by the projection that takes them to the tile's.

    Where the part has more px than the tile the photo is reduced by area first, so that nothing flickers.
    """
    rows, columns = photo.shape[:2]
    places = np.array(corners, np.float64) * (columns, rows)
    across, down = _sides(places)
    shrink = min(width / across, height / down, 1.0)
    if shrink < 0.75:
        small = max(round(columns * shrink), 1), max(round(rows * shrink), 1)
        photo = cv2.resize(photo, small, interpolation=cv2.INTER_AREA)
        places = places * (small[0] / columns, small[1] / rows)
    target = np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float32)
    # Corners are edges of px; OpenCV counts middles.
    change = cv2.getPerspectiveTransform(target - np.float32(0.5), (places - 0.5).astype(np.float32))
    flags = cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP
    out = cv2.warpPerspective(photo, change, (width, height), flags=flags, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(np.minimum(out, out[..., 3:]), np.uint16)


def _sides(places: NDArray[np.float64]) -> tuple[float, float]:
    """The longer of the two level and of the two upright sides, px."""
    a, b, c, d = places
    across = max(float(np.hypot(*(b - a))), float(np.hypot(*(c - d))), 1.0)
    return across, max(float(np.hypot(*(d - a))), float(np.hypot(*(c - b))), 1.0)


def check(order: Order) -> None:
    """The corners must go round a figure that bulges everywhere, clockwise, and hold some of the photo."""
    places = np.array(order.values["corners"])
    ways = np.roll(places, -1, axis=0) - places
    after = np.roll(ways, -1, axis=0)
    bends = ways[:, 0] * after[:, 1] - ways[:, 1] * after[:, 0]
    if bends.min() <= 1e-4:
        raise BadValue(
            "corners",
            order.values["corners"],
            "The corners cross or are too close together. Drag them apart, clockwise from the top left.",
        )


SOURCES.add(
    "photo",
    Source("photo", "Photo", "given", "A part of a photo, cropped and straightened.", VALUES, render, "given", check,
        wraps=False,
    ),
)  # fmt: skip
