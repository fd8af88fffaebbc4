"""Woven cloth of one kind of thread: plain weave, twill or satin."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from orvix.pictures.packing import grey_to_pixels
from orvix.registry import Value
from orvix.tiles.sources.registry import SOURCES, Given, Order, Pixels, Source
from orvix.tiles.sources.weaving import THREAD_VALUES, check_threads, given_threads, thread_lattice, weave

VALUES = (
    *THREAD_VALUES,
    Value("warp_tone", "Warp tone", "number", 0.78, "Tone of the vertical threads.", low=0, high=1),
    Value("weft_tone", "Weft tone", "number", 0.62, "Tone of the horizontal threads.", low=0, high=1),
)  # fmt: skip


def render(order: Order) -> Pixels:
    """The window asked for."""
    cloth = weave(order, thread_lattice(order))
    tone = np.where(cloth.warp_over, np.float32(order.values["warp_tone"]), np.float32(order.values["weft_tone"]))
    return grey_to_pixels(tone * cloth.shade)


def given(order: Order) -> list[Given]:
    """Threads as they close."""
    return given_threads(order, thread_lattice(order))


def flat(values: Mapping[str, Any]) -> bool:
    """Threads without gap, roundness, tone or any light are one colour."""
    plain = values["gap"] < 0.05 and values["relief"] < 0.05 and values["slub"] < 0.05
    black = max(values["warp_tone"], values["weft_tone"]) < 0.1
    return black or (plain and abs(values["warp_tone"] - values["weft_tone"]) < 0.05)


SOURCES.add(
    "weave",
    Source(
        "weave", "Weave", "generated", "Plain weave, twill or satin of one thread.", VALUES, render, "weaves",
        check_threads, given, flat,
    ),
)  # fmt: skip
