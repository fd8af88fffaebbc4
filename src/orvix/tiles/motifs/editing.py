"""What a painter does to a layout: each edit is one function from a layout and what was told to another layout.

Items are named by their numbers in the order. A group is edited together; locked items stay as they are. Items are
kept near the tile: one that was moved out is taken in by a whole vector, which nobody can see.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from math import ceil
from typing import Any

import numpy as np

from orvix.errors import BadValue, UnknownName
from orvix.registry import Registry, Value, check_colour
from orvix.tiles.motifs.distances import Distances
from orvix.tiles.motifs.filling import Filling, emptiest, fill
from orvix.tiles.motifs.layout import GROUP, SCALE, TURN, Item, Layout, Rule, X, Y, parse_layout
from orvix.tiles.motifs.rendering import Cloth, swapped
from orvix.tiles.motifs.sprites import Studio
from orvix.tiles.repeats import Repeat

Told = Mapping[str, Any]
ALIGNS = ("left", "centre", "right", "top", "middle", "bottom", "even-across", "even-down")
ORDERS = ("front", "forward", "backward", "back")
FLIPS = ("across", "down")
SIDE = Value("size", "Size", "whole", 1024, "How many px the tile has on a side.", unit="px", low=16, high=4096)
_NEAR = 0.02


@dataclass(frozen=True)
class Bench:
    """A layout being edited: what it lies on, who draws it, and which items are chosen."""

    layout: Layout
    cloth: Cloth
    studio: Studio
    chosen: tuple[int, ...] = ()

    @property
    def free(self) -> tuple[int, ...]:
        """The chosen items that are not locked."""
        return tuple(n for n in self.chosen if not self.layout.items[n].locked)

    def with_free(self, change: Callable[[int, Item], Item]) -> Bench:
        """The same with each free chosen item changed."""
        items = list(self.layout.items)
        for number in self.free:
            items[number] = change(number, items[number])
        return replace(self, layout=self.layout.with_items(tuple(items)))

    def box(self, number: int) -> tuple[float, float, float, float]:
        """left, top, right, bottom of an item in px of the tile."""
        item = self.layout.items[number]
        half = self.studio.half_size(self.layout, item)
        return item.x - half[0], item.y - half[1], item.x + half[0], item.y + half[1]

    def boxes(self, numbers: tuple[int, ...]) -> tuple[float, float, float, float]:
        """The box round several items."""
        each = np.array([self.box(number) for number in numbers])
        return tuple(float(v) for v in (*each[:, :2].min(axis=0), *each[:, 2:].max(axis=0)))  # type: ignore[return-value]


Edit = Callable[[Bench, Told], Bench]
EDITS: Registry[Edit] = Registry("edit")


def edit(bench: Bench, told: Any) -> Bench:
    """Do one edit; told: its name as `what`, and what it needs. Raises BadValue or UnknownName, and changes nothing."""
    if not isinstance(told, Mapping):
        raise BadValue("edit", told, "must be an object with its name as what")
    count = len(bench.layout.items)
    for number in bench.chosen:
        if isinstance(number, bool) or not isinstance(number, int) or not 0 <= number < count:
            raise BadValue("chosen", number, f"must be numbers of items, below {count}")
    groups = {bench.layout.items[n].group for n in bench.chosen} - {0}
    chosen = {*bench.chosen, *(n for n, item in enumerate(bench.layout.items) if item.group in groups)}
    done = EDITS.get(told.get("what"))(replace(bench, chosen=tuple(sorted(chosen))), told)
    return fitted(homed(done))


def _number(told: Told, name: str, low: float, high: float, default: float | None = None) -> float:
    value = told.get(name, default)
    if isinstance(value, bool) or not isinstance(value, int | float) or not low <= value <= high:
        raise BadValue(name, value, f"must be {low:g} to {high:g}")
    return float(value)


def _choice(told: Told, name: str, choices: tuple[str, ...]) -> str:
    if told.get(name) not in choices:
        raise BadValue(name, told.get(name), "must be one of " + ", ".join(choices))
    return str(told[name])


def _renumbered(bench: Bench, order: list[int], fresh: tuple[Item, ...] = (), chosen: list[int] | None = None) -> Bench:
    """The items in another order (numbers as they were; those left out go), then new ones; rules follow."""
    now = {old: n for n, old in enumerate(order)}
    items = tuple(bench.layout.items[old] for old in order) + fresh
    rules: tuple[Rule, ...] = tuple(
        (now[upper], now[lower], across, down)
        for upper, lower, across, down in bench.layout.over
        if upper in now and lower in now
    )
    layout = replace(bench.layout.with_items(items), over=rules)
    picked = [now[old] for old in bench.chosen if old in now] if chosen is None else chosen
    return replace(bench, layout=layout, chosen=tuple(sorted(picked)))


def _place(bench: Bench, told: Told) -> Bench:
    """Add an item; told: motif, and x, y, turn, scale where they are not usual. Without a place: the emptiest."""
    layout = bench.layout
    motif = layout.motif(str(told.get("motif"))).id
    if "x" in told or "y" in told:
        x, y = X.check(told.get("x", bench.cloth.width / 2)), Y.check(told.get("y", bench.cloth.height / 2))
    else:
        x, y = (round(place) for place in emptiest(layout, bench.cloth, bench.studio))
    item = Item(motif, x, y, TURN.check(told.get("turn", 0.0)), SCALE.check(told.get("scale", 1.0)))
    return _renumbered(bench, list(range(len(layout.items))), (item,), [len(layout.items)])


def _move(bench: Bench, told: Told) -> Bench:
    """Move; told: x and y in px, and for a layout that keeps a distance `last`, a move known to be allowed."""
    by = _number(told, "x", -1e6, 1e6), _number(told, "y", -1e6, 1e6)
    last = told.get("last", [0, 0])
    if not isinstance(last, list | tuple) or len(last) != 2:
        raise BadValue("last", last, "must be a move, two numbers")
    distances = Distances(bench.layout, bench.cloth, bench.studio)
    by = distances.allowed(bench.free, by, (float(last[0]), float(last[1])))
    return bench.with_free(lambda _, item: item.moved(*by))


def _set(bench: Bench, told: Told) -> Bench:
    """Set numbers of the chosen items; told: any of x, y, turn, scale."""
    values = {value.name: value.check(told[value.name]) for value in (X, Y, TURN, SCALE) if value.name in told}
    return bench.with_free(lambda _, item: replace(item, **values))


def _turn(bench: Bench, told: Told) -> Bench:
    """Turn about the middle of what is chosen; told: by, degrees clockwise."""
    by = _number(told, "by", -3600, 3600)
    turn = np.deg2rad(by)
    matrix = np.array([[np.cos(turn), -np.sin(turn)], [np.sin(turn), np.cos(turn)]])
    return _about(bench, matrix, lambda item: replace(item, turn=(item.turn + by) % 360))


def _scale(bench: Bench, told: Told) -> Bench:
    """Scale about the middle of what is chosen; told: times."""
    times = _number(told, "times", 0.01, 100)
    return _about(bench, np.eye(2) * times, lambda item: replace(item, scale=SCALE.check(item.scale * times)))


def _flip(bench: Bench, told: Told) -> Bench:
    """Mirror about the middle of what is chosen; told: axis."""
    across = _choice(told, "axis", FLIPS) == "across"
    matrix = np.diag([-1.0, 1.0]) if across else np.diag([1.0, -1.0])

    def mirrored(item: Item) -> Item:
        turn = -item.turn if across else 180 - item.turn
        return replace(item, flip=not item.flip, turn=turn % 360)

    return _about(bench, matrix, mirrored)


def _about(bench: Bench, matrix: Any, change: Callable[[Item], Item]) -> Bench:
    if not bench.free:
        return bench
    left, top, right, bottom = bench.boxes(bench.free)
    middle = np.array([(left + right) / 2, (top + bottom) / 2])

    def one(_: int, item: Item) -> Item:
        x, y = matrix @ (np.array([item.x, item.y]) - middle) + middle
        return replace(change(item), x=float(x), y=float(y))

    return bench.with_free(one)


def _recolour(bench: Bench, told: Told) -> Bench:
    """Give the chosen items one colour in place of their own, or their own again; told: colour, or nothing."""
    colour = told.get("colour")
    checked = None if colour is None else check_colour("colour", colour)
    return bench.with_free(lambda _, item: replace(item, colour=checked))


def _motif_colour(bench: Bench, told: Told) -> Bench:
    """Change one colour of a motif, in all its items; told: motif, old, new. For a shape, its colour."""
    motif, new = bench.layout.motif(str(told.get("motif"))), check_colour("new", told.get("new"))
    data = bench.layout.as_dict()
    for one in data["motifs"]:
        if one["id"] == motif.id:
            if motif.kind == "shape":
                one["colour"] = new
            else:
                one["colours"] = {**one.get("colours", {}), check_colour("old", told.get("old")): new}
    return replace(bench, layout=parse_layout(data))


def _duplicate(bench: Bench, told: Told) -> Bench:
    """Add copies of the chosen items, moved; told: x and y in px. The copies are chosen then."""
    by = _number(told, "x", -1e6, 1e6, 24), _number(told, "y", -1e6, 1e6, 24)
    layout, count = bench.layout, len(bench.layout.items)
    groups = sorted({layout.items[n].group for n in bench.chosen} - {0})
    highest = max((item.group for item in layout.items), default=0)
    fresh_group = {group: highest + 1 + n for n, group in enumerate(groups)} | {0: 0}
    fresh = tuple(
        replace(layout.items[n].moved(*by), group=fresh_group[layout.items[n].group], locked=False)
        for n in bench.chosen
    )
    return _renumbered(bench, list(range(count)), fresh, list(range(count, count + len(fresh))))


def _delete(bench: Bench, _: Told) -> Bench:
    """Take the chosen items out."""
    gone = set(bench.free)
    return replace(_renumbered(bench, [n for n in range(len(bench.layout.items)) if n not in gone]), chosen=())


def _align(bench: Bench, told: Told) -> Bench:
    """Align the chosen items with the box round them, or spread them evenly; told: how."""
    how = _choice(told, "how", ALIGNS)
    if len(bench.free) < 2:
        return bench
    each = {number: bench.box(number) for number in bench.free}
    left, top, right, bottom = bench.boxes(bench.free)
    if how.startswith("even"):
        axis = 0 if how == "even-across" else 1
        order = sorted(bench.free, key=lambda n: (bench.layout.items[n].x, bench.layout.items[n].y)[axis])
        first, last = (bench.layout.items[n] for n in (order[0], order[-1]))
        low, high = ((first.x, last.x), (first.y, last.y))[axis]
        to = {number: low + (high - low) * n / (len(order) - 1) for n, number in enumerate(order)}
        return bench.with_free(lambda n, item: replace(item, x=to[n]) if axis == 0 else replace(item, y=to[n]))
    by: dict[str, Callable[[tuple[float, float, float, float]], tuple[float, float]]] = {
        "left": lambda box: (left - box[0], 0),
        "centre": lambda box: ((left + right - box[0] - box[2]) / 2, 0),
        "right": lambda box: (right - box[2], 0),
        "top": lambda box: (0, top - box[1]),
        "middle": lambda box: (0, (top + bottom - box[1] - box[3]) / 2),
        "bottom": lambda box: (0, bottom - box[3]),
    }
    return bench.with_free(lambda n, item: item.moved(*by[how](each[n])))


def _order(bench: Bench, told: Told) -> Bench:
    """Lay the chosen items over or under others; told: how."""
    how, chosen = _choice(told, "how", ORDERS), set(bench.free)
    order = list(range(len(bench.layout.items)))
    if how in ("front", "back"):
        rest, moved = [n for n in order if n not in chosen], [n for n in order if n in chosen]
        return _renumbered(bench, rest + moved if how == "front" else moved + rest)
    steps = range(len(order) - 2, -1, -1) if how == "forward" else range(1, len(order))
    for at in steps:
        to = at + 1 if how == "forward" else at - 1
        if order[at] in chosen and order[to] not in chosen:
            order[at], order[to] = order[to], order[at]
    return _renumbered(bench, order)


def _lock(bench: Bench, told: Told) -> Bench:
    """Lock the chosen items, or free them; told: on."""
    on = told.get("on")
    if not isinstance(on, bool):
        raise BadValue("on", on, "must be true or false")
    items = tuple(replace(one, locked=on) if n in bench.chosen else one for n, one in enumerate(bench.layout.items))
    return replace(bench, layout=bench.layout.with_items(items))


def _group(bench: Bench, told: Told) -> Bench:
    """Put the chosen items in a group of their own, or in none; told: on."""
    on = told.get("on")
    if not isinstance(on, bool):
        raise BadValue("on", on, "must be true or false")
    number = int(GROUP.check(max((item.group for item in bench.layout.items), default=0) + 1)) if on else 0
    items = tuple(replace(one, group=number) if n in bench.chosen else one for n, one in enumerate(bench.layout.items))
    return replace(bench, layout=bench.layout.with_items(items))


def _over(bench: Bench, told: Told) -> Bench:
    """Settle what lies over what where two copies meet; told: upper, lower, across, down."""
    rule = [told.get(name) for name in ("upper", "lower", "across", "down")]
    checked = parse_layout(bench.layout.as_dict() | {"over": [rule]}).over[0]
    return replace(bench, layout=swapped(bench.layout, *checked))


def _fill(bench: Bench, told: Told) -> Bench:
    """Fill the holes; told: motifs, and what `filling.VALUES` says. What is added is chosen then."""
    asked = Filling.parse({key: value for key, value in told.items() if key not in ("what", "motifs")})
    names = told.get("motifs")
    if not isinstance(names, list | tuple):
        raise BadValue("motifs", names, "must be a list of motifs to fill with")
    fresh = tuple(fill(bench.layout, bench.cloth, bench.studio, [str(one) for one in names], asked))
    count = len(bench.layout.items)
    return _renumbered(bench, list(range(count)), fresh, list(range(count, count + len(fresh))))


def _motif(bench: Bench, told: Told) -> Bench:
    """Add a motif, or change one; told: motif, as a layout holds it. One that nothing uses goes by `drop`."""
    data = bench.layout.as_dict()
    if told.get("drop") is not None:
        used = sum(item.motif == told["drop"] for item in bench.layout.items)
        if used:
            raise BadValue("motif", told["drop"], f"is placed {used} times. Delete those first.")
        data["motifs"] = [one for one in data["motifs"] if one["id"] != told["drop"]]
        return replace(bench, layout=parse_layout(data))
    given = told.get("motif")
    if not isinstance(given, Mapping):
        raise BadValue("motif", given, "must be an object")
    places = [n for n, one in enumerate(data["motifs"]) if one["id"] == given.get("id")]
    if places:
        data["motifs"][places[0]] = given
    else:
        data["motifs"].append(given)
    return replace(bench, layout=parse_layout(data))


def _basis(bench: Bench, told: Told) -> Bench:
    """Another repeat. told: repeat, stagger and size as they are typed; or the two vectors a and b as they are dragged.

    Of vectors, the sides give the size; what the dragged one leans gives the stagger, taken to a simple fraction where
    one is near.
    """
    if "dragged" in told:
        width, height, repeat = _from_vectors(told)
    else:
        repeat = Repeat.parse(told.get("repeat"), told.get("stagger"))
        size = told.get("size")
        if not isinstance(size, list | tuple) or len(size) != 2:
            raise BadValue("size", size, "must be [width, height] in px")
        width, height = int(SIDE.check(size[0])), int(SIDE.check(size[1]))
    return replace(bench, cloth=Cloth(width, height, repeat))


def _from_vectors(told: Told) -> tuple[int, int, Repeat]:
    vectors = []
    for name in ("a", "b"):
        given = told.get(name)
        if not isinstance(given, list | tuple) or len(given) != 2:
            raise BadValue(name, given, "must be a vector, two numbers of px")
        vectors.append([_number({name: one}, name, -1e5, 1e5) for one in given])
    (ax, ay), (bx, by) = vectors
    width, height = (int(SIDE.check(min(max(round(side), 16), 4096))) for side in (ax, by))
    across, down = _simple(ay / height), _simple(bx / width)
    kind = "half-drop" if across and (told["dragged"] == "a" or not down) else "brick" if down else "straight"
    return width, height, Repeat(kind, across if kind == "half-drop" else down or Fraction(1, 2))


def _simple(share: float) -> Fraction:
    """A share as a fraction of the tile, 0 to 1: the simplest one within 2 %, else as it is to a thousandth."""
    share %= 1
    for below in range(1, 7):
        near = Fraction(round(share * below), below)
        if abs(float(near) - share) <= _NEAR:
            return near % 1
    return Fraction(round(share * 1000), 1000)


def _settings(bench: Bench, told: Told) -> Bench:
    """Change what belongs to the whole layout; told: any of ground, keep_px, follows, margin_px."""
    names = ("ground", "keep_px", "follows", "margin_px")
    for key in told:
        if key not in (*names, "what"):
            raise UnknownName("value of settings", key, list(names))
    data = bench.layout.as_dict() | {name: told[name] for name in names if name in told}
    return replace(bench, layout=parse_layout(data))


def homed(bench: Bench) -> Bench:
    """The same cloth with every item's middle taken into the tile by whole vectors; rules follow."""
    (ax, ay), (bx, by) = bench.cloth.repeat.basis(bench.cloth.width, bench.cloth.height)
    if bench.layout.follows:
        return bench
    moves = []
    for item in bench.layout.items:
        if bench.cloth.repeat.kind == "brick":
            j = int(np.floor(item.y / by))
            i = int(np.floor((item.x - j * bx) / ax))
        else:
            i = int(np.floor(item.x / ax))
            j = int(np.floor((item.y - i * ay) / by))
        moves.append((i, j))
    items = tuple(
        item.moved(-i * ax - j * bx, -i * ay - j * by) if (i, j) != (0, 0) else item
        for item, (i, j) in zip(bench.layout.items, moves, strict=True)
    )
    rules: tuple[Rule, ...] = tuple(
        (u, low, a - moves[u][0] + moves[low][0], d - moves[u][1] + moves[low][1]) for u, low, a, d in bench.layout.over
    )
    return replace(bench, layout=replace(bench.layout, items=items, over=rules))


def fitted(bench: Bench) -> Bench:
    """Where the tile follows its motifs: as large as they and the margin are, all of them within it."""
    layout = bench.layout
    if not layout.follows or not layout.items:
        return bench
    left, top, right, bottom = bench.boxes(tuple(range(len(layout.items))))
    margin = layout.margin_px
    width, height = (min(max(ceil(side + 2 * margin), 16), 4096) for side in (right - left, bottom - top))
    items = tuple(item.moved(margin - left, margin - top) for item in layout.items)
    cloth = Cloth(width, height, Repeat(bench.cloth.repeat.kind, bench.cloth.repeat.stagger))
    return replace(bench, layout=layout.with_items(items), cloth=cloth)


for _name, _function in (
    ("place", _place), ("move", _move), ("set", _set), ("turn", _turn), ("scale", _scale), ("flip", _flip),
    ("recolour", _recolour), ("motif-colour", _motif_colour), ("duplicate", _duplicate), ("delete", _delete),
    ("align", _align), ("order", _order), ("lock", _lock), ("group", _group), ("over", _over), ("fill", _fill),
    ("motif", _motif), ("settings", _settings), ("basis", _basis),
):  # fmt: skip
    EDITS.add(_name, _function)
