"""The layers of a canvas: what each is, how it lies over those below it, and in which order they lie."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field, fields, replace
from fractions import Fraction
from typing import Any

from orvix.canvases.blocks import Block
from orvix.canvases.effects import Effect, parse_effects, reach_of
from orvix.canvases.fills import Fill
from orvix.canvases.letterings import Lettering
from orvix.canvases.outlines import Outline
from orvix.colour.blending import mode_number
from orvix.errors import BadValue, UnknownName
from orvix.geometry import Key

MOST_LAYERS = 120
MOST_DEEP = 8
"""Groups lie in groups at most so deep."""
FIRST_LAYER = 1
SELECTION = 0
"""The number of the plane that says what is selected; see `orvix.canvases.selection`."""
KINDS = ("paint", "fill", "shape", "lettering", "group")
At = tuple[int, Key]
"""A block's place on a canvas: the number of its layer or mask, and its place there."""


@dataclass(frozen=True)
class Layer:
    """A layer. id: its number, never used again on its canvas. kind: one of KINDS. opacity: 0 to 1.

    mode: how it is blended with what lies under it. locked: nothing on it is changed. alpha_locked: paint changes its
    colours, never its transparency. clipped: it shows only where the layer under it does. parent: the number of the
    group it lies in, or 0. mask: the number its mask is painted under, or 0; where the mask is painted the layer is
    hidden. linked: layers of one number other than 0 are moved together. fill, shape, lettering: what a layer of that
    kind shows. border: the number under which the outline of a shape stands: it lies over what is clipped to it.
    effects: what is seen at its edges.
    """

    id: int = FIRST_LAYER
    name: str = "Layer 1"
    opacity: float = 1.0
    visible: bool = True
    kind: str = "paint"
    mode: str = "normal"
    locked: bool = False
    alpha_locked: bool = False
    clipped: bool = False
    parent: int = 0
    mask: int = 0
    linked: int = 0
    fill: Fill | None = None
    shape: Outline | None = None
    lettering: Lettering | None = None
    border: int = 0
    effects: tuple[Effect, ...] = ()

    @property
    def seen(self) -> bool:
        """Whether anything of it shows."""
        return self.visible and self.opacity > 0

    def at_times(self, times: Fraction) -> Layer:
        """The same on a canvas that is so many times larger."""
        fill = None if self.fill is None else self.fill.at_times(times)
        shape = None if self.shape is None else self.shape.at_times(times)
        lettering = None if self.lettering is None else self.lettering.at_times(times)
        effects = tuple(one.at_times(times) for one in self.effects)
        return replace(self, fill=fill, shape=shape, lettering=lettering, effects=effects)

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it, without what is as it usually is; `Layer.parse` gives the same layer back."""
        told: dict[str, Any] = {"id": self.id, "name": self.name, "opacity": self.opacity, "visible": self.visible}
        for one in fields(self)[4:]:
            value = getattr(self, one.name)
            if value != one.default:
                told[one.name] = value.as_dict() if isinstance(value, Fill | Outline | Lettering) else value
        if self.effects:
            told["effects"] = [one.as_dict() for one in self.effects]
        return told

    @classmethod
    def parse(cls, told: Any) -> Layer:
        """One from JSON data; raises BadValue."""
        known = [one.name for one in fields(cls)]
        if not isinstance(told, dict):
            raise BadValue("layer", told, "must be an object with an id and a name")
        for name in told:
            if name not in known:
                raise UnknownName("value of a layer", name, known)
        name, opacity = told.get("name"), told.get("opacity", 1.0)
        if not isinstance(name, str) or not 1 <= len(name.strip()) <= 60:
            raise BadValue("name", name, "must be 1 to 60 characters")
        if isinstance(opacity, bool) or not isinstance(opacity, int | float) or not 0 <= opacity <= 1:
            raise BadValue("opacity", opacity, "must be 0 to 1")
        kind, mode = told.get("kind", "paint"), told.get("mode", "normal")
        if kind not in KINDS:
            raise UnknownName("kind of layer", kind, list(KINDS))
        mode_number(mode)
        switches = {name: told.get(name, name == "visible") for name in _SWITCHES}
        for switch, value in switches.items():
            if not isinstance(value, bool):
                raise BadValue(switch, value, "must be true or false")
        numbers = {name: _number(name, told.get(name, 0)) for name in ("parent", "mask", "linked", "border")}
        for what in ("fill", "shape", "lettering"):
            if (kind == what) != (told.get(what) is not None):
                raise BadValue(what, told.get(what), f"a {what} layer has one, and no other kind of layer does")
        fill = Fill.parse(told["fill"]) if kind == "fill" else None
        shape = Outline.parse(told["shape"]) if kind == "shape" else None
        number = _number("id", told.get("id"), least=1)
        lettering = Lettering.parse(told["lettering"]) if kind == "lettering" else None
        rest: dict[str, Any] = {"kind": kind, "mode": mode, "fill": fill, "shape": shape, "lettering": lettering}
        rest |= switches | numbers | {"effects": parse_effects(told.get("effects", ()))}
        return cls(number, name.strip(), float(opacity), **rest)


_SWITCHES = ("visible", "locked", "alpha_locked", "clipped")


def _number(name: str, given: Any, least: int = 0) -> int:
    if isinstance(given, bool) or not isinstance(given, int) or not least <= given < 2**31:
        raise BadValue(name, given, f"must be a whole number from {least}")
    return given


Stack = tuple[Layer, ...]
"""The layers of a canvas, the lowest first; those of one group in their own order among themselves."""


def parse_stack(told: Any) -> Stack:
    """A stack from JSON data; raises BadValue."""
    if not isinstance(told, list | tuple):
        raise BadValue("layers", told, "must be a list of layers, the lowest first")
    return check_stack(tuple(Layer.parse(one) for one in told))


def check_stack(stack: Stack) -> Stack:
    """The stack itself; raises BadValue where it has no layer, too many, two of one number, or groups that loop."""
    if not 1 <= len(stack) <= MOST_LAYERS:
        raise BadValue("layers", len(stack), f"a canvas has 1 to {MOST_LAYERS} layers")
    numbers = block_numbers(stack)
    if len(set(numbers)) != len(numbers):
        raise BadValue("layers", numbers, "each layer, and each mask, must have a number of its own")
    by_number = {one.id: one for one in stack}
    for one in stack:
        above, deep = one, 0
        while above.parent:
            group = by_number.get(above.parent)
            if group is None or group.kind != "group":
                raise BadValue("parent", above.parent, "must be the number of a group of this canvas, or 0")
            above, deep = group, deep + 1
            if deep > MOST_DEEP or group.id == one.id:
                rule = f"groups nest at most {MOST_DEEP} deep, and never inside themselves"
                raise BadValue("parent", one.parent, rule)
    return stack


def block_numbers(stack: Stack) -> list[int]:
    """The numbers under which a stack's pixels stand: those of its layers, their masks and their borders."""
    return [number for one in stack for number in (one.id, one.mask, one.border) if number]


def within(stack: Stack, group: int) -> Iterator[Layer]:
    """Everything in a group, in groups inside it too, the lowest first."""
    inside = {group}
    for _ in range(MOST_DEEP):
        inside |= {one.id for one in stack if one.parent in inside}
    return (one for one in stack if one.id in inside and one.id != group)


def effects_reach(stack: Stack) -> int:
    """How many px around a change the effects of any layer may change too."""
    return max((reach_of(one.effects) for one in stack), default=0)


def locked(stack: Stack, layer: Layer) -> Layer | None:
    """The layer or the group around it that is locked, if one is."""
    by_number = {one.id: one for one in stack}
    one: Layer | None = layer
    while one is not None and not one.locked:
        one = by_number.get(one.parent)
    return one


@dataclass
class Change:
    """What an operation replaced: blocks by their places; the stack, and the canvas's spec, where it changed these.

    Putting it back undoes it.
    """

    blocks: dict[At, Block | None] = field(default_factory=dict)
    stack: Stack | None = None
    spec: Any = None

    def __bool__(self) -> bool:
        return bool(self.blocks) or self.stack is not None or self.spec is not None
