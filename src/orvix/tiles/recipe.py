"""A recipe: a tile's size, repeat, seed, source and steps, as data and as pixels. Same recipe, same pixels.

The form is RECIPE.json of docs/formats/recipe.md. This version of the format knows no steps yet: a list that holds
one is refused by name.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from orvix.errors import BadValue, UnknownName, UnreadablePicture
from orvix.geometry import MOST_SIDE
from orvix.registry import Value, check_values
from orvix.tiles.repeats import Repeat
from orvix.tiles.sources import SOURCES
from orvix.tiles.sources.registry import Order, Pixels, ReadPicture, Source, Window

KNOWN = ("format", "version", "name", "size", "repeat", "stagger", "seed", "source", "steps")
MOST_PIXELS = 4096 * 4096
SEED = Value("seed", "Seed", "whole", 1, "Another seed is another picture of the same kind.", low=0, high=2**32 - 1)
SIDE = Value("size", "Size", "whole", 1024, "How many px the tile has on a side.", unit="px", low=8, high=MOST_SIDE)


def no_pictures(name: str) -> Pixels:
    """The reader for recipes that must stand alone; raises UnreadablePicture for any name."""
    raise UnreadablePicture(f"file={name!r}: no pictures can be read here")


@dataclass(frozen=True)
class Recipe:
    """A checked recipe. width and height in px."""

    width: int
    height: int
    repeat: Repeat
    seed: int
    source: Source
    values: Mapping[str, Any]

    @classmethod
    def parse(cls, given: Any) -> Recipe:
        """Build one from JSON data; raises BadValue or UnknownName, naming the value and its rule."""
        if not isinstance(given, Mapping):
            raise BadValue("recipe", type(given).__name__, "must be a JSON object")
        for name in given:
            if name not in KNOWN:
                raise UnknownName("value of recipe", name, list(KNOWN))
        if given.get("steps"):
            raise BadValue("steps", given["steps"], "must be empty: this version knows no steps")
        width, height = _parse_size(given.get("size", [SIDE.default, SIDE.default]))
        source = given.get("source")
        if not isinstance(source, Mapping):
            raise BadValue("source", source, "must be an object with a name and values")
        entry = SOURCES.get(source.get("name"))
        values = check_values(entry.values, source.get("values", {}), f"source {entry.name}")
        repeat = Repeat.parse(given.get("repeat", "straight"), given.get("stagger"))
        return cls(width, height, repeat, SEED.check(given.get("seed", 1)), entry, values)

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it; `Recipe.parse` gives the same recipe back."""
        return {
            "size": [self.width, self.height],
            "repeat": self.repeat.kind,
            "stagger": str(self.repeat.stagger),
            "seed": self.seed,
            "source": {"name": self.source.name, "values": dict(self.values)},
            "steps": [],
        }

    def at_size(self, width: int, height: int) -> Recipe:
        """The same recipe at another size in px; raises BadValue."""
        width, height = _parse_size([width, height])
        return replace(self, width=width, height=height)

    @property
    def closes_by_construction(self) -> bool:
        """Whether the tile is proven to close under its own repeat."""
        return self.source.closes_by_construction

    def render(self, read_picture: ReadPicture = no_pictures, window: Window | None = None) -> Pixels:
        """The tile, or a window of its cloth: uint16 (rows, columns, 4), premultiplied.

        Raises UnreadablePicture where the source names a picture that `read_picture` cannot give.
        """
        whole = Window(0, 0, self.height, self.width)
        order = Order(self.width, self.height, self.repeat, self.seed, self.values, window or whole, read_picture)
        return self.source.render(order)


def _parse_size(given: Any) -> tuple[int, int]:
    if not isinstance(given, list | tuple) or len(given) != 2:
        raise BadValue("size", given, "must be [width, height] in px")
    width, height = (SIDE.check(side) for side in given)
    if width * height > MOST_PIXELS:
        raise BadValue("size", f"{width}x{height}", f"a tile has at most {MOST_PIXELS} px")
    return width, height
