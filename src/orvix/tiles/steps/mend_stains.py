"""Stain mending: spots that a painter has accepted, healed with other parts of the picture."""

from __future__ import annotations

import numpy as np

from orvix.pictures.packing import premultiplied_to_pixels
from orvix.registry import Value
from orvix.tiles.mending.stains import heal
from orvix.tiles.state import TileState
from orvix.tiles.steps.registry import STEPS, Step, StepOrder

VALUES = (
    Value(
        "spots", "Spots", "points", [],
        "The spots to fill.", low=0,
        high=1, least=0, most=64, each=3,
    ),
)  # fmt: skip


def apply(state: TileState, order: StepOrder) -> TileState:
    """Heal spot after spot."""
    spots = [(x * state.width, y * state.height, max(r * state.width, 1.5)) for x, y, r in order.values["spots"]]
    if not spots:
        return state
    picture = state.pixels.astype(np.float32) * np.float32(1 / 65535)
    for n, spot in enumerate(spots):
        order.watch.stop_if_asked()
        picture = heal(picture, state.repeat, spot, spots[n + 1 :])
        order.watch.tell((n + 1) / len(spots), "filling spots")
    return state.with_pixels(premultiplied_to_pixels(picture))


STEPS.add(
    "mend-stains",
    Step(
        "mend-stains", "Stain mending", "mending", "Fills spots from the rest of the picture.", VALUES, apply,
        closing="measured", uniform=False, work=4,
    ),
)  # fmt: skip
