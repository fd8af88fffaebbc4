"""What an operation on a canvas is: a name, a check of what was told, and a function that does it.

What an operation was told is logged and is all that it depends on, so doing it again gives the same pixels.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from fractions import Fraction
from math import floor
from typing import Any

from orvix.canvases.canvas import Canvas
from orvix.canvases.layers import Change
from orvix.errors import UnknownName
from orvix.registry import Registry

Told = Mapping[str, Any]


@dataclass(frozen=True)
class Operation:
    """known: the names of what it is told. run: does it and returns what it replaced; raises BadValue first.

    at_times: what it is told on a canvas that is so many times larger.
    """

    name: str
    title: str
    known: tuple[str, ...]
    run: Callable[[Canvas, Told], Change]
    at_times: Callable[[Told, Fraction], Told] = lambda told, times: told


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
        if key not in operation.known:
            raise UnknownName(f"value of {operation.name}", key, sorted(operation.known))
    return operation.run(canvas, told)
