"""Copies of itself: the tile smaller and turned, laid over itself by a mode.

Scale and turn are taken to the nearest that close: the copy's lattice must hold the tile's two vectors whole.
"""

from __future__ import annotations

from math import cos, radians, sin

import cv2
import numpy as np

from orvix.bands import in_bands
from orvix.colour.blending import MODES, blend
from orvix.registry import Value
from orvix.tiles.lattices import Lattice, closing_lattice
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Step, StepOrder
from orvix.tiles.window import Window

VALUES = (
    Value("scale", "Scale", "number", 50.0, "Size of the copy.", "%", low=12, high=100),
    Value("turn", "Rotation", "number", 90.0, "Rotates the copy anticlockwise.", "°", low=0, high=360),
    Value("mode", "Blend mode", "choice", "multiply", "How the copy blends.", choices=MODES),
    Value("strength", "Strength", "number", 0.5, "Opacity of the copy.", low=0, high=1),
    Value("blur", "Blur", "number", 0.0, "Blur of the copy.", "% of width", low=0, high=5),
)  # fmt: skip


def lattice_of(state: TileState, scale: float, turn_deg: float) -> Lattice:
    """The nearest lattice of scaled and turned copies of the tile's vectors that closes."""
    c, s = cos(radians(turn_deg)) * scale / 100, sin(radians(turn_deg)) * scale / 100
    p, q = ((c * x + s * y, -s * x + c * y) for x, y in state.repeat.basis(state.width, state.height))
    return closing_lattice(state.width, state.height, state.repeat, p, q)


def copy_of(state: TileState, lattice: Lattice) -> np.ndarray[tuple[int, int, int], np.dtype[np.uint16]]:
    """The tile as the copy shows it, reduced before it is sampled so that nothing flickers."""
    basis = state.repeat.basis(state.width, state.height)
    (ax, ay), (bx, by) = (tuple(np.float32(one) for one in vector) for vector in basis)
    factor = max(round(np.sqrt(lattice.count)), 1)
    small_w, small_h = max(state.width // factor, 1), max(state.height // factor, 1)
    small = cv2.resize(state.pixels, (small_w, small_h), interpolation=cv2.INTER_AREA)
    margin = 4
    around = TileState(small, state.repeat).padded(margin)
    to_x, to_y, half = np.float32(small_w / state.width), np.float32(small_h / state.height), np.float32(0.5)
    out = np.empty_like(state.pixels)

    def band(top: int, bottom: int) -> None:
        at = lattice.places(Window(top, 0, bottom - top, state.width))
        x, y = at.u * ax + at.v * bx, at.u * ay + at.v * by
        if state.repeat.kind == "brick":
            y, x = y % by, (x - np.floor(y / by) * bx) % ax
        else:
            x, y = x % ax, (y - np.floor(x / ax) * ay) % by
        places = x * to_x - half + margin, y * to_y - half + margin
        sampled = cv2.remap(around, *places, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        out[top:bottom] = np.minimum(sampled, sampled[..., 3:])

    in_bands(state.height, state.width, band)
    return out


def apply(state: TileState, order: StepOrder) -> TileState:
    """Sample, soften and lay over."""
    values = order.values
    copy = copy_of(state, lattice_of(state, values["scale"], values["turn"]))
    reach = values["blur"] * state.width / 100
    if reach > 0.1:
        margin = int(3.2 * reach) + 2
        around = TileState(copy, state.repeat).padded(margin).astype(np.float32)
        soft = cv2.GaussianBlur(around, (0, 0), reach)[margin:-margin, margin:-margin]
        copy = np.minimum(soft + np.float32(0.5), 65535).astype(np.uint16)
        copy[..., :3] = np.minimum(copy[..., :3], copy[..., 3:])
    return state.with_pixels(blend(state.pixels, copy, values["mode"], np.float32(values["strength"])))


STEPS.add(
    "copies",
    Step(
        "copies", "Overlay copy", "detail", "Lays a smaller, rotated copy over the tile.", VALUES, apply,
        uniform=False,
    ),
)  # fmt: skip
