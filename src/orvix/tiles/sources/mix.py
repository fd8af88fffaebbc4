"""Two sources mixed: one over the other by a mode, everywhere or through a third one as mask."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from orvix.colour.blending import MODES, blend
from orvix.registry import Value
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Source, luma, render_inner

VALUES = (
    Value("under", "Under", "source", {"name": "noise", "values": {}}, "The lower source."),
    Value("over", "Over", "source", {"name": "courses", "values": {}}, "The upper source."),
    Value("mode", "Blend mode", "choice", "multiply", "How the two sources blend.", choices=MODES),
    Value("strength", "Strength", "number", 1.0, "Opacity of the upper source.", low=0, high=1),
    Value("masked", "Masked", "switch", False, "Shows the upper source only through the mask."),
    Value("mask", "Mask", "source", {"name": "cells", "values": {}}, "Light parts show the upper source."),
)  # fmt: skip


def render(order: Order) -> Pixels:
    """The window asked for."""
    values = order.values
    under, over = render_inner(order, values["under"]), render_inner(order, values["over"])
    strength: Any = np.float32(values["strength"])
    if values["masked"]:
        strength = strength * luma(render_inner(order, values["mask"]))[..., None]
    return blend(under, over, values["mode"], strength)


def flat(values: Mapping[str, Any]) -> bool:
    """Where what is seen may be one colour: some modes of some sources, and parts that are flat."""
    inner = [SOURCES.get(values[name]["name"]).flat(values[name]["values"]) for name in ("under", "over")]
    return any(inner) or values["mode"] not in ("normal", "multiply", "screen", "overlay") or values["strength"] > 0


SOURCES.add(
    "mix",
    Source("mix", "Mix", "generated", "Two sources blended by a mode and a mask.", VALUES, render, "colour", flat=flat),
)  # fmt: skip
