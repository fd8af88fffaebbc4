"""Empty rim: a border of nothing around the tile."""

from __future__ import annotations

import numpy as np

from orvix.bands import in_bands
from orvix.pictures.packing import premultiplied_to_pixels
from orvix.registry import Value
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Step, StepOrder

VALUES = (
    Value("width", "Width", "number", 6.0, "Width of the transparent border.", "% of width", low=0, high=40),
    Value("softness", "Softness", "number", 0.5, "Softness of the inner edge.", low=0, high=1),
)  # fmt: skip


def apply(state: TileState, order: StepOrder) -> TileState:
    """Colour and alpha times 0 in the rim, rising inside it."""
    rim = order.values["width"] * state.width / 100
    soft = max(order.values["softness"] * max(rim, 4), 1)
    x, y = np.arange(state.width), np.arange(state.height)
    near = np.minimum(np.minimum(x, x[::-1])[None, :], np.minimum(y, y[::-1])[:, None])
    share = np.clip((near - rim + 1) / soft, 0, 1).astype(np.float32)
    share = share * share * (3 - 2 * share)
    out = np.empty_like(state.pixels)

    def band(top: int, bottom: int) -> None:
        faded = state.pixels[top:bottom] * np.float32(1 / 65535) * share[top:bottom, :, None]
        out[top:bottom] = premultiplied_to_pixels(faded)

    in_bands(state.height, state.width, band)
    return state.with_pixels(out)


STEPS.add(
    "rim", Step("rim", "Transparent border", "alpha", "Makes a border transparent.", VALUES, apply, uniform=False)
)
