"""The layers of a canvas: what each is called, how strongly it shows, and in which order they lie."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from orvix.canvases.blocks import Block
from orvix.errors import BadValue
from orvix.geometry import Key

MOST_LAYERS = 40
FIRST_LAYER = 1
At = tuple[int, Key]
"""A block's place on a canvas: the number of its layer, and its place there."""


@dataclass(frozen=True)
class Layer:
    """A paint layer. id: its number, never used again on its canvas. opacity: 0 to 1."""

    id: int = FIRST_LAYER
    name: str = "Layer 1"
    opacity: float = 1.0
    visible: bool = True

    @property
    def seen(self) -> bool:
        """Whether anything of it shows."""
        return self.visible and self.opacity > 0

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it; `Layer.parse` gives the same layer back."""
        return {"id": self.id, "name": self.name, "opacity": self.opacity, "visible": self.visible}

    @classmethod
    def parse(cls, told: Any) -> Layer:
        """One from JSON data; raises BadValue."""
        if not isinstance(told, dict) or set(told) - {"id", "name", "opacity", "visible"}:
            raise BadValue("layer", told, "must have an id, a name, an opacity and whether it is visible")
        number, name = told.get("id"), told.get("name")
        opacity, visible = told.get("opacity", 1.0), told.get("visible", True)
        if isinstance(number, bool) or not isinstance(number, int) or not 1 <= number < 2**31:
            raise BadValue("id", number, "must be a whole number from 1")
        if not isinstance(name, str) or not 1 <= len(name.strip()) <= 60:
            raise BadValue("name", name, "must be 1 to 60 characters")
        if isinstance(opacity, bool) or not isinstance(opacity, int | float) or not 0 <= opacity <= 1:
            raise BadValue("opacity", opacity, "must be 0 to 1")
        if not isinstance(visible, bool):
            raise BadValue("visible", visible, "must be true or false")
        return cls(number, name.strip(), float(opacity), visible)


Stack = tuple[Layer, ...]
"""The layers of a canvas, the lowest first."""


def parse_stack(told: Any) -> Stack:
    """A stack from JSON data; raises BadValue."""
    if not isinstance(told, list | tuple):
        raise BadValue("layers", told, "must be a list of layers, the lowest first")
    return check_stack(tuple(Layer.parse(one) for one in told))


def check_stack(stack: Stack) -> Stack:
    """The stack itself; raises BadValue where it has no layer, too many, or two of one number."""
    if not 1 <= len(stack) <= MOST_LAYERS:
        raise BadValue("layers", len(stack), f"a canvas has 1 to {MOST_LAYERS} layers")
    if len({one.id for one in stack}) != len(stack):
        raise BadValue("layers", [one.id for one in stack], "each must have a number of its own")
    return stack


@dataclass
class Change:
    """What an operation replaced: blocks by their places, and the stack where it changed. Putting it back undoes it."""

    blocks: dict[At, Block | None] = field(default_factory=dict)
    stack: Stack | None = None

    def __bool__(self) -> bool:
        return bool(self.blocks) or self.stack is not None
