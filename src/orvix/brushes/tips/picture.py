"""The picture tip, and how a picture is read as one: where it paints, trimmed, flipped, turned and squeezed."""

from __future__ import annotations

from collections.abc import Mapping
from math import ceil
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.brushes.tips.registry import MOST_SIDE, TIPS, Plane, Rgba, TipKind
from orvix.errors import BadValue
from orvix.grains.tone import Tone, grain_plane
from orvix.registry import Value

PAINTS_WHERE = ("opaque", "dark", "light")
EDGES = ("smooth", "crisp")
_SEEN = 1 / 255

VALUES = (
    Value(
        "paints", "Paint from", "choice", "opaque",
        "Which parts of the picture paint: opaque, dark or light.",
        choices=PAINTS_WHERE,
    ),
    Value(
        "trimmed", "Trim edges", "switch", True,
        "Crops empty edges so that Size measures the visible mark."
    ),
    Value(
        "tip_turn", "Tip rotation", "number", 0.0,
        "Rotates the picture before any other rotation.", unit="°", low=-180, high=180
    ),
    Value("tip_flip", "Flip tip", "switch", False, "Flips the picture left to right."),
    Value(
        "squeeze", "Squeeze", "number", 0.0,
        "Below 0 is narrower, above 0 is flatter.", low=-0.95, high=0.95
    ),
    Value("edges", "Edges", "choice", "smooth", "Smooth edges, or crisp edges at every size.", choices=EDGES),
)  # fmt: skip

TIPS.add("picture", TipKind("picture", "Picture", "A tile, drawing or file as one mark.", VALUES, (1, 1)))


def tip_picture(pixels: NDArray[np.uint16], values: Mapping[str, Any]) -> Rgba:
    """A picture as a tip: float32 (rows, columns, 4), premultiplied, at most MOST_SIDE px long.

    pixels: premultiplied uint16 (rows, columns, 4). values: those of VALUES. Alpha says where it paints; dark and light
    are judged by the picture's own colour and count only as far as it is opaque. Raises BadValue where nothing paints.
    """
    picture = pixels.astype(np.float32) * np.float32(1 / 65535)
    if values["paints"] != "opaque":
        picture = _painting_where(picture, grain_plane(pixels, Tone()), values["paints"])
    if values["tip_flip"]:
        picture = picture[:, ::-1]
    picture = _turned(_within(picture, MOST_SIDE), values["tip_turn"])
    picture = _squeezed(picture, values["squeeze"])
    return _trimmed(picture, cut=values["trimmed"])


def likely_paints(pixels: NDArray[np.uint16]) -> str:
    """How a picture is most likely meant: by its alpha where it has one, else as marks on its border's tone."""
    if (pixels[..., 3] < 65535).any():
        return "opaque"
    light = grain_plane(pixels, Tone())
    border = np.concatenate([light[0], light[-1], light[:, 0], light[:, -1]])
    return "dark" if border.mean() >= 0.5 else "light"


def _painting_where(picture: Rgba, light: Plane, paints: str) -> Rgba:
    alpha = picture[..., 3]
    mask: Plane = light if paints == "light" else alpha - light
    share = mask / np.maximum(alpha, np.float32(_SEEN))
    return (picture * share[..., None]).astype(np.float32)


def _within(picture: Rgba, most: int) -> Rgba:
    longest = max(picture.shape[:2])
    if longest <= most:
        return np.ascontiguousarray(picture)
    rows, columns = (max(round(side * most / longest), 1) for side in picture.shape[:2])
    return cv2.resize(np.ascontiguousarray(picture), (columns, rows), interpolation=cv2.INTER_AREA)


def _turned(picture: Rgba, turn_deg: float) -> Rgba:
    """Turned clockwise about its middle, in a box that holds it; quarter turns move pixels only."""
    quarters, rest = divmod(turn_deg, 90.0)
    picture = np.rot90(picture, -int(quarters))
    if rest == 0:
        return picture
    rows, columns = picture.shape[:2]
    cos, sin = np.cos(np.radians(rest)), np.sin(np.radians(rest))
    wide, high = ceil(columns * cos + rows * sin), ceil(columns * sin + rows * cos)
    place = np.array([[cos, -sin, 0.0], [sin, cos, 0.0]])
    place[:, 2] = (wide / 2, high / 2) - place[:, :2] @ (columns / 2, rows / 2)
    place[:, 2] += place[:, :2] @ (0.5, 0.5) - 0.5
    return cv2.warpAffine(np.ascontiguousarray(picture), place, (wide, high), flags=cv2.INTER_LINEAR)


def _squeezed(picture: Rgba, squeeze: float) -> Rgba:
    if squeeze == 0:
        return picture
    rows, columns = picture.shape[:2]
    columns, rows = (columns, rows * (1 - squeeze)) if squeeze > 0 else (columns * (1 + squeeze), rows)
    size = (max(round(columns), 1), max(round(rows), 1))
    return cv2.resize(np.ascontiguousarray(picture), size, interpolation=cv2.INTER_AREA)


def _trimmed(picture: Rgba, *, cut: bool) -> Rgba:
    seen = picture[..., 3] > _SEEN
    if not seen.any():
        raise BadValue("tip", "its picture", "This picture paints nothing. Set Paint from to Dark or Light.")
    if cut:
        rows, columns = (np.flatnonzero(seen.any(axis=axis)) for axis in (1, 0))
        picture = picture[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    return np.clip(np.ascontiguousarray(picture, np.float32), 0, 1)
