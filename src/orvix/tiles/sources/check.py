"""Checked cloth: one set of stripes in warp and weft, each at half strength where they cross."""

from __future__ import annotations

import numpy as np

from orvix.registry import Value
from orvix.tiles.lattices import Lattice
from orvix.tiles.sources.registry import Order, Plane
from orvix.tiles.sources.stripes import flat_stripes, stripe_colours, stripe_threads, stripes_value
from orvix.tiles.sources.weaving import THREAD_VALUES, Cloth, add_striped, thread_lattice

VALUES = (
    stripes_value([[12, "#20445c"], [4, "#e6dcc6"], [12, "#5f7f4b"], [4, "#20445c"], [2, "#c4572f"]]),
    Value(
        "threads_show", "Threads show", "number", 0.35,
        "0 mixes crossing colours half and half. 1 lets each thread keep its colour.", low=0, high=1,
    ),
    *THREAD_VALUES,
)  # fmt: skip


def lattice_of(order: Order) -> Lattice:
    """Threads of which the stripes close both ways."""
    period = stripe_threads(order.values["stripes"])
    return thread_lattice(order, period, period)


def colours_of(order: Order, cloth: Cloth) -> Plane:
    """Between both threads' colours mixed and that of the thread on top."""
    colours = stripe_colours(order.values["stripes"])
    period = np.int32(len(colours))
    warp, weft = colours[cloth.place.i % period], colours[cloth.place.j % period]
    half = (warp + weft) * np.float32(0.5)
    top = np.where(cloth.warp_over[..., None], warp, weft)
    return half + (top - half) * np.float32(order.values["threads_show"])


add_striped(
    "check", "Checked cloth", "Stripes in both directions, mixed where they cross.", VALUES, lattice_of, colours_of,
    lambda values: flat_stripes(values["stripes"]),
)  # fmt: skip
