"""A motif layout as data: which motifs there are, where each of them lies, and what lies over what.

Items lie in px of the tile, in their order, the first lowest; every item shows in all copies of the tile. `over` holds
what a painter settled by hand where copies meet: [upper, lower, across, down] says that item `upper` lies over the copy
of item `lower` that is moved by so many vectors of the repeat, whatever their order says.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any

from orvix.errors import BadValue, UnknownName
from orvix.registry import CHECKS, Value, check_colour, check_values
from orvix.tiles.motifs.shapes import SHAPES
from orvix.tiles.motifs.starters import STARTERS
from orvix.tiles.motifs.svg import Pose

MOST_ITEMS, MOST_MOTIFS, MOST_RULES = 2_000, 60, 500
FAR_PX = 65_536.0
KINDS = ("shape", "starter", "svg", "picture", "tile")
X = Value(
    "x", "X", "number", 0.0, "Distance of its centre from the left of the tile.", unit="px", low=-FAR_PX, high=FAR_PX
)
Y = Value(
    "y", "Y", "number", 0.0, "Distance of its centre from the top of the tile.", unit="px", low=-FAR_PX, high=FAR_PX
)
TURN = Value("turn", "Rotation", "number", 0.0, "Rotates the motif clockwise.", unit="°", low=-3600, high=3600)
SCALE = Value("scale", "Scale", "number", 1.0, "Size of the motif, relative to its original.", low=0.01, high=64)
GROUP = Value(
    "group", "Group", "whole", 0, "Motifs in a group are selected together. 0 means no group.", low=0, high=100_000
)
KEEP = Value("keep_px", "Minimum gap", "number", 0.0, "Smallest gap between motifs.", unit="px", low=0, high=4096)
MARGIN = Value(
    "margin_px",
    "Margin",
    "number",
    0.0,
    "Empty space around the motifs when the tile fits them.",
    unit="px",
    low=0,
    high=4096,
)


@dataclass(frozen=True, eq=False)
class Motif:
    """One motif of a layout. what: the name of a shape or a starter, or of a file handed in.

    values and colour are a shape's; colours replaces colours of a drawing by others.
    """

    id: str
    kind: str
    what: str
    name: str
    values: Mapping[str, Any]
    colour: str
    colours: tuple[tuple[str, str], ...] = ()

    @property
    def is_drawing(self) -> bool:
        """Whether it is drawn from outlines, at any size, and not from px."""
        return self.kind in ("shape", "starter", "svg")

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it."""
        told: dict[str, Any] = {"id": self.id, "kind": self.kind, "what": self.what, "name": self.name}
        if self.kind == "shape":
            told |= {"values": dict(self.values), "colour": self.colour}
        return told | ({"colours": dict(self.colours)} if self.colours else {})


@dataclass(frozen=True)
class Item:
    """One motif placed: its middle in px of the tile, its pose, and a colour in place of all its own, or none."""

    motif: str
    x: float
    y: float
    turn: float = 0.0
    scale: float = 1.0
    flip: bool = False
    colour: str | None = None
    locked: bool = False
    group: int = 0

    @property
    def pose(self) -> Pose:
        """How it lies."""
        return Pose(self.turn, self.scale, self.flip)

    def moved(self, x: float, y: float) -> Item:
        """The same item so many px further right and down."""
        return replace(self, x=self.x + x, y=self.y + y)

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it; what is usual is left out."""
        told: dict[str, Any] = {"motif": self.motif, "x": self.x, "y": self.y, "turn": self.turn, "scale": self.scale}
        rest = {"flip": self.flip, "colour": self.colour, "locked": self.locked, "group": self.group}
        return told | {name: value for name, value in rest.items() if value}


Rule = tuple[int, int, int, int]


@dataclass(frozen=True)
class Layout:
    """A checked layout. ground: a colour, or none. follows: whether the tile's size follows the motifs."""

    motifs: tuple[Motif, ...] = ()
    items: tuple[Item, ...] = ()
    over: tuple[Rule, ...] = ()
    ground: str | None = "#f2efe6"
    keep_px: float = 0.0
    follows: bool = False
    margin_px: float = 0.0

    def motif(self, name: str) -> Motif:
        """The motif of that id; raises BadValue."""
        for one in self.motifs:
            if one.id == name:
                return one
        raise BadValue("motif", name, "must be one of " + ", ".join(one.id for one in self.motifs))

    def with_items(self, items: tuple[Item, ...]) -> Layout:
        """The same layout with other items; raises BadValue where there are too many."""
        if len(items) > MOST_ITEMS:
            raise BadValue("items", len(items), f"a layout has at most {MOST_ITEMS} items")
        return replace(self, items=items)

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it; `parse_layout` gives the same layout back."""
        return {
            "motifs": [one.as_dict() for one in self.motifs],
            "items": [one.as_dict() for one in self.items],
            "over": [list(rule) for rule in self.over],
            "ground": self.ground,
            "keep_px": self.keep_px,
            "follows": self.follows,
            "margin_px": self.margin_px,
        }


EMPTY: dict[str, Any] = Layout().as_dict()


def parse_layout(told: Any) -> Layout:
    """A layout from JSON data; raises BadValue or UnknownName, naming the value and its rule."""
    known = set(EMPTY)
    if not isinstance(told, Mapping):
        raise BadValue("layout", type(told).__name__, "must be an object")
    for name in told:
        if name not in known:
            raise UnknownName("value of layout", name, sorted(known))
    motifs = tuple(_motif(one) for one in _rows("motifs", told.get("motifs", []), MOST_MOTIFS))
    ids = {one.id for one in motifs}
    if len(ids) != len(motifs):
        raise BadValue("motifs", [one.id for one in motifs], "each must have an id of its own")
    items = tuple(_item(one, ids) for one in _rows("items", told.get("items", []), MOST_ITEMS))
    rules = tuple(_rule(one, len(items)) for one in _rows("over", told.get("over", []), MOST_RULES))
    ground = told.get("ground", EMPTY["ground"])
    follows = told.get("follows", False)
    if not isinstance(follows, bool):
        raise BadValue("follows", follows, "must be true or false")
    keep, margin = KEEP.check(told.get("keep_px", 0.0)), MARGIN.check(told.get("margin_px", 0.0))
    ground = None if ground is None else check_colour("ground", ground)
    return Layout(motifs, items, rules, ground, keep, follows, margin)


def _rows(name: str, told: Any, most: int) -> list[Any]:
    if not isinstance(told, list | tuple) or len(told) > most:
        count = len(told) if isinstance(told, list | tuple) else told
        raise BadValue(name, count, f"must be a list of at most {most}")
    return list(told)


def _motif(told: Any) -> Motif:
    if not isinstance(told, Mapping):
        raise BadValue("motifs", told, "each must be an object")
    for key in told:
        if key not in ("id", "kind", "what", "name", "values", "colour", "colours"):
            raise UnknownName("value of motif", key, ["id", "kind", "what", "name", "values", "colour", "colours"])
    kind, what, number = told.get("kind"), told.get("what"), told.get("id")
    if kind not in KINDS:
        raise BadValue("kind", kind, "must be one of " + ", ".join(KINDS))
    for key, text in (("id", number), ("what", what)):
        if not isinstance(text, str) or not 1 <= len(text) <= 400:
            raise BadValue(key, text, "must be 1 to 400 characters")
    name = told.get("name") or str(what)[:120]
    if not isinstance(name, str) or len(name) > 120:
        raise BadValue("name", name, "must be at most 120 characters")
    values: Mapping[str, Any] = {}
    if kind == "shape":
        values = check_values(SHAPES.get(what).values, told.get("values", {}), f"shape {what}")
    elif kind == "starter":
        STARTERS.get(what)
    colours = told.get("colours", {})
    if not isinstance(colours, Mapping) or len(colours) > 64:
        raise BadValue("colours", colours, "must be an object of colours to colours")
    changes = tuple((check_colour("colours", one), check_colour("colours", other)) for one, other in colours.items())
    return Motif(
        str(number), kind, str(what), name, values, check_colour("colour", told.get("colour", "#1b3f4b")), changes
    )


def _item(told: Any, ids: set[str]) -> Item:
    if not isinstance(told, Mapping):
        raise BadValue("items", told, "each must be an object")
    for key in told:
        if key not in Item.__dataclass_fields__:
            raise UnknownName("value of item", key, sorted(Item.__dataclass_fields__))
    if told.get("motif") not in ids:
        raise BadValue("motif", told.get("motif"), "must be one of the layout's motifs: " + ", ".join(sorted(ids)))
    numbers = {value.name: value.check(told.get(value.name, value.default)) for value in (X, Y, TURN, SCALE, GROUP)}
    switches = {name: told.get(name, False) for name in ("flip", "locked")}
    for name, value in switches.items():
        if not isinstance(value, bool):
            raise BadValue(name, value, "must be true or false")
    colour = told.get("colour")
    return Item(told["motif"], colour=None if colour is None else check_colour("colour", colour), **numbers, **switches)


def _rule(told: Any, count: int) -> Rule:
    wholes = isinstance(told, list | tuple) and len(told) == 4 and all(type(one) is int for one in told)
    if not wholes or not all(0 <= one < count for one in told[:2]) or max(abs(one) for one in told[2:]) > 64:
        raise BadValue("over", told, "each must be [upper, lower, across, down]: two items, and whole vectors up to 64")
    if told[0] == told[1] and not any(told[2:]):
        raise BadValue("over", told, "A motif cannot overlap itself in the same place.")
    return told[0], told[1], told[2], told[3]


def _check_layout(value: Value, given: Any) -> dict[str, Any]:
    return parse_layout(given).as_dict()


CHECKS["layout"] = _check_layout
