"""Ticking: striped cloth, its stripes in the warp."""

from __future__ import annotations

import numpy as np

from orvix.pictures.packing import straight_to_pixels
from orvix.registry import Value
from orvix.tiles.lattices import Lattice
from orvix.tiles.sources.registry import SOURCES, Given, Order, Pixels, Source
from orvix.tiles.sources.stripes import flat_stripes, stripe_colours, stripe_threads, stripes_value
from orvix.tiles.sources.weaving import (
    THREAD_VALUES,
    check_lattice,
    check_threads,
    given_threads,
    thread_lattice,
    weave,
)

VALUES = (
    stripes_value([[14, "#ece4d2"], [2, "#2f4858"], [2, "#ece4d2"], [6, "#2f4858"], [2, "#ece4d2"], [2, "#2f4858"]]),
    Value("weft", "Weft", "colour", "#e8dfcc", "The colour of the level threads."),
    *THREAD_VALUES,
)  # fmt: skip


def lattice_of(order: Order) -> Lattice:
    """Threads of which the stripes close."""
    return thread_lattice(order, warp_period=stripe_threads(order.values["stripes"]))


def render(order: Order) -> Pixels:
    """The window asked for."""
    cloth = weave(order, lattice_of(order))
    warp = stripe_colours(order.values["stripes"])
    weft = stripe_colours([[1, order.values["weft"]]])[0]
    rgb = np.where(cloth.warp_over[..., None], warp[cloth.place.i % np.int32(len(warp))], weft)
    return straight_to_pixels(rgb * cloth.shade[..., None])


def check(order: Order) -> None:
    """Threads must be wide enough, also once the stripes close."""
    check_threads(order)
    check_lattice(lattice_of(order), order.width / order.values["threads"])


def given(order: Order) -> list[Given]:
    """Threads as they close."""
    return given_threads(order, lattice_of(order))


SOURCES.add(
    "ticking",
    Source(
        "ticking", "Ticking", "generated", "Striped cloth.", VALUES, render, "weaves", check, given,
        lambda values: flat_stripes(values["stripes"], values["weft"]),
    ),
)  # fmt: skip
