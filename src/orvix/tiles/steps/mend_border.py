"""Border mending: the original borders, wherever they lie now, made to close."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from orvix.pictures.packing import premultiplied_to_pixels
from orvix.registry import Value
from orvix.tiles.closing.seam import already_closes
from orvix.tiles.mending.borders import METHODS, as_lively, mend_borders
from orvix.tiles.mending.faults import faults_of
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Step, StepOrder

AUTOMATIC = "automatic"
SEAMLESS_ALREADY = "Already seamless, so nothing changed. Choose a method to mend it anyway."
VALUES = (
    Value(
        "method", "Method", "choice", AUTOMATIC,
        "How the borders are joined. Automatic finds the best cut and blends along it. Seamless borders stay as "
        "they are.",
        choices=(AUTOMATIC, *METHODS),
    ),
    Value("band", "Band", "number", 10.0, "Width of the overlap.", "% of side", low=2, high=30),
)  # fmt: skip


def apply(state: TileState, order: StepOrder) -> TileState:
    """Move the borders back, close, and move again. The tile keeps its size.

    What closes already stays as it is, unless a method is asked for by name.
    """
    x, y = state.borders[0]
    home = state.moved(-x, -y)
    if order.values["method"] == AUTOMATIC and already_closes(home):
        return replace(state, wraps=True, closes=True).noting(SEAMLESS_ALREADY)
    channels = 3 if (home.pixels[..., 3] == 65535).all() else 4
    picture = home.pixels[..., :channels].astype(np.float32) * np.float32(1 / 65535)
    method = order.values["method"]
    chosen = "gradient-domain" if method == AUTOMATIC else method
    size = (state.width, state.height)
    mended = mend_borders(picture, size, state.repeat, chosen, order.values["band"] / 100, order.watch)
    out = np.ones((state.height, state.width, 4), np.float32)
    out[..., :channels] = mended.picture if channels == 4 else as_lively(mended.picture, picture, state.repeat)
    after = replace(home, pixels=premultiplied_to_pixels(out), wraps=True, closes=None)
    return after.moved(x, y).noting(*faults_of(picture))


STEPS.add(
    "mend-border",
    Step(
        "mend-border", "Border mending", "mending", "Makes the borders seamless.", VALUES, apply, closing="measured",
        uniform=False, work=6,
    ),
)  # fmt: skip
