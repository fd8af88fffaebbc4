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
        "hold", "Fixed to", "choice", "canvas",
        "Canvas: all strokes share one grain. Stroke: the grain starts fresh with each stroke. Stamp: it moves with "
        "each mark.",
        choices=HOLDS,
    ),
    Value(
        "strength", "Strength", "number", 0.8,
        "How much paint the dark parts of the grain hold back.", low=0, high=1,
    ),
    Value("least", "Minimum strength", "number", 0.0, "Leads never make the grain weaker than this.", low=0, high=1),
    Value(
        "bite", "Grain mode", "choice", "multiply",
        "Multiply thins the paint, Subtract removes it, Height lets harder pressure reach deeper, Overlay adds "
        "contrast, Darken limits it, Hard cut leaves all or nothing.", choices=BITES,
    ),
    Value(
        "grows", "Scale with size", "number", 0.0,
        "How much the grain grows with the size of the mark.", low=0, high=1
    ),
    Value("turn", "Rotation", "number", 0.0, "Rotates the grain clockwise.", unit="°", low=-180, high=180),
    Value("offset_x", "Offset X", "number", 0.0, "Moves the grain, as a share of its tile.", low=-1, high=1),
    Value("offset_y", "Offset Y", "number", 0.0, "Moves the grain, as a share of its tile.", low=-1, high=1),
    Value(
        "offset_chance", "Random offset", "choice", "no",
        "Moves the grain randomly for each stroke or stamp.", choices=CHANCES
    ),
    Value("resampled", "Sampling", "choice", "smooth", "Smooth, or exact pixels of the grain.", choices=RESAMPLED),
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
