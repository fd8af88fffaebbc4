"""A brush as data: checked, with every value's limits, and read into the rules the stroke kernels follow.

A brush is JSON (docs/formats/brush.md). It has one coat in this version of the format; a coat is a tip, values, leads
and, if it has one, a grain with its placing.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any

from orvix.brushes.tips import Tip
from orvix.errors import BadValue, UnknownName
from orvix.registry import Value, check_values
from orvix.tiles.repeats import parse_fraction

FORMAT = "orvix-brush"
VERSION = (1, 1)

COAT_VALUES = (
    Value("size", "Size", "number", 48.0, "The width of one mark.", unit="px", low=0.5, high=1024),
    Value(
        "smallest", "Smallest", "number", 2.0,
        "No lead and no chance makes a mark smaller than this.", unit="px", low=0.5, high=1024,
    ),
    Value(
        "largest", "Largest", "number", 512.0,
        "No lead and no chance makes a mark larger than this.", unit="px", low=0.5, high=1024,
    ),
    Value(
        "spacing", "Spacing", "number", 0.08,
        "How far one stamp lies from the next, in lengths of the stamp.",
        unit="lengths of the stamp", low=0.005, high=20,
    ),
    Value("flow", "Flow", "number", 0.6, "How much paint each mark lays.", low=0, high=1),
    Value("opacity", "Opacity", "number", 1.0, "The most that one stroke can cover.", low=0, high=1),
    Value(
        "size_jitter", "Size jitter", "number", 0.0,
        "Chance makes each mark smaller by up to this share.", low=0, high=1,
    ),
    Value(
        "scatter", "Scatter across", "number", 0.0,
        "Chance moves each mark to either side of the path.",
        unit="lengths of the stamp", low=0, high=10,
    ),
)  # fmt: skip

RESPONSE = Value(
    "response", "Response", "curve", [0.0, 1.0, 0.0], "What comes out at no pressure, at full pressure, and the bend."
)
LEADS = ("size", "flow")
DRIVERS = ("pressure",)
HOLDS = ("canvas", "stroke")
GRAIN_VALUES = (
    Value(
        "strength", "Strength", "number", 0.8,
        "How much of the paint the black of the grain holds back.", low=0, high=1,
    ),
    Value(
        "hold", "Hold", "choice", "canvas",
        "Canvas: all strokes uncover one grain. Stroke: the grain starts anew with each stroke.", choices=HOLDS,
    ),
)  # fmt: skip


@dataclass(frozen=True)
class GrainUse:
    """How a brush uses a grain. `source` says which grain: a recipe, a picture or an id, as its reader knows."""

    source: Any
    scale: Fraction
    strength: float
    hold: str

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it."""
        told = {"source": self.source, "scale": str(self.scale)}
        return told | {"strength": self.strength, "hold": self.hold}


@dataclass(frozen=True)
class Brush:
    """A checked brush. values: those of COAT_VALUES; leads: a response for each led value."""

    name: str
    tip: Tip
    values: Mapping[str, float]
    leads: Mapping[str, tuple[float, float, float]]
    grain: GrainUse | None = None

    @classmethod
    def parse(cls, given: Any) -> Brush:
        """Build a brush from JSON data; raises BadValue or UnknownName, naming the value and its rule."""
        check_format(given, FORMAT, VERSION)
        _refuse_unknown(given, ("format", "version", "name", "title", "for", "coats"), "brush")
        coats = given.get("coats")
        if not isinstance(coats, list) or len(coats) != 1:
            raise BadValue("coats", coats, "must be a list of one coat in this version of the format")
        coat = coats[0]
        _refuse_unknown(coat, ("tip", "values", "leads", "grain"), "coat")
        tip = Tip.parse(coat.get("tip", {"name": "round"}))
        values = check_values(COAT_VALUES, coat.get("values", {}), "coat")
        if not values["smallest"] <= values["largest"]:
            raise BadValue("smallest", values["smallest"], f"must be at most the largest, {values['largest']:g} px")
        name = Value("name", "Name", "text", "Brush", "", high=120).check(given.get("name", "Brush"))
        return cls(name, tip, values, _parse_leads(coat.get("leads", {})), _parse_grain(coat.get("grain")))

    def as_dict(self) -> dict[str, Any]:
        """The brush as JSON holds it; `Brush.parse` gives the same brush back."""
        coat: dict[str, Any] = {"tip": self.tip.as_dict()}
        coat["values"] = dict(self.values)
        coat["leads"] = {
            name: {"driver": "pressure", "response": list(response)} for name, response in self.leads.items()
        }
        coat["grain"] = self.grain.as_dict() if self.grain else None
        return {"format": FORMAT, "version": list(VERSION), "name": self.name, "coats": [coat]}

    def with_values(self, **changed: Any) -> Brush:
        """The same brush with some of its coat's values changed; raises as `parse` does."""
        return replace(self, values=check_values(COAT_VALUES, {**self.values, **changed}, "coat"))


def check_format(given: Any, name: str, version: tuple[int, int]) -> None:
    """Check the head of a JSON file of ours; a newer major version is refused, a newer minor one is read."""
    if not isinstance(given, Mapping):
        raise BadValue(name, type(given).__name__, "must be a JSON object")
    if given.get("format", name) != name:
        raise BadValue("format", given.get("format"), f"must be {name}")
    stated = given.get("version", list(version))
    whole = isinstance(stated, list) and len(stated) == 2 and all(type(part) is int for part in stated)
    if not whole or stated[0] != version[0]:
        raise BadValue("version", stated, f"must be [{version[0]}, n]: this program reads version {version[0]}")


def _refuse_unknown(given: Any, known: tuple[str, ...], where: str) -> None:
    if not isinstance(given, Mapping):
        raise BadValue(where, given, "must be a JSON object")
    for name in given:
        if name not in known:
            raise UnknownName(f"value of {where}", name, list(known))


def _parse_leads(given: Any) -> dict[str, tuple[float, float, float]]:
    _refuse_unknown(given, LEADS, "leads")
    leads = {}
    for name, lead in given.items():
        if lead is None:
            continue
        _refuse_unknown(lead, ("driver", "response"), f"lead of {name}")
        if lead.get("driver", "pressure") not in DRIVERS:
            raise UnknownName("driver", lead.get("driver"), list(DRIVERS))
        low, high, bend = RESPONSE.check(lead.get("response", RESPONSE.default))
        leads[name] = (low, high, bend)
    return leads


def _parse_grain(given: Any) -> GrainUse | None:
    if given is None:
        return None
    _refuse_unknown(given, ("source", "scale", "strength", "hold"), "grain")
    if given.get("source") is None:
        raise BadValue("source", None, "a grain must say which grain it is")
    rest = {name: given[name] for name in ("strength", "hold") if name in given}
    values = check_values(GRAIN_VALUES, rest, "grain")
    scale = parse_fraction("scale", given.get("scale", 1), 0.01, 100).limit_denominator(1_000_000)
    return GrainUse(given["source"], scale, values["strength"], values["hold"])
