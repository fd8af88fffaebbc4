"""What an operation on a canvas is: a name, a check of what was told, and a function that does it.

What an operation was told is logged and is all that it depends on, so doing it again gives the same pixels. All that
others have to know of it, it says itself: what it needs, what it does to the strokes before it, what it paints with. So
a new operation is one file in this package.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from fractions import Fraction
from math import floor
from typing import Any, Literal

from orvix.canvases.canvas import Canvas
from orvix.canvases.layers import Change
from orvix.errors import UnknownName
from orvix.registry import Registry

Told = Mapping[str, Any]
Need = Literal["brushes", "fonts", "clip", "state", "rework", "tiles", "fill"]
"""What an operation may need besides what a page tells it; see GIVEN."""
GIVEN: Mapping[Need, tuple[str, ...]] = {
    "brushes": ("brush_of",),
    "fonts": ("font_of",),
    "clip": ("from",),
    "state": ("from",),
    "rework": ("from",),
    "tiles": ("tiles", "tile_of"),
    "fill": ("tiles", "tile_of"),
}
"""The names under which it is given what it needs: functions that give a brush or a font by its number (brush_of,
font_of); pixels that were copied (clip), a kept state (state) or the canvas with its strokes reworked (rework), each as
`from`; and the tiles of all fills, or of the fill that it is told, by the versions they had when it was done first:
`tiles`, which is logged, and `tile_of`, which gives their px."""
Strokes = Literal["keeps", "merges", "reworks", "repaints", "replaces"]
"""What becomes of the strokes before an operation: they stay; they lie on another layer; those it names are told
something else; they are painted with other versions of their brushes; they are those of a kept state."""


@dataclass(frozen=True)
class Operation:
    """known: the names of what a page tells it. run: does it and returns what it replaced; raises BadValue first.

    at_times: what it is told on a canvas that is so many times larger. needs: what it is given besides. strokes: what
    becomes of the strokes before it. tried: whether it can be looked at while a hand drags, before it is done. brush:
    the version of the brush that it paints with, 0 for none. with_brush: what it is told with another one. half: on
    which axes it brings the border inside (True) or back (False).
    """

    name: str
    title: str
    known: tuple[str, ...]
    run: Callable[[Canvas, Told], Change]
    at_times: Callable[[Told, Fraction], Told] = lambda told, times: told
    needs: tuple[Need, ...] = ()
    strokes: Strokes = "keeps"
    tried: bool = False
    brush: Callable[[Told], int] = lambda told: 0
    with_brush: Callable[[Told, int], Told] = lambda told, version: told
    half: Callable[[Told], Mapping[str, bool]] = lambda told: {}

    @property
    def given(self) -> set[str]:
        """The names of what it is given besides what a page tells it."""
        return {name for need in self.needs for name in GIVEN[need]}


def px_at_times(told: Told, times: Fraction, *names: str) -> Told:
    """What is told, with some of its numbers, or places [x, y], so many times larger; whole numbers stay whole."""

    def larger(given: Any) -> Any:
        if isinstance(given, list):
            return [float(times) * one for one in given]
        return floor(given * times + Fraction(1, 2)) if isinstance(given, int) else float(times) * given

    return {**told, **{name: larger(told[name]) for name in names if told.get(name) is not None}}


OPERATIONS: Registry[Operation] = Registry("operation")


def do(canvas: Canvas, name: Any, told: Told) -> Change:
    """Do one operation; raises UnknownName or BadValue, and then nothing is changed."""
    operation = OPERATIONS.get(name)
    for key in told:
        if key not in operation.known and key not in operation.given:
            raise UnknownName(f"value of {operation.name}", key, sorted(operation.known))
    return operation.run(canvas, told)


def kinds_that(*effects: Strokes) -> list[str]:
    """The names of the operations that do one of these to the strokes before them."""
    return [one.name for one in OPERATIONS if one.strokes in effects]
