"""How a coat uses a grain: its placing, what it is held to, its strength and how it bites."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from orvix.errors import BadValue, UnknownName
from orvix.grains.tone import Tone
from orvix.registry import Value, check_values
from orvix.tiles.repeats import parse_fraction

HOLDS = ("canvas", "stroke", "stamp")
BITES = ("multiply", "subtract", "height", "overlay", "darken", "hard cut")
CHANCES = ("no", "per stroke", "per stamp")
RESAMPLED = ("smooth", "exact")
VALUES = (
    Value(
        "hold", "Hold", "choice", "canvas",
        "Canvas: all strokes uncover one grain. Stroke: it starts anew with each stroke. Stamp: it "
        "moves with each mark.",
        choices=HOLDS,
    ),
    Value(
        "strength", "Strength", "number", 0.8,
        "How much of the paint the black of the grain holds back.", low=0, high=1,
    ),
    Value("least", "Least", "number", 0.0, "No lead makes the grain weaker than this.", low=0, high=1),
    Value(
        "bite", "Bites by", "choice", "multiply",
        "How the grain cuts the paint: multiply thins it, subtract takes it away, height lets a "
        "harder hand reach deeper, "
        "overlay hardens it, darken caps it, hard cut leaves all or nothing.", choices=BITES,
    ),
    Value(
        "grows", "Grows with the brush", "number", 0.0,
        "The share by which the grain grows with the size of a mark.", low=0, high=1
    ),
    Value("turn", "Turn", "number", 0.0, "How the grain is turned.", unit="°", low=-180, high=180),
    Value("offset_x", "Moved across", "number", 0.0, "Moves the grain, in shares of its tile.", low=-1, high=1),
    Value("offset_y", "Moved down", "number", 0.0, "Moves the grain, in shares of its tile.", low=-1, high=1),
    Value(
        "offset_chance", "Moved by chance", "choice", "no",
        "Chance moves the grain, anew for each stroke or mark.", choices=CHANCES
    ),
    Value("resampled", "Resampled", "choice", "smooth", "Smooth, or pixel by pixel of the grain.", choices=RESAMPLED),
)  # fmt: skip
SCALE_LIMITS = (0.01, 100.0)
_PARTS = ("source", "scale", "tone", *(value.name for value in VALUES))


@dataclass(frozen=True)
class GrainUse:
    """A checked use of a grain. source: which grain, as its reader knows; scale: canvas px a grain px; tone: on top of
    the grain's own; values: those of VALUES."""

    source: Any
    scale: Fraction
    tone: Tone
    values: Mapping[str, Any]

    @classmethod
    def parse(cls, given: Any) -> GrainUse | None:
        """Read one from JSON data, None for none; raises BadValue or UnknownName."""
        if given is None:
            return None
        if not isinstance(given, Mapping):
            raise BadValue("grain", given, "must be a JSON object")
        for name in given:
            if name not in _PARTS:
                raise UnknownName("value of grain", name, list(_PARTS))
        if given.get("source") is None:
            raise BadValue("source", None, "a grain must say which grain it is")
        values = check_values(VALUES, {n: v for n, v in given.items() if n not in ("source", "scale", "tone")}, "grain")
        scale = parse_fraction("scale", given.get("scale", 1), *SCALE_LIMITS).limit_denominator(1_000_000)
        return cls(given["source"], scale, Tone.parse(given.get("tone", {})), values)

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it."""
        return {"source": self.source, "scale": str(self.scale), "tone": self.tone.as_dict(), **self.values}
