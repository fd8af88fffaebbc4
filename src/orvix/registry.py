"""Values with limits, and registries of named entries that carry them.

A source, and later a step, reading, tip or surface, is one file that registers one entry; the form on the
screen, the command line and the lists in the docs come from the entry's values.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

from orvix.errors import BadValue, OrvixError, UnknownName

Checked = dict[str, Any]


@dataclass(frozen=True)
class Value:
    """One value a painter can set: its limits, unit, default, and what it does to the picture.

    kind is "number", "whole", "choice", "colour", "switch", "curve", "text", "colours" (rows of a number and a colour,
    in the order of a gradient or of stripes), "points" (rows of `each` numbers) or "source" (another source with its
    values). low and high bound numbers, wholes, the numbers in rows and the length of texts; choices list the words of
    a choice; least and most bound how many rows there are.
    """

    name: str
    title: str
    kind: str
    default: Any
    help: str
    unit: str = ""
    low: float | None = None
    high: float | None = None
    choices: tuple[str, ...] = ()
    least: int = 0
    most: int = 0
    each: int = 2

    def check(self, given: Any) -> Any:
        """Return `given` in its canonical form.

        Raises BadValue, naming the value and its rule, when it is of the wrong kind or out of range.
        """
        return CHECKS[self.kind](self, given)

    def describe(self) -> dict[str, Any]:
        """The value as the command line lists it (JSON types only)."""
        told: dict[str, Any] = {"name": self.name, "title": self.title, "kind": self.kind, "unit": self.unit}
        told |= {"low": self.low, "high": self.high, "choices": list(self.choices)}
        if self.kind in ("colours", "points"):
            told |= {"least": self.least, "most": self.most, "each": self.each}
        return told | {"default": self.default, "help": self.help}

    def limits(self) -> str:
        """What can be given, as tooltips and pages write it: `0.005 to 20 stamp lengths`. Empty where it is no "
        "number."""
        if self.kind not in ("number", "whole"):
            return ""
        return f"{_plain(self.low)} to {_plain(self.high)}{f' {self.unit}' if self.unit else ''}"

    def bad(self, given: Any) -> BadValue:
        """The error of a value that breaks its rule."""
        enter = (
            f"Enter {'a whole number from ' if self.kind == 'whole' else ''}{self.limits()}." if self.limits() else ""
        )
        return BadValue(self.name, given, self.rule(), title=self.title, enter=enter)

    def rule(self) -> str:
        """The rule in words, as the command line says it."""
        if self.kind == "choice":
            return "must be one of " + ", ".join(self.choices)
        if self.kind in ("colours", "points"):
            row = "[number, #rrggbb]" if self.kind == "colours" else f"{self.each} numbers"
            return (
                f"must be {self.least} to {self.most} rows of {row}, numbers {_plain(self.low)} to {_plain(self.high)}"
            )
        noun = "a whole number from " if self.kind == "whole" else ""
        unit = f" {self.unit}" if self.unit else ""
        return f"must be {noun}{_plain(self.low)} to {_plain(self.high)}{unit}"


def _plain(number: float | None) -> str:
    return "any" if number is None else f"{number:.0f}" if number == int(number) else f"{number:g}"


def _check_number(value: Value, given: Any) -> float:
    if isinstance(given, bool) or not isinstance(given, int | float):
        raise value.bad(given)
    low, high = value.low, value.high
    if not (low is None or given >= low) or not (high is None or given <= high) or given != given:
        raise value.bad(given)
    return float(given)


def _check_whole(value: Value, given: Any) -> int:
    number = _check_number(value, given)
    if number != int(number):
        raise value.bad(given)
    return int(number)


def _check_choice(value: Value, given: Any) -> str:
    if given not in value.choices:
        raise value.bad(given)
    return str(given)


def _check_switch(value: Value, given: Any) -> bool:
    if not isinstance(given, bool):
        raise BadValue(value.name, given, "must be true or false")
    return given


def _check_text(value: Value, given: Any) -> str:
    longest = int(value.high or 200)
    if not isinstance(given, str) or len(given) > longest:
        raise BadValue(value.name, given, f"must be a text of at most {longest} characters")
    return given


def _check_colour(value: Value, given: Any) -> str:
    return check_colour(value.name, given)


def _check_curve(value: Value, given: Any) -> list[float]:
    """A response as [from, to, bend]: 0 to 1, 0 to 1, -1 to 1."""
    rule = "must be three numbers: from 0 to 1, to 0 to 1, bend -1 to 1"
    if not isinstance(given, list | tuple) or len(given) != 3:
        raise BadValue(value.name, given, rule)
    for number, low in zip(given, (0, 0, -1), strict=True):
        if isinstance(number, bool) or not isinstance(number, int | float) or not low <= number <= 1:
            raise BadValue(value.name, given, rule)
    return [float(number) for number in given]


def _check_rows(value: Value, given: Any, each: int) -> list[list[Any]]:
    if not isinstance(given, list | tuple) or not value.least <= len(given) <= value.most:
        raise value.bad(given)
    for row in given:
        if not isinstance(row, list | tuple) or len(row) != each:
            raise value.bad(row)
    return [list(row) for row in given]


def _check_points(value: Value, given: Any) -> list[list[float]]:
    return [[_check_number(value, number) for number in row] for row in _check_rows(value, given, value.each)]


def _check_colours(value: Value, given: Any) -> list[list[Any]]:
    rows = _check_rows(value, given, 2)
    return [[_check_number(value, number), check_colour(value.name, colour)] for number, colour in rows]


CHECKS: dict[str, Callable[[Value, Any], Any]] = {
    "number": _check_number,
    "whole": _check_whole,
    "choice": _check_choice,
    "switch": _check_switch,
    "text": _check_text,
    "colour": _check_colour,
    "curve": _check_curve,
    "points": _check_points,
    "colours": _check_colours,
}
"""How each kind of value is checked; the sources add theirs, "source"."""


def check_colour(name: str, given: Any) -> str:
    """Return a colour as `#rrggbb` in lower case; raises BadValue for anything else."""
    if isinstance(given, str) and len(given) == 7 and given[0] == "#":
        digits = given[1:].lower()
        if all(digit in "0123456789abcdef" for digit in digits):
            return "#" + digits
    raise BadValue(name, given, "must be a colour as #rrggbb")


def check_values(values: tuple[Value, ...], given: Mapping[str, Any], where: str) -> Checked:
    """Check a mapping against its values: defaults filled in, unknown names refused by name."""
    if not isinstance(given, Mapping):
        raise BadValue(where, given, "must be an object of named values")
    known = {value.name: value for value in values}
    for name in given:
        if name not in known:
            raise UnknownName(f"value of {where}", name, sorted(known))
    return {name: value.check(given.get(name, value.default)) for name, value in known.items()}


EntryT = TypeVar("EntryT")


class Registry(Generic[EntryT]):
    """Named entries of one kind. Registering a name twice is an error; an unknown name lists those known."""

    def __init__(self, kind: str) -> None:
        self.kind = kind
        self._entries: dict[str, EntryT] = {}

    def add(self, name: str, entry: EntryT) -> EntryT:
        """Register `entry`; raises OrvixError when the name is taken."""
        if name in self._entries:
            raise OrvixError(f"{self.kind}={name!r}: registered twice", code="registered-twice")
        self._entries[name] = entry
        return entry

    def get(self, name: Any) -> EntryT:
        """The entry of that name; raises UnknownName."""
        if not isinstance(name, str) or name not in self._entries:
            raise UnknownName(self.kind, name, self.names())
        return self._entries[name]

    def names(self) -> list[str]:
        """All names, in order of the alphabet."""
        return sorted(self._entries)

    def __iter__(self) -> Iterator[EntryT]:
        return (self._entries[name] for name in self.names())
