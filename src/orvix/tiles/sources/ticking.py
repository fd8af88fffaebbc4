"""Ticking: striped cloth, its stripes in the warp."""

from __future__ import annotations

import numpy as np

from orvix.registry import Value
from orvix.tiles.lattices import Lattice
from orvix.tiles.sources.registry import Order, Plane
from orvix.tiles.sources.stripes import flat_stripes, stripe_colours, stripe_threads, stripes_value
from orvix.tiles.sources.weaving import THREAD_VALUES, Cloth, add_striped, thread_lattice

VALUES = (
    stripes_value([[14, "#ece4d2"], [2, "#2f4858"], [2, "#ece4d2"], [6, "#2f4858"], [2, "#ece4d2"], [2, "#2f4858"]]),
    Value("weft", "Weft", "colour", "#e8dfcc", "Colour of the horizontal threads."),
    *THREAD_VALUES,
)  # fmt: skip


def lattice_of(order: Order) -> Lattice:
    """Threads of which the stripes close."""
    return thread_lattice(order, warp_period=stripe_threads(order.values["stripes"]))


def colours_of(order: Order, cloth: Cloth) -> Plane:
    """The stripes, and the weft where it lies on top."""
    warp = stripe_colours(order.values["stripes"])
    weft = stripe_colours([[1, order.values["weft"]]])[0]
    return np.where(cloth.warp_over[..., None], warp[cloth.place.i % np.int32(len(warp))], weft)


add_striped(
    "ticking", "Ticking", "Striped cloth.", VALUES, lattice_of, colours_of,
    lambda values: flat_stripes(values["stripes"], values["weft"]),
)  # fmt: skip
