"""Tips as data: their kinds, and one tip, checked."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.errors import BadValue, UnknownName
from orvix.registry import Registry, Value, check_values

Plane = NDArray[np.float32]
Rgba = NDArray[np.float32]
"""A picture of a tip: float32 (rows, columns, 4), premultiplied, 0 to 1; alpha says where it paints."""

MOST_SIDE = 2048
"""A larger picture is taken down to this side: that of the largest mark."""
MOST_PICTURES = 64


@dataclass(frozen=True)
class TipKind:
    """One kind of tip.

    sources: how many pictures it needs at least and at most. draw: its own picture from its values, for kinds that are
    drawn here; None where pictures are given, and for the round one, which kernels compute.
    """

    name: str
    title: str
    help: str
    values: tuple[Value, ...] = ()
    sources: tuple[int, int] = (0, 0)
    draw: Callable[[Mapping[str, Any]], Plane] | None = None

    def describe(self) -> dict[str, Any]:
        """The kind as the command line lists it."""
        told: dict[str, Any] = {"name": self.name, "title": self.title, "help": self.help}
        told["kind"] = "given" if self.sources[0] else "generated"
        return told | {"values": [value.describe() for value in self.values]}


TIPS: Registry[TipKind] = Registry("tip")


@dataclass(frozen=True)
class Tip:
    """A checked tip. sources: which pictures, each a recipe, a file or an id, as its reader knows."""

    name: str = "round"
    values: Mapping[str, Any] = field(default_factory=dict)
    sources: tuple[Any, ...] = ()

    @classmethod
    def parse(cls, given: Any) -> Tip:
        """Read a tip from JSON data; raises BadValue or UnknownName."""
        if not isinstance(given, Mapping):
            raise BadValue("tip", given, "must be a JSON object")
        kind = TIPS.get(given.get("name"))
        known = ["name", "values", *{0: [], 1: ["source"]}.get(kind.sources[1], ["sources"])]
        for part in given:
            if part not in known:
                raise UnknownName("value of tip", part, known)
        return cls(kind.name, check_values(kind.values, given.get("values", {}), "tip"), _sources(kind, given))

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it; `parse` gives the same tip back."""
        told: dict[str, Any] = {"name": self.name, "values": dict(self.values)}
        most = TIPS.get(self.name).sources[1]
        if most > 1:
            told["sources"] = list(self.sources)
        elif self.sources:
            told["source"] = self.sources[0]
        return told

    def with_sources(self, sources: tuple[Any, ...]) -> Tip:
        """The same tip with other pictures, as many."""
        return Tip(self.name, self.values, sources)


def _sources(kind: TipKind, given: Mapping[str, Any]) -> tuple[Any, ...]:
    least, most = kind.sources
    if most <= 1:
        found = [given["source"]] if given.get("source") is not None else []
    else:
        several = given.get("sources")
        found = several if isinstance(several, list) else []
    if not least <= len(found) <= most:
        rule = "must say which picture it is" if most == 1 else f"must name {least} to {most} pictures"
        raise BadValue("source" if most == 1 else "sources", len(found) or None, f"a {kind.name} tip {rule}")
    return tuple(found)
