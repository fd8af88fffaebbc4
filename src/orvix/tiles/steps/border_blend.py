"""Soft border blend: near the border the picture gives way to itself moved by half, at full contrast."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from orvix.bands import in_bands
from orvix.pictures.packing import premultiplied_to_pixels
from orvix.registry import Value
from orvix.tiles.lowpass import coarse
from orvix.tiles.repeats import cloth
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Floats, Step, StepOrder

VALUES = (
    Value(
        "band", "Band", "number", 18.0, "Width of the blend at each border.", "% of side", low=1,
        high=50,
    ),
    Value("axis", "Axis", "choice", "both", "Borders to blend.", choices=("across", "down", "both")),
    Value(
        "keep", "Keep contrast", "number", 1.0, "0 blends plainly and fades, 1 keeps the contrast.", low=0,
        high=1,
    ),
)  # fmt: skip


def apply(state: TileState, order: StepOrder) -> TileState:
    """Blend the borders of one axis, then of the other; see `_blend_strip`."""
    axis, keep = order.values["axis"], np.float32(order.values["keep"])
    # The blend that crosses a stagger comes last: its weights are the same on both sides of the other border.
    for across in (False, True) if state.repeat.kind == "half-drop" else (True, False):
        if axis == ("down" if across else "across"):
            continue
        length = state.width if across else state.height
        band = max(round(length * order.values["band"] / 100), 1)
        low = coarse(state.pixels, max(state.width / 24, 1.0), state.repeat)
        out = state.pixels.copy()
        weight = _weight(band)
        for start, w in ((0, weight), (length - band, weight[::-1])):
            _blend_strip(out, low, state, (start, band, across), w, keep)
        state = state.with_pixels(out)
    return replace(state, wraps=True)


def _weight(band: int) -> Floats:
    """How much of the moved picture shows, from the border inwards: 1 to 0."""
    share = 1 - np.arange(band, dtype=np.float32) / np.float32(band)
    return share * share * (3 - 2 * share)


def _blend_strip(
    out: NDArray[np.uint16],
    low: Floats,
    state: TileState,
    strip: tuple[int, int, bool],
    weight: Floats,
    keep: np.float32,
) -> None:
    """Mix a strip of columns (or rows) with the picture moved by half; `out` is changed.

    Coarse parts are mixed as w and 1 - w; what differs from them by w and 1 - w over the root of their squares: two
    unrelated pictures mixed by w and 1 - w have a variance of w^2 + (1 - w)^2 of theirs, and dividing keeps it.
    """
    start, band, across = strip
    if across:
        own, w = (slice(None), slice(start, start + band)), weight[None, :, None]
        window = (0, start - state.width // 2, state.height, band)
    else:
        own, w = (slice(start, start + band), slice(None)), weight[:, None, None]
        window = (start - state.height // 2, 0, band, state.width)
    low_a, low_b = low[own], cloth(low, state.repeat, *window)
    a, b = state.pixels[own], state.window(*window)
    gain = 1 + keep * (1 / np.sqrt(w * w + (1 - w) ** 2) - 1)
    w, gain = np.broadcast_to(w, (*a.shape[:2], 1)), np.broadcast_to(gain, (*a.shape[:2], 1))
    target = out[own]

    def rows(top: int, bottom: int) -> None:
        at = slice(top, bottom)
        base = low_a[at] + (low_b[at] - low_a[at]) * w[at]
        detail = (a[at] - low_a[at]) * (1 - w[at]) + (b[at] - low_b[at]) * w[at]
        target[at] = premultiplied_to_pixels((base + detail * gain[at]) * np.float32(1 / 65535))

    in_bands(a.shape[0], a.shape[1], rows)


STEPS.add(
    "border-blend",
    Step(
        "border-blend", "Soft border blend", "mending", "Blends the borders with the inside at full contrast.", VALUES,
        apply, closing="measured", uniform=False,
    ),
)  # fmt: skip
