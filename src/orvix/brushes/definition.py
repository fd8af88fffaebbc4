"""A brush as data: one to four coats and what they share, checked, with every value's limits.

A brush is JSON (docs/formats/brush.md). Older files are brought up to this version first (`orvix.brushes.upgrading`).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from orvix.brushes.grain_use import GrainUse
from orvix.brushes.leads import Leads, leads_as_dict, parse_leads
from orvix.brushes.ribbon import Ribbon
from orvix.brushes.tips import Tip
from orvix.brushes.upgrading import upgraded
from orvix.brushes.values import BRUSH_VALUES, COAT_VALUES
from orvix.errors import BadValue, UnknownName
from orvix.registry import Value, check_values

FORMAT = "orvix-brush"
VERSION = (2, 0)
MOST_COATS = 4
IN_HAND = ("size", "opacity", "flow")
_TEXT = {"title": 200, "for": 400, "description": 2000, "credit": 400}


@dataclass(frozen=True)
class Coat:
    """A checked coat. values: those of COAT_VALUES; ribbon: the band it lays instead of stamps, if it does."""

    tip: Tip
    values: Mapping[str, Any]
    leads: Leads = ()
    grain: GrainUse | None = None
    ribbon: Ribbon | None = None

    @classmethod
    def parse(cls, given: Any) -> Coat:
        """Read one from JSON data; raises BadValue or UnknownName, naming the value and its rule."""
        _refuse_unknown(given, ("tip", "values", "leads", "grain", "ribbon"), "coat")
        tip = Tip.parse(given.get("tip", {"name": "round"}))
        values = check_values(COAT_VALUES, given.get("values", {}), "coat")
        if not values["smallest"] <= values["largest"]:
            raise BadValue("smallest", values["smallest"], f"must be at most the largest, {values['largest']:g} px")
        leads = parse_leads(given.get("leads", {}))
        return cls(tip, values, leads, GrainUse.parse(given.get("grain")), Ribbon.parse(given.get("ribbon")))

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it."""
        told: dict[str, Any] = {
            "tip": self.tip.as_dict(),
            "values": dict(self.values),
            "leads": leads_as_dict(self.leads),
        }
        told["grain"] = self.grain.as_dict() if self.grain else None
        return told | {"ribbon": self.ribbon.as_dict() if self.ribbon else None}

    def with_values(self, **changed: Any) -> Coat:
        """The same coat with some values changed; the bounds of its size give way to a size that is set."""
        values = check_values(COAT_VALUES, {**self.values, **changed}, "coat")
        if "size" in changed:
            values["smallest"] = min(values["smallest"], values["size"])
            values["largest"] = max(values["largest"], values["size"])
        return replace(self, values=values)


@dataclass(frozen=True)
class Brush:
    """A checked brush. values: those of BRUSH_VALUES; coats: the lowest first; texts: title, for, description,
    credit."""

    name: str
    coats: tuple[Coat, ...]
    values: Mapping[str, Any] = field(default_factory=lambda: check_values(BRUSH_VALUES, {}, "brush"))
    texts: Mapping[str, str] = field(default_factory=dict)

    @classmethod
    def parse(cls, given: Any) -> Brush:
        """Build a brush from JSON data of any version; raises BadValue or UnknownName, naming the value and its
        rule."""
        given = upgraded(check_format(given, FORMAT, VERSION, oldest=1))
        _refuse_unknown(given, ("format", "version", "name", *_TEXT, "values", "coats"), "brush")
        coats = given.get("coats")
        if not isinstance(coats, list) or not 1 <= len(coats) <= MOST_COATS:
            raise BadValue("coats", _count(coats), f"must be a list of one to {MOST_COATS} coats")
        name = Value("name", "Name", "text", "Brush", "", high=120).check(given.get("name", "Brush"))
        texts = {
            part: Value(part, part, "text", "", "", high=most).check(given[part])
            for part, most in _TEXT.items()
            if given.get(part)
        }
        values = check_values(BRUSH_VALUES, given.get("values", {}), "brush")
        return cls(name, tuple(Coat.parse(coat) for coat in coats), values, texts)

    def as_dict(self) -> dict[str, Any]:
        """The brush as JSON holds it; `Brush.parse` gives the same brush back."""
        told: dict[str, Any] = {"format": FORMAT, "version": list(VERSION), "name": self.name, **self.texts}
        return told | {"values": dict(self.values), "coats": [coat.as_dict() for coat in self.coats]}

    @property
    def size(self) -> float:
        """The size of its largest coat, px."""
        return max(coat.values["size"] for coat in self.coats)

    def in_hand(self, **values: Any) -> Brush:
        """The same brush with size, opacity or flow as set in hand: that of its largest coat, the others in proportion.

        Raises BadValue or UnknownName as `parse` does.
        """
        brush = self
        for name, value in values.items():
            if name not in IN_HAND:
                raise UnknownName("current value", name, list(IN_HAND))
            limits = next(one for one in COAT_VALUES if one.name == name)
            share = limits.check(value) / max(coat.values[name] for coat in brush.coats)
            low, high = limits.low or 0.0, limits.high or 1.0
            coats = [coat.with_values(**{name: min(max(coat.values[name] * share, low), high)}) for coat in brush.coats]
            brush = replace(brush, coats=tuple(coats))
        return brush

    def sources(self) -> Iterator[tuple[int, str, Any]]:
        """Everything it names: the coat's number, what it is ("tip", "font", "grain", or "tile" of a ribbon), and its
        source."""
        for n, coat in enumerate(self.coats):
            what = "font" if coat.tip.name == "lettering" else "tip"
            yield from ((n, what, source) for source in coat.tip.sources)
            if coat.grain is not None:
                yield n, "grain", coat.grain.source
            if coat.ribbon is not None:
                yield from ((n, "tile", source) for source in (coat.ribbon.source, *coat.ribbon.pictures.values()))

    def renamed(self, rename: Callable[[str, Any], Any]) -> Brush:
        """The same brush with every source replaced by rename(what, source)."""
        coats = []
        for coat in self.coats:
            grain, ribbon = coat.grain, coat.ribbon
            if grain is not None:
                grain = replace(grain, source=rename("grain", grain.source))
            if ribbon is not None:
                places = {name: rename("tile", source) for name, source in ribbon.pictures.items()}
                ribbon = replace(ribbon, source=rename("tile", ribbon.source), pictures=places)
            what = "font" if coat.tip.name == "lettering" else "tip"
            tip = coat.tip.with_sources(tuple(rename(what, source) for source in coat.tip.sources))
            coats.append(replace(coat, tip=tip, grain=grain, ribbon=ribbon))
        return replace(self, coats=tuple(coats))


def check_format(given: Any, name: str, version: tuple[int, int], *, oldest: int | None = None) -> Any:
    """Check the head of a JSON file of ours; a newer major version is refused, a newer minor one is read.

    oldest: the oldest major version that is still read, if that is not the newest. Returns `given`.
    """
    if not isinstance(given, Mapping):
        raise BadValue(name, type(given).__name__, "must be a JSON object")
    if given.get("format", name) != name:
        raise BadValue("format", given.get("format"), f"must be {name}")
    stated = given.get("version", list(version))
    whole = isinstance(stated, list) and len(stated) == 2 and all(type(part) is int for part in stated)
    least = version[0] if oldest is None else oldest
    if not whole or not least <= stated[0] <= version[0]:
        raise BadValue("version", stated, f"must be [{version[0]}, n]: this program reads version {version[0]}")
    return given


def _count(given: Any) -> Any:
    return len(given) if isinstance(given, list) else given


def _refuse_unknown(given: Any, known: tuple[str, ...], where: str) -> None:
    if not isinstance(given, Mapping):
        raise BadValue(where, given, "must be a JSON object")
    for name in given:
        if name not in known:
            raise UnknownName(f"value of {where}", name, list(known))
