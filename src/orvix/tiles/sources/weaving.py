"""Threads over and under each other on a grid: what weaves, ticking and checked cloth share. Not a source itself."""

from __future__ import annotations

from collections.abc import Callable
from math import gcd, hypot
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from orvix.errors import BadValue
from orvix.pictures.packing import straight_to_pixels
from orvix.registry import Value
from orvix.tiles.lattices import Lattice, Places, Wholes, closing_lattice, numbers
from orvix.tiles.sources.registry import SOURCES, Given, Order, Pixels, Plane, Source

BINDINGS = ("plain", "twill", "satin")
THREAD_VALUES = (
    Value("threads", "Threads across", "whole", 64, "Number of threads across.", low=2, high=1024),
    Value("binding", "Binding", "choice", "plain", "How threads cross.", choices=BINDINGS),
    Value("run", "Run", "whole", 4, "Threads before a twill or satin repeats.", low=3, high=8),
    Value("gap", "Gap", "number", 0.12, "Ground visible between threads.", low=0, high=0.8),
    Value("relief", "Relief", "number", 0.6, "Roundness of the threads.", low=0, high=1),
    Value("slub", "Uneven threads", "number", 0.3, "Variation in tone between threads.", low=0, high=1),
)  # fmt: skip
_SALT = 61


class Cloth(NamedTuple):
    """warp_over: where the upright thread lies on top; shade: light on the thread, 0 to about 1.1; place: its cell."""

    warp_over: NDArray[np.bool_]
    shade: Plane
    place: Places
    lattice: Lattice


def binding_run(values: Any) -> int:
    """After how many threads the binding comes back."""
    return 2 if values["binding"] == "plain" else int(values["run"])


def thread_lattice(order: Order, warp_period: int = 1, weft_period: int = 1) -> Lattice:
    """The grid of threads; stripes of so many threads close together with the binding."""
    run = binding_run(order.values)
    unit = order.width / order.values["threads"]
    if warp_period == weft_period == 1:
        # A binding alone comes back by one thread aside and down, and by its run aside.
        pattern = closing_lattice(order.width, order.height, order.repeat, (run * unit, 0.0), (unit, unit), level=True)
        return pattern.seen_as(((run, 1), (0, 1)))
    across, down = (run * period // gcd(run, period) for period in (warp_period, weft_period))
    pattern = closing_lattice(
        order.width, order.height, order.repeat, (across * unit, 0.0), (0.0, down * unit), level=True
    )
    return pattern.seen_as(((across, 0), (0, down)))


def weave(order: Order, lattice: Lattice) -> Cloth:
    """Threads over the order's window."""
    values = order.values
    at = lattice.places(order.window)
    run = np.int32(binding_run(values))
    over = (at.i - at.j) % run
    warp_over = over != 0 if values["binding"] == "satin" else over < run // 2
    across = np.where(warp_over, at.u, at.v)
    along = np.where(warp_over, at.v, at.u)
    width = np.float32(1 - values["gap"])
    side = (across - np.float32(0.5)) * np.float32(2) / width
    round_off = np.float32(values["relief"])
    shade = 1 - np.float32(0.55) * round_off * side * side
    # Where a thread goes under the next one it sinks; where it floats on it does not.
    sinks = _sinks(warp_over, over, run, along)
    shade = shade * (1 - np.float32(0.5) * round_off * sinks)
    slub = np.float32(values["slub"])
    shade = shade * (1 - slub * np.float32(0.5) + slub * _thread_chance(order, lattice, at, warp_over))
    px = np.float32(min(hypot(*vector) for vector in lattice.vectors))
    cover = np.clip((1 - np.abs(side)) * width * np.float32(0.5) * px + np.float32(0.5), 0, 1)
    return Cloth(warp_over, shade * cover, at, lattice)


def _sinks(warp_over: NDArray[np.bool_], over: Wholes, run: np.int32, along: Plane) -> Plane:
    """How far the thread on top has sunk, 0 to 1: near the ends of its float only."""
    last = run // 2 - 1 if run > 2 else np.int32(0)
    down = (2 * along - 1) ** 2
    down = down * down
    if run == 2:
        return down
    # Along an upright thread i - j falls, along a level one it rises.
    first_end = np.where(warp_over, over == last, over == run // 2)
    last_end = np.where(warp_over, over == 0, over == run - 1)
    return np.where(along < np.float32(0.5), down * first_end, down * last_end).astype(np.float32)


def _thread_chance(order: Order, lattice: Lattice, at: Places, warp_over: NDArray[np.bool_]) -> Plane:
    columns, rows = lattice.column_period(), lattice.row_period()
    chance = numbers(order.seed, _SALT, columns + rows, 1)[:, 0]
    return np.where(warp_over, chance[at.i % np.int32(columns)], chance[np.int32(columns) + at.j % np.int32(rows)])


def check_threads(order: Order) -> None:
    """Threads must be at least 2 px wide."""
    if order.width / order.values["threads"] < 2:
        raise BadValue(
            "threads", order.values["threads"], f"threads are at least 2 px: at most {order.width // 2} here"
        )


def check_lattice(lattice: Lattice, asked_px: float) -> None:
    """Raise BadValue where closing has made threads thinner than 1.5 px."""
    thin = min(hypot(*vector) for vector in lattice.vectors)
    if thin < 1.5:
        raise BadValue(
            "stripes", f"{asked_px:.1f} px a thread", f"the stripes do not fit the tile: threads would be {thin:.1f} px"
        )


def given_threads(order: Order, lattice: Lattice) -> list[Given]:
    """Threads across, asked and as they close."""
    return [
        Given("Threads across", order.values["threads"], round(order.width / hypot(*lattice.vectors[0]), 2), "threads")
    ]


def add_striped(
    name: str,
    title: str,
    told: str,
    values: tuple[Value, ...],
    lattice_of: Callable[[Order], Lattice],
    colours: Callable[[Order, Cloth], Plane],
    flat: Callable[[Any], bool],
) -> None:
    """Register striped cloth. lattice_of: threads of which its stripes close. colours: of the thread on top, (..., 3).

    Its threads must be wide enough, also once the stripes close.
    """

    def render(order: Order) -> Pixels:
        cloth = weave(order, lattice_of(order))
        return straight_to_pixels(colours(order, cloth) * cloth.shade[..., None])

    def check(order: Order) -> None:
        check_threads(order)
        check_lattice(lattice_of(order), order.width / order.values["threads"])

    def given(order: Order) -> list[Given]:
        return given_threads(order, lattice_of(order))

    SOURCES.add(name, Source(name, title, "generated", told, values, render, "weaves", check, given, flat))
