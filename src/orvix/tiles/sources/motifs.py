"""A motif layout: motifs placed on the cloth. It closes by construction: every item lies in all copies, in whole px."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from orvix.registry import Value
from orvix.tiles.motifs.layout import EMPTY, Layout, parse_layout
from orvix.tiles.motifs.rendering import Cloth, render
from orvix.tiles.motifs.sprites import Studio
from orvix.tiles.sources.registry import SOURCES, Order, Pixels, Source

VALUES = (Value("layout", "Layout", "layout", EMPTY, "The motifs, their places and overlaps."),)


def layout_of(order: Order) -> Layout:
    """The layout of an order, ready to be drawn."""
    return parse_layout(order.values["layout"])


def draw_layout(order: Order) -> Pixels:
    """The window asked for of the layout's cloth; raises what reading its motifs raises."""
    studio = Studio(order.read_picture, order.outside.read_svg)
    return render(layout_of(order), Cloth(order.width, order.height, order.repeat), studio, order.window)


def proves(_: Order) -> bool:
    """Always: a law test moves layouts and compares every octet."""
    return True


def directions(order: Order) -> tuple[tuple[float, float], ...]:
    """Which way each item points, in degrees, and how much it counts: its size, times how one-way its motif is."""
    layout, studio = layout_of(order), Studio(order.read_picture, order.outside.read_svg)
    return tuple(studio.direction(layout, item) for item in layout.items)


def resized(values: Mapping[str, Any], times: float) -> Mapping[str, Any]:
    """A layout for a tile so many times as large."""
    layout = parse_layout(values["layout"])
    items = tuple(replace(item, x=item.x * times, y=item.y * times, scale=item.scale * times) for item in layout.items)
    fresh = replace(layout, items=items, keep_px=layout.keep_px * times, margin_px=layout.margin_px * times)
    return {**values, "layout": fresh.as_dict()}


SOURCES.add(
    "motifs",
    Source("motifs", "Motif layout", "given", "Motifs laid out on the cloth.", VALUES, draw_layout, "given",
        proves=proves, directions=directions, resized=resized,
    ),
)  # fmt: skip
