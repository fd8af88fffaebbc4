"""What a step is: a name, values, and a function from one state of a tile to the next."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.bands import in_bands
from orvix.pictures.packing import pixels_to_straight, premultiplied_to_pixels, straight_to_pixels
from orvix.progress import UNWATCHED, Watch
from orvix.registry import Registry, Value
from orvix.tiles.repeats import Repeat
from orvix.tiles.state import TileState

Floats = NDArray[np.float32]
Shape = tuple[int, int, Repeat]


@dataclass(frozen=True)
class StepOrder:
    """What a step is asked for: its checked values, the recipe's seed, and who watches."""

    values: Mapping[str, Any]
    seed: int = 1
    watch: Watch = UNWATCHED


def _same_shape(_: Mapping[str, Any], width: int, height: int, repeat: Repeat) -> Shape:
    return width, height, repeat


@dataclass(frozen=True)
class Step:
    """closing: "keeps" (what closes still does, proven), "measured" (it does as nearly as is measured) or "breaks".

    apply: the next state; raises BadValue for values that do not suit this tile, naming the nearest that do. shape:
    width, height in px and repeat of what comes out. work: how long it takes beside a source (1: about 0.1 s at 1024).
    uniform: whether it does the same wherever the content has been moved to; a rim or a turn does not.
    """

    name: str
    title: str
    group: str
    help: str
    values: tuple[Value, ...]
    apply: Callable[[TileState, StepOrder], TileState]
    closing: str = "keeps"
    shape: Callable[[Mapping[str, Any], int, int, Repeat], Shape] = _same_shape
    work: float = 0.3
    uniform: bool = True

    def run(self, state: TileState, order: StepOrder) -> TileState:
        """The next state; what is proven stays so only through steps that keep closing."""
        after = self.apply(state, order)
        return after if self.closing == "keeps" or after.pixels is state.pixels else replace(after, proven=False)

    def describe(self) -> dict[str, Any]:
        """The step as the command line lists it."""
        told: dict[str, Any] = {"name": self.name, "title": self.title, "kind": self.closing, "group": self.group}
        return told | {"help": self.help, "values": [value.describe() for value in self.values]}


STEPS: Registry[Step] = Registry("step")


def on_colour(change: Callable[[Floats, Mapping[str, Any]], Floats]) -> Callable[[TileState, StepOrder], TileState]:
    """A step that changes each pixel's straight colour by itself; alpha stays."""

    def apply(state: TileState, order: StepOrder) -> TileState:
        out = np.empty_like(state.pixels)

        def band(top: int, bottom: int) -> None:
            rgb, alpha = pixels_to_straight(state.pixels[top:bottom])
            out[top:bottom] = straight_to_pixels(change(rgb, order.values), alpha)

        in_bands(state.height, state.width, band)
        return state.with_pixels(out)

    return apply


def on_cloth(
    margin_px: Callable[[Mapping[str, Any], TileState], int],
    change: Callable[[Floats, Mapping[str, Any], TileState], Floats],
) -> Callable[[TileState, StepOrder], TileState]:
    """A step that looks at neighbours up to a margin away: it works on premultiplied values with the cloth around.

    change: float32 (rows + 2 margin, columns + 2 margin, 4) in 0 to 1, of which the middle is kept.
    """

    def apply(state: TileState, order: StepOrder) -> TileState:
        margin = margin_px(order.values, state)
        around = state.padded(margin).astype(np.float32) * np.float32(1 / 65535)
        changed = change(around, order.values, state)
        inner = changed[margin : margin + state.height, margin : margin + state.width]
        return state.with_pixels(premultiplied_to_pixels(inner))

    return apply
