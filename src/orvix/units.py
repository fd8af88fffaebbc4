"""Lengths on paper in px."""

from __future__ import annotations

from fractions import Fraction
from math import floor

from orvix.errors import BadValue, UnknownName

MM_AN_INCH = Fraction(254, 10)
UNITS = ("px", "mm", "cm", "inch")


def px_to_mm(px: float, ppi: float) -> float:
    """The length of px in mm, in print at ppi px an inch; ppi is above 0."""
    return px / ppi * float(MM_AN_INCH)


def px_of(name: str, length: float, unit: str, ppi: float) -> int:
    """A length in whole px, halves rounded up, where so many px print on an inch; raises UnknownName and BadValue."""
    if unit not in UNITS:
        raise UnknownName("unit", unit, list(UNITS))
    if not 0 < length < 1e9 or not 0 < ppi < 1e9:
        raise BadValue(name, length, "must be above 0, at a resolution above 0")
    an_inch = {"px": Fraction(ppi), "mm": MM_AN_INCH, "cm": MM_AN_INCH / 10, "inch": Fraction(1)}
    return floor(Fraction(length) / an_inch[unit] * Fraction(ppi) + Fraction(1, 2))
