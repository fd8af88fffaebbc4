"""A ribbon as data: a tile that runs along the stroke as a band, instead of stamps."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from orvix.errors import BadValue, UnknownName
from orvix.registry import Value, check_values

LAID = ("repeated", "stretched")
BENDS = ("mitred", "rounded", "cut")
FILLED = ("as it is", "filled")
PLACES = ("start", "end", "corner")
VALUES = (
    Value(
        "laid", "Layout", "choice", "repeated",
        "Repeated: tiles follow each other. Stretched: one tile covers the whole stroke.", choices=LAID,
    ),
    Value(
        "length", "Repeat length", "number", 1.0,
        "Stretches or squeezes each repeat.", low=0.1, high=10
    ),
    Value(
        "bends", "Corners", "choice", "rounded",
        "How the band turns a corner: mitred to a point, rounded, or cut.", choices=BENDS,
    ),
    Value(
        "alpha", "Transparent parts", "choice", "as it is",
        "Transparent: gaps in the tile stay open. Filled: the paint colour fills them.", choices=FILLED,
    ),
    Value(
        "whole", "Whole repeats", "switch", False,
        "On a closed outline, adjusts the repeat so that a whole number fits.",
    ),
    Value(
        "most_twist", "Maximum bend", "number", 60.0,
        "The band bends no more than this over its own width. Tighter bends become corners.",
        unit="°", low=5, high=180,
    ),
)  # fmt: skip


@dataclass(frozen=True)
class Ribbon:
    """A checked ribbon. source: which tile, as its reader knows; pictures: those of PLACES that are given."""

    source: Any
    values: Mapping[str, Any]
    pictures: Mapping[str, Any]

    @classmethod
    def parse(cls, given: Any) -> Ribbon | None:
        """Read one from JSON data, None for none; raises BadValue or UnknownName."""
        if given is None:
            return None
        if not isinstance(given, Mapping):
            raise BadValue("ribbon", given, "must be a JSON object")
        for name in given:
            if name not in ("source", "values", "pictures"):
                raise UnknownName("value of ribbon", name, ["source", "values", "pictures"])
        if given.get("source") is None:
            raise BadValue("source", None, "a ribbon must say which tile it is")
        pictures = given.get("pictures", {})
        if not isinstance(pictures, Mapping):
            raise BadValue("pictures", pictures, "must be an object of start, end and corner")
        for name in pictures:
            if name not in PLACES:
                raise UnknownName("picture of a ribbon", name, list(PLACES))
        return cls(given["source"], check_values(VALUES, given.get("values", {}), "ribbon"), dict(pictures))

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it."""
        return {"source": self.source, "values": dict(self.values), "pictures": dict(self.pictures)}
