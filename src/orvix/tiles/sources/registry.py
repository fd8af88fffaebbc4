"""What a source is: a name, values, and a function from values to pixels."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.bands import in_bands
from orvix.errors import BadValue, UnknownName, UnreadablePicture
from orvix.pictures.writing import LUMA
from orvix.progress import UNWATCHED, Watch
from orvix.registry import CHECKS, Registry, Value, check_values
from orvix.tiles.motifs.svg import Svg
from orvix.tiles.repeats import Repeat
from orvix.tiles.window import Window

Pixels = NDArray[np.uint16]
Plane = NDArray[np.float32]
ReadPicture = Callable[[str], Pixels]
Drawn = tuple[int, int, Repeat]
"""The width and height in px and the repeat under which a picture is proven to close."""
Vouch = Callable[[str], Drawn | None]
"""Tells of a picture that is handed in, by its name, how it is proven to close, if it is."""

LIGHT = (-0.6, -0.8)
"""The direction light comes from on everything with relief: (x, y), y down."""

_DEEPEST = 4


ReadSvg = Callable[[str], Svg]
Direction = tuple[float, float]
"""Which way something points, in degrees clockwise from up, and how much it counts."""


def nobody_vouches(_: str) -> None:
    """Nothing is known of pictures from outside."""


def no_svg(name: str) -> Svg:
    """The reader for recipes that must stand alone; raises UnreadablePicture for any name."""
    raise UnreadablePicture(f"file={name!r}: no drawings can be read here")


@dataclass(frozen=True)
class Outside:
    """What a source may ask of whoever renders it, besides pictures: how they are proven to close, and drawings."""

    vouch: Vouch = nobody_vouches
    read_svg: ReadSvg = no_svg


ALONE = Outside()


@dataclass(frozen=True)
class Order:
    """What a source is asked for: the tile's size and repeat, its seed, its checked values, and the window wanted."""

    width: int
    height: int
    repeat: Repeat
    seed: int
    values: Mapping[str, Any]
    window: Window
    read_picture: ReadPicture
    outside: Outside = ALONE

    def px(self, share: float) -> float:
        """A length given in percent of the tile's width, in px."""
        return share * self.width / 100


@dataclass(frozen=True)
class Given:
    """What a painter asked for and what closes: a title, the asked and the given number, and their unit."""

    title: str
    asked: float
    given: float
    unit: str
    sizes: tuple[tuple[int, int], ...] = ()
    """Sizes of the tile, nearest first, at which what was asked for closes."""

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it."""
        told = {"title": self.title, "asked": self.asked, "given": self.given, "unit": self.unit}
        return told | {"sizes": [list(size) for size in self.sizes]}


def _nothing(_: Order) -> list[Given]:
    return []


def _anything(_: Order) -> None:
    """Every setting is possible."""


def _generated_only(_: Order) -> bool:
    return False


def _points_nowhere(_: Order) -> tuple[Direction, ...]:
    return ()


def _as_it_is(values: Mapping[str, Any], times: float) -> Mapping[str, Any]:
    return values


def _never(_: Mapping[str, Any]) -> bool:
    return False


@dataclass(frozen=True)
class Source:
    """kind is "generated" (closes by construction at any setting) or "given" (comes from outside).

    render: pixels of the order's window. check: raises BadValue for values impossible together or at this size, with
    the nearest value that works. given: what was taken to the nearest that closes. flat: whether these values make a
    picture of one colour. wraps: whether what lies beyond a border may be taken from the other side, as not in a photo.
    proves: whether a given source is proven to close. directions: which way its parts point. resized: its values for a
    tile so many times as large, where they are in px.
    """

    name: str
    title: str
    kind: str
    help: str
    values: tuple[Value, ...]
    render: Callable[[Order], Pixels]
    group: str = ""
    check: Callable[[Order], None] = _anything
    given: Callable[[Order], list[Given]] = _nothing
    flat: Callable[[Mapping[str, Any]], bool] = _never
    wraps: bool = True
    proves: Callable[[Order], bool] = _generated_only
    directions: Callable[[Order], tuple[Direction, ...]] = _points_nowhere
    resized: Callable[[Mapping[str, Any], float], Mapping[str, Any]] = _as_it_is

    def closes_by_construction(self, order: Order) -> bool:
        """Whether closing is proven: by the law tests for generated sources, for others by `proves`."""
        return self.kind == "generated" or self.proves(order)

    def describe(self) -> dict[str, Any]:
        """The source as the command line lists it."""
        told: dict[str, Any] = {"name": self.name, "title": self.title, "kind": self.kind, "help": self.help}
        return told | {"group": self.group, "values": [value.describe() for value in self.values]}


SOURCES: Registry[Source] = Registry("source")


def check_source(name: str, given: Any, deep: int = 0) -> dict[str, Any]:
    """A source with its values, as recipes hold it: defaults filled in. Raises BadValue or UnknownName."""
    if not isinstance(given, Mapping):
        raise BadValue(name, given, "must be an object with a name and values")
    for key in given:
        if key not in ("name", "values"):
            raise UnknownName(f"value of {name}", key, ["name", "values"])
    if deep > _DEEPEST:
        raise BadValue(name, given.get("name"), f"sources nest at most {_DEEPEST} deep")
    source = SOURCES.get(given.get("name"))
    if deep and source.kind != "generated":
        raise BadValue(
            name, source.name, "A source inside another must be a generated one, so that the tile is seamless."
        )
    values = given.get("values", {})
    checked = check_values(source.values, values, f"source {source.name}")
    for value in source.values:
        if value.kind == "source":
            checked[value.name] = check_source(value.name, checked[value.name], deep + 1)
    return {"name": source.name, "values": checked}


def _check_inner(value: Value, given: Any) -> Any:
    """The kind "source": what lies inside is checked by check_source, which counts how deep it is."""
    if not isinstance(given, Mapping):
        raise BadValue(value.name, given, "must be an object with a name and values")
    return given


CHECKS["source"] = _check_inner


def check_order(source: Source, order: Order) -> None:
    """Raise BadValue where the values are impossible together, also those of sources inside."""
    source.check(order)
    for inner, inner_order in inner_sources(source, order):
        check_order(inner, inner_order)


def inner_sources(source: Source, order: Order) -> list[tuple[Source, Order]]:
    """The sources inside this one, each with its order."""
    named = [order.values[value.name] for value in source.values if value.kind == "source"]
    return [inner_source(order, one) for one in named]


def inner_source(order: Order, told: Mapping[str, Any]) -> tuple[Source, Order]:
    """A source inside another, with its order: the same tile and window, its own values."""
    return SOURCES.get(told["name"]), replace(order, values=told["values"])


def render_inner(order: Order, told: Mapping[str, Any]) -> Pixels:
    """The pixels of a source inside another."""
    source, inner = inner_source(order, told)
    return source.render(inner)


def luma(pixels: Pixels) -> Plane:
    """Luma of premultiplied pixels over black, float32 (rows, columns) in 0 to 1.

    Added px by px: a product of matrices may add in another order where a window begins elsewhere.
    """
    red, green, blue = (pixels[..., n].astype(np.float32) * np.float32(LUMA[n] / 65535) for n in range(3))
    return red + green + blue


def draw(source: Source, order: Order, watch: Watch = UNWATCHED) -> Pixels:
    """The order's window, computed in bands on two threads: told to `watch`, stopped where it says so."""
    check_order(source, order)
    window = order.window
    if source.kind != "generated":
        return source.render(order)
    out = np.empty((window.height, window.width, 4), np.uint16)

    def one(top: int, bottom: int) -> None:
        strip = Window(window.top + top, window.left, bottom - top, window.width)
        out[top:bottom] = source.render(replace(order, window=strip))

    in_bands(window.height, window.width, one, watch, "drawing")
    return out
