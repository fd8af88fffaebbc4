"""Letterings of a canvas: what a text says and how it lies; kept editable, its pixels are worked out from this."""

from __future__ import annotations

from dataclasses import asdict, dataclass, replace
from fractions import Fraction
from math import atan, atan2, cos, degrees, hypot, radians, sin, tan
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.errors import BadValue, UnknownName
from orvix.lettering.fonts import FONT_NAMES
from orvix.registry import Value, check_colour

ALIGNED = ("start", "middle", "end")
MOST_LETTERS, MOST_LINES = 2000, 80
FARTHEST = 65_536.0
VALUES = (
    Value("text", "Text", "text", "Skerry", "The text, in any script, emoji included.", high=MOST_LETTERS),
    Value("font", "Font", "choice", "plain", "Font of the text.", choices=FONT_NAMES),
    Value("size", "Size", "number", 96.0, "Font size.", unit="px", low=1, high=8192),
    Value("tracking", "Tracking", "number", 0.0, "Space between letters.", unit="ems", low=-0.5, high=4),
    Value(
        "leading", "Line spacing", "number", 1.25, "Distance from one line to the next.", unit="ems", low=0.2, high=8
    ),
    Value("turn", "Rotation", "number", 0.0, "Clockwise.", unit="°", low=-3600, high=3600),
    Value("across", "Across", "number", 1.0, "Width of the text. Below 0 flips it.", unit="times", low=-64, high=64),
    Value("skew", "Skew", "number", 0.0, "Slants the text to the right.", unit="°", low=-85, high=85),
)
Matrix = NDArray[np.float64]


@dataclass(frozen=True)
class Lettering:
    """VALUES, and: x, y, where the first line begins, px; aligned, one of ALIGNED; colour.

    own: a font of the painter's own, 0 for the shipped one that `font` names.
    """

    text: str
    x: float
    y: float
    font: str = "plain"
    own: int = 0
    size: float = 96.0
    tracking: float = 0.0
    leading: float = 1.25
    turn: float = 0.0
    across: float = 1.0
    skew: float = 0.0
    aligned: str = "start"
    colour: str = "#000000"

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it; `Lettering.parse` gives the same again."""
        return asdict(self)

    @classmethod
    def parse(cls, told: Any) -> Lettering:
        """One from JSON data; raises BadValue."""
        if not isinstance(told, dict):
            raise BadValue("lettering", str(told)[:60], "must be an object with a text")
        known = {value.name: value for value in VALUES}
        for name in told:
            if name not in known and name not in ("x", "y", "own", "aligned", "colour"):
                raise UnknownName("value of a text layer", name, sorted(known))
        values = {name: value.check(told.get(name, value.default)) for name, value in known.items()}
        if not values["text"].strip() or values["text"].count("\n") >= MOST_LINES:
            raise BadValue("text", values["text"][:40], f"must have a letter, and at most {MOST_LINES} lines")
        if abs(values["across"]) < 1 / 64:
            raise BadValue("across", values["across"], "must be 1/64 to 64, or -64 to -1/64")
        aligned, own = told.get("aligned", "start"), told.get("own", 0)
        if aligned not in ALIGNED:
            raise BadValue("aligned", aligned, "must be one of " + ", ".join(ALIGNED))
        if type(own) is not int or not 0 <= own < 2**53:
            raise BadValue("own", own, "must be the number of one of your fonts, or 0")
        at = [told.get(name, 0.0) for name in ("x", "y")]
        for name, one in zip("xy", at, strict=True):
            if isinstance(one, bool) or not isinstance(one, int | float) or not abs(one) <= FARTHEST:
                raise BadValue(name, one, f"must be within {FARTHEST:.0f} px")
        colour = check_colour("colour", told.get("colour", "#000000"))
        return cls(x=float(at[0]), y=float(at[1]), own=own, aligned=aligned, colour=colour, **values)

    @property
    def matrix(self) -> Matrix:
        """Where ems go, (2, 3): (0, 0) is where the first line begins, y down."""
        c, s, lean = cos(radians(self.turn)), sin(radians(self.turn)), tan(radians(self.skew))
        linear = self.size * np.array([[c, -s], [s, c]]) @ np.array([[self.across, -lean], [0.0, 1.0]])
        return np.column_stack([linear, (self.x, self.y)])

    def moved(self, x: float, y: float) -> Lettering:
        """The same, moved right and down by px."""
        return replace(self, x=self.x + x, y=self.y + y)

    def mapped(self, matrix: Matrix) -> Lettering:
        """The same under an affine map (2, 3) of places; raises BadValue where nothing would be left of it."""
        linear, at = matrix[:, :2] @ self.matrix[:, :2], matrix @ (self.x, self.y, 1.0)
        # A turn, then a triangle: the ems' verticals may lean, their lines do not.
        turn = atan2(linear[1, 0], linear[0, 0])
        c, s = cos(turn), sin(turn)
        wide, lean, high = (
            hypot(*linear[:, 0]),
            c * linear[0, 1] + s * linear[1, 1],
            c * linear[1, 1] - s * linear[0, 1],
        )
        if high < 0:
            turn, wide, lean, high = turn + np.pi, -wide, -lean, -high
        if high < 1e-6:
            raise BadValue("transform", round(high, 6), "The text would become too small to see.")
        told = {"size": round(high, 6), "across": round(wide / high, 9), "turn": round(degrees(turn) % 360, 9)}
        told["skew"] = round(degrees(atan(-lean / high)), 9)
        return Lettering.parse({**self.as_dict(), **told, "x": float(at[0]), "y": float(at[1])})

    def at_times(self, times: Fraction) -> Lettering:
        """The same, everything so many times larger."""
        return self.mapped(np.array([[float(times), 0, 0], [0, float(times), 0]]))
