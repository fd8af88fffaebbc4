"""Resize: more or fewer px, the same picture; stretched where the two shares differ."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import cv2
import numpy as np

from orvix.pictures.packing import premultiplied_to_pixels
from orvix.registry import Value
from orvix.tiles.repeats import Repeat
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Shape, Step, StepOrder

VALUES = (
    Value("across", "Width", "number", 50.0, "New width.", "%", low=5, high=400),
    Value("down", "Height", "number", 50.0, "New height.", "%", low=5, high=400),
)  # fmt: skip
_MARGIN = 8


def shape(values: Mapping[str, Any], width: int, height: int, repeat: Repeat) -> Shape:
    """Sides in whole px."""
    return max(round(width * values["across"] / 100), 1), max(round(height * values["down"] / 100), 1), repeat


def apply(state: TileState, order: StepOrder) -> TileState:
    """Reduce by area; enlarge by Lanczos with the neighbours around."""
    width, height, _ = shape(order.values, state.width, state.height, state.repeat)
    if (width, height) == (state.width, state.height):
        return state
    if width <= state.width and height <= state.height:
        pixels = cv2.resize(state.pixels, (width, height), interpolation=cv2.INTER_AREA)
        pixels = np.minimum(pixels, pixels[..., 3:])
    else:
        around = state.padded(_MARGIN).astype(np.float32) * np.float32(1 / 65535)
        kx, ky = state.width / width, state.height / height
        at = np.array([[kx, 0, kx / 2 - 0.5 + _MARGIN], [0, ky, ky / 2 - 0.5 + _MARGIN]])
        flags = cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP
        pixels = premultiplied_to_pixels(
            cv2.warpAffine(around, at, (width, height), flags=flags, borderMode=cv2.BORDER_REPLICATE)
        )
    borders = tuple((round(x * width / state.width), round(y * height / state.height)) for x, y in state.borders)
    return replace(state, pixels=pixels, borders=borders)


STEPS.add(
    "resize",
    Step(
        "resize", "Resize", "place", "Changes the tile's size in pixels.", VALUES, apply, closing="measured",
        shape=shape,
        uniform=False,
    ),
)  # fmt: skip
