"""Checked cloth: one set of stripes in warp and weft, each at half strength where they cross."""

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
    stripes_value([[12, "#20445c"], [4, "#e6dcc6"], [12, "#5f7f4b"], [4, "#20445c"], [2, "#c4572f"]]),
    Value(
        "threads_show", "Threads show", "number", 0.35,
        "0: colours that cross are mixed half and half. 1: each thread keeps its own.", low=0, high=1,
    ),
    *THREAD_VALUES,
)  # fmt: skip


def lattice_of(order: Order) -> Lattice:
    """Threads of which the stripes close both ways."""
    period = stripe_threads(order.values["stripes"])
    return thread_lattice(order, period, period)


def render(order: Order) -> Pixels:
    """The window asked for."""
    cloth = weave(order, lattice_of(order))
    colours = stripe_colours(order.values["stripes"])
    period = np.int32(len(colours))
    warp, weft = colours[cloth.place.i % period], colours[cloth.place.j % period]
    half = (warp + weft) * np.float32(0.5)
    top = np.where(cloth.warp_over[..., None], warp, weft)
    rgb = half + (top - half) * np.float32(order.values["threads_show"])
    return straight_to_pixels(rgb * cloth.shade[..., None])


def check(order: Order) -> None:
    """Threads must be wide enough, also once the stripes close."""
    check_threads(order)
    check_lattice(lattice_of(order), order.width / order.values["threads"])


def given(order: Order) -> list[Given]:
    """Threads as they close."""
    return given_threads(order, lattice_of(order))


SOURCES.add(
    "check",
    Source(
        "check", "Checked cloth", "generated", "Stripes both ways, mixed where they cross.", VALUES, render, "weaves",
        check, given, lambda values: flat_stripes(values["stripes"]),
    ),
)  # fmt: skip
