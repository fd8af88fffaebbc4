"""A recipe: a tile's size, repeat, seed, source and ordered steps, as data and as pixels. Same recipe, same pixels.

The form is RECIPE.json of docs/formats/recipe.md. Where states are kept between renders, only what comes after a change
is computed again.
"""

from __future__ import annotations

import json
from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from threading import Lock
from typing import Any

from orvix.errors import BadValue, UnknownName, UnreadablePicture
from orvix.geometry import MOST_SIDE
from orvix.progress import UNWATCHED, Watch
from orvix.registry import Value, check_values
from orvix.tiles.repeats import Repeat
from orvix.tiles.sources import SOURCES
from orvix.tiles.sources.registry import (
    ALONE,
    Given,
    Order,
    Outside,
    Pixels,
    ReadPicture,
    Source,
    check_order,
    check_source,
    draw,
)
from orvix.tiles.state import TileState
from orvix.tiles.steps import STEPS
from orvix.tiles.steps.registry import Step, StepOrder
from orvix.tiles.window import Window

KNOWN = ("format", "version", "name", "size", "repeat", "stagger", "seed", "source", "steps")
VERSION = (1, 1)
MOST_PIXELS = 4096 * 4096
MOST_STEPS = 64
LONG_WORK_PX = 9_000_000
"""Px times the work on each (1 for a source or a plain step) that are made while a painter waits: 1 to 2 s."""
PREVIEW_SIDE, SIDE_LEAST = 1024, 16
SEED = Value("seed", "Seed", "whole", 1, "Change it for another random picture.", low=0, high=2**32 - 1)
SIDE = Value("size", "Size", "whole", 1024, "Size of the tile.", unit="px", low=8, high=MOST_SIDE)


def no_pictures(name: str) -> Pixels:
    """The reader for recipes that must stand alone; raises UnreadablePicture for any name."""
    raise UnreadablePicture(f"file={name!r}: no pictures can be read here")


class KeptStates:
    """States of tiles held between renders, up to so many octets of pixels; the last used stay. Safe on any thread."""

    def __init__(self, most_octets: int) -> None:
        self._most = most_octets
        self._held: OrderedDict[str, TileState] = OrderedDict()
        self._lock = Lock()

    def get(self, key: str) -> TileState | None:
        """The state of that key, where it is still held."""
        with self._lock:
            state = self._held.get(key)
            if state is not None:
                self._held.move_to_end(key)
            return state

    def put(self, key: str, state: TileState) -> None:
        """Hold a state; the longest unused ones go."""
        with self._lock:
            self._held[key] = state
            self._held.move_to_end(key)
            while len(self._held) > 1 and sum(one.pixels.nbytes for one in self._held.values()) > self._most:
                self._held.popitem(last=False)


@dataclass(frozen=True)
class UsedStep:
    """A step in a recipe: its checked values, and whether it is switched on."""

    step: Step
    values: Mapping[str, Any]
    on: bool = True

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it."""
        return {"name": self.step.name, "values": dict(self.values), "on": self.on}


@dataclass(frozen=True)
class Recipe:
    """A checked recipe. width and height in px are those of the source; `shape` tells what comes out.

    unknown: what a file of a newer version held that this one does not know, by its place, kept as it was.
    """

    width: int
    height: int
    repeat: Repeat
    seed: int
    source: Source
    values: Mapping[str, Any]
    steps: tuple[UsedStep, ...] = ()
    unknown: Mapping[tuple[str | int, ...], Any] = field(default_factory=dict)

    @classmethod
    def parse(cls, given: Any) -> Recipe:
        """Build one from JSON data; raises BadValue or UnknownName, naming the value and its rule."""
        if not isinstance(given, Mapping):
            raise BadValue("recipe", type(given).__name__, "must be a JSON object")
        given, unknown = _without_unknown(given)
        width, height = _parse_size(given.get("size", [SIDE.default, SIDE.default]))
        told = check_source("source", given.get("source"))
        repeat = Repeat.parse(given.get("repeat", "straight"), given.get("stagger"))
        seed = SEED.check(given.get("seed", 1))
        steps = _parse_steps(given.get("steps", []))
        recipe = cls(width, height, repeat, seed, SOURCES.get(told["name"]), told["values"], steps, unknown)
        out_width, out_height, _ = recipe.shape
        _parse_size([out_width, out_height])
        return recipe

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it; `Recipe.parse` gives the same recipe back."""
        told: dict[str, Any] = {
            "format": "orvix-recipe",
            "version": list(VERSION),
            "size": [self.width, self.height],
            "repeat": self.repeat.kind,
            "stagger": str(self.repeat.stagger),
            "seed": self.seed,
            "source": {"name": self.source.name, "values": dict(self.values)},
            "steps": [used.as_dict() for used in self.steps],
        }
        for place, value in self.unknown.items():
            inside: Any = told
            for part in place[:-1]:
                inside = inside[part]
            inside[place[-1]] = value
            told["version"] = [VERSION[0], VERSION[1] + 1]
        return told

    def at_size(self, width: int, height: int) -> Recipe:
        """The same recipe at another size in px; raises BadValue."""
        width, height = _parse_size([width, height])
        values = self.source.resized(self.values, width / self.width)
        return replace(self, width=width, height=height, values=values)

    @property
    def shape(self) -> tuple[int, int, Repeat]:
        """Width, height in px and repeat of the tile that comes out."""
        shape = self.width, self.height, self.repeat
        for used in self.steps:
            if used.on:
                shape = used.step.shape(used.values, *shape)
        return shape

    @property
    def closes_by_construction(self) -> bool:
        """Whether the tile is proven to close under its own repeat, by the recipe alone."""
        proven = self.source.closes_by_construction(self._order(no_pictures))
        return proven and all(used.step.closing == "keeps" for used in self.steps if used.on)

    def steps_on(self) -> tuple[str, ...]:
        """The names of the steps that are switched on, in order."""
        return tuple(used.step.name for used in self.steps if used.on)

    @property
    def takes_long(self) -> bool:
        """Whether making the tile takes longer than a painter waits: judged by px and steps, not measured."""
        work = sum(used.step.work for used in self.steps if used.on)
        return self.width * self.height * (1 + work) > LONG_WORK_PX

    def preview(self) -> tuple[Recipe, float]:
        """The recipe at a size that is made while a painter waits, and how many times smaller it is (1: as it is).

        The same recipe at another size of the same proportions is the same picture with more or less detail.
        """
        if not self.takes_long:
            return self, 1.0
        times = max(self.width, self.height) / PREVIEW_SIDE
        width, height = max(round(self.width / times), SIDE_LEAST), max(round(self.height / times), SIDE_LEAST)
        return self.at_size(width, height), times

    def halved(self) -> Recipe | None:
        """The recipe at half its size, a quarter of the work: for a picture seen at half its size or less.

        None where that would not be the same picture: a side is odd or under 256 px, or a step that is on has values
        in px.
        """
        px = any(value.unit == "px" for used in self.steps if used.on for value in used.step.values)
        if px or self.width % 2 or self.height % 2 or min(self.width, self.height) < 256:
            return None
        try:
            smaller = self.at_size(self.width // 2, self.height // 2)
            check_order(smaller.source, smaller._order(no_pictures))
        except BadValue:  # a ruling or a piece too fine for so few px
            return None
        return smaller

    def given(self) -> list[Given]:
        """What the source took to the nearest that closes."""
        return self.source.given(self._order(no_pictures))

    def render_source(
        self, read_picture: ReadPicture = no_pictures, window: Window | None = None, outside: Outside = ALONE
    ) -> Pixels:
        """What the source gives, or a window of its cloth, before any step."""
        return draw(self.source, replace(self._order(read_picture, window), outside=outside))

    def render(self, read_picture: ReadPicture = no_pictures) -> Pixels:
        """The tile: uint16 (rows, columns, 4), premultiplied.

        Raises UnreadablePicture where the source names a picture that `read_picture` cannot give.
        """
        return self.run(read_picture).pixels

    def run(
        self,
        read_picture: ReadPicture = no_pictures,
        watch: Watch = UNWATCHED,
        kept: KeptStates | None = None,
        outside: Outside = ALONE,
    ) -> TileState:
        """The tile with what is known about how it closes, from the last state that is kept onwards.

        outside: what else the source may ask for; what it tells of how pictures close is trusted.
        """
        used = [one for one in self.steps if one.on]
        keys = self._keys(used)
        done, state = self._last_kept(keys, kept)
        parts = len(used) + 1
        if state is None:
            order = replace(self._order(read_picture), outside=outside)
            pixels = draw(self.source, order, watch.part(0, 1 / parts))
            pixels.setflags(write=False)
            proven = self.source.closes_by_construction(order)
            ways = self.source.directions(order)
            state = TileState(pixels, self.repeat, proven, self.source.wraps, directions=ways)
            done = 0
            if kept:
                kept.put(keys[0], state)
        for n in range(done, len(used)):
            watch.stop_if_asked()
            part = watch.part((n + 1) / parts, (n + 2) / parts)
            part.tell(0.0, used[n].step.title.lower())
            state = used[n].step.run(state, StepOrder(used[n].values, self.seed, part))
            state.pixels.setflags(write=False)
            if kept:
                kept.put(keys[n + 1], state)
        watch.tell(1.0, "done")
        return state

    def _keys(self, used: list[UsedStep]) -> list[str]:
        """A key for each state on the way: all that it depends on, as text."""
        whole = self.as_dict()
        told = [json.dumps([whole[name] for name in ("size", "repeat", "stagger", "seed", "source")], sort_keys=True)]
        for one in used:
            told.append(told[-1] + json.dumps([one.step.name, one.values], sort_keys=True))
        return told

    @staticmethod
    def _last_kept(keys: list[str], kept: KeptStates | None) -> tuple[int, TileState | None]:
        for n in range(len(keys) - 1, -1, -1):
            state = kept.get(keys[n]) if kept else None
            if state is not None:
                return n, state
        return 0, None

    def _order(self, read_picture: ReadPicture, window: Window | None = None) -> Order:
        whole = Window(0, 0, self.height, self.width)
        return Order(self.width, self.height, self.repeat, self.seed, self.values, window or whole, read_picture)


def _parse_steps(given: Any) -> tuple[UsedStep, ...]:
    if not isinstance(given, list | tuple) or len(given) > MOST_STEPS:
        raise BadValue("steps", given, f"must be a list of at most {MOST_STEPS} steps")
    return tuple(_parse_step(one) for one in given)


def _parse_step(given: Any) -> UsedStep:
    if not isinstance(given, Mapping):
        raise BadValue("steps", given, "each must be an object with a name and values")
    for name in given:
        if name not in ("name", "values", "on"):
            raise UnknownName("value of step", name, ["name", "values", "on"])
    step = STEPS.get(given.get("name"))
    on = given.get("on", True)
    if not isinstance(on, bool):
        raise BadValue("on", on, "must be true or false")
    values = check_values(step.values, given.get("values", {}), f"step {step.name}")
    for value in step.values:
        if value.kind == "source":
            values[value.name] = check_source(value.name, values[value.name], 1)
    return UsedStep(step, values, on)


def _parse_size(given: Any) -> tuple[int, int]:
    if not isinstance(given, list | tuple) or len(given) != 2:
        raise BadValue("size", given, "must be [width, height] in px")
    width, height = (SIDE.check(side) for side in given)
    if width * height > MOST_PIXELS:
        raise BadValue("size", f"{width}x{height}", f"a tile has at most {MOST_PIXELS} px")
    return width, height


def _without_unknown(given: Mapping[str, Any]) -> tuple[Mapping[str, Any], dict[tuple[str | int, ...], Any]]:
    """The recipe without what only a newer version knows, and that by its place; refuses it at the same version."""
    if not _is_newer(given.get("version", list(VERSION))):
        for name in given:
            if name not in KNOWN:
                raise UnknownName("value of recipe", name, list(KNOWN))
        return given, {}
    unknown: dict[tuple[str | int, ...], Any] = {}
    known = _sift(given, KNOWN, (), unknown)
    if isinstance(known.get("source"), Mapping):
        known["source"] = _sift_entry(known["source"], SOURCES, ("source",), unknown)
    if isinstance(known.get("steps"), list):
        known["steps"] = [
            _sift_entry(one, STEPS, ("steps", n), unknown) if isinstance(one, Mapping) else one
            for n, one in enumerate(known["steps"])
        ]
    return known, unknown


def _sift_entry(told: Mapping[str, Any], registry: Any, place: tuple[str | int, ...], unknown: Any) -> dict[str, Any]:
    known = _sift(told, ("name", "values", "on"), place, unknown)
    if isinstance(known.get("values"), Mapping):
        names = tuple(value.name for value in registry.get(told.get("name")).values)
        known["values"] = _sift(known["values"], names, (*place, "values"), unknown)
    return known


def _sift(
    told: Mapping[str, Any], names: tuple[str, ...], place: tuple[str | int, ...], unknown: Any
) -> dict[str, Any]:
    unknown.update({(*place, name): value for name, value in told.items() if name not in names})
    return {name: value for name, value in told.items() if name in names}


def _is_newer(version: Any) -> bool:
    wholes = isinstance(version, list | tuple) and len(version) == 2 and all(type(one) is int for one in version)
    if not wholes or version[0] != VERSION[0] or version[1] < 0:
        raise BadValue(
            "version", version, f"must be [{VERSION[0]}, n]: this program reads recipes of version {VERSION[0]}"
        )
    return bool(version[1] > VERSION[1])
