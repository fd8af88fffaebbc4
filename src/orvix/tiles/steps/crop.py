"""Crop: a part of the tile becomes the tile. What closed before does so no longer, unless nothing is cut off."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from orvix.registry import Value
from orvix.tiles.repeats import Repeat
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Shape, Step, StepOrder

VALUES = (
    Value("left", "From left", "number", 10.0, "Left edge of the area.", "% of width", low=0, high=95),
    Value("top", "From top", "number", 10.0, "Top edge of the area.", "% of height", low=0, high=95),
    Value(
        "across", "Width", "number", 80.0, "Width of the area, up to the border.", "% of width",
        low=5, high=100,
    ),
    Value("down", "Height", "number", 80.0, "Height of the area.", "% of height", low=5, high=100),
)  # fmt: skip


def _box(values: Mapping[str, Any], width: int, height: int) -> tuple[int, int, int, int]:
    left, top = round(values["left"] * width / 100), round(values["top"] * height / 100)
    left, top = min(left, width - 1), min(top, height - 1)
    right = min(left + max(round(values["across"] * width / 100), 1), width)
    return left, top, right, min(top + max(round(values["down"] * height / 100), 1), height)


def shape(values: Mapping[str, Any], width: int, height: int, repeat: Repeat) -> Shape:
    """Sides in whole px."""
    left, top, right, bottom = _box(values, width, height)
    return right - left, bottom - top, repeat


def apply(state: TileState, order: StepOrder) -> TileState:
    """Cut out; the new borders are where the tile now ends."""
    left, top, right, bottom = _box(order.values, state.width, state.height)
    if (right - left, bottom - top) == (state.width, state.height):
        return state
    pixels = state.pixels[top:bottom, left:right].copy()
    return replace(state, pixels=pixels, borders=((0, 0),), wraps=False, closes=None)


STEPS.add(
    "crop",
    Step(
        "crop", "Crop", "place", "Crops the tile to an area.", VALUES, apply, closing="breaks", shape=shape,
        uniform=False,
    ),
)  # fmt: skip
