"""Leads: a driver of the hand, of the stroke or of chance changing a value through a response curve.

A lead is one cell of the leads grid: at most one for each value and driver. Its response is a curve through 2 to 8
points in the unit square, which `low` and `high` stretch to what comes out.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import PchipInterpolator

from orvix.brushes.values import LED, LED_NAMES
from orvix.errors import BadValue, UnknownName
from orvix.registry import Value, check_values

DOES = ("multiplies", "adds", "replaces")
_ADDED = ("turn", "hue", "saturation", "brightness")
_REPLACED = {"second": (0.0, 1.0), "scatter_along": (0.0, 1.0), "scatter_across": (0.0, 1.0), "count": (1.0, 4.0)}
_LEAST_BY_HAND, _LEAST_BY_CHANCE = 0.2, 0.5
"""What is left of a value at the bottom of a response that multiplies it, where a lead is begun."""
TABLE = 257
"""A response is read from a table of this many evenly spaced values."""


@dataclass(frozen=True)
class Driver:
    """An input of hand or stroke. over: the span it runs over by default, in `unit`; 0 where its span is fixed."""

    name: str
    title: str
    help: str
    unit: str = ""
    over: float = 0.0
    ends: tuple[str, str] = ("0", "1")


DRIVERS: tuple[Driver, ...] = (
    Driver("pressure", "Pressure", "Pen pressure.", ends=("light", "hard")),
    Driver("tilt", "Tilt", "How far the pen leans.", ends=("upright", "flat")),
    Driver("bearing", "Bearing", "The direction the pen leans towards.", ends=("0°", "360°")),
    Driver("twist", "Twist", "How far the pen is twisted around its own axis.", ends=("0°", "360°")),
    Driver("speed", "Speed", "How fast the stroke moves.", "px/s", 1500.0, ("slow", "fast")),
    Driver("heading", "Heading", "The direction the stroke moves in.", ends=("right", "round")),
    Driver("first_heading", "First heading", "The direction the stroke started in.", ends=("right", "round")),
    Driver("distance", "Distance", "Distance from the start of the stroke.", "px", 400.0, ("start", "far")),
    Driver(
        "stamp_count",
        "Stamp count",
        "Number of stamps since the start of the stroke.",
        "stamps",
        8.0,
        ("first", "last"),
    ),
    Driver("time", "Time", "Time since the start of the stroke.", "ms", 1000.0, ("start", "late")),
    Driver("chance_stamp", "Random per stamp", "A new random value for each stamp (jitter).", ends=("least", "most")),
    Driver("chance_stroke", "Random per stroke", "A new random value for each stroke.", ends=("least", "most")),
)
DRIVER_NAMES = tuple(one.name for one in DRIVERS)
_DEFAULT_RESPONSE = [[0.0, 0.0], [1.0, 1.0]]

LEAD_VALUES = (
    Value(
        "response", "Response", "points", _DEFAULT_RESPONSE,
        "2 to 8 points. Each pairs an input with an output, 0 to 1.", low=0, high=1, least=2, most=8, each=2,
    ),
    Value("does", "Mode", "choice", "multiplies", "Multiplies, adds to or replaces the value.", choices=DOES),
    Value("low", "From", "number", 0.0, "Output at the bottom of the curve.", low=-4096, high=4096),
    Value("high", "To", "number", 1.0, "Output at the top of the curve.", low=-4096, high=4096),
    Value("over", "Over", "number", 1.0, "How much of the input the curve covers.", low=0.1, high=1_000_000),
    Value("loops", "Loops", "switch", False, "Repeats the curve after its span. Off holds the end value."),
)  # fmt: skip


def range_of(value: str, does: str) -> tuple[float, float]:
    """From and to of a lead that does so to a value, where nothing else is told."""
    step = LED[LED_NAMES.index(value)].step
    return (-step, step) if does == "adds" else (0.0, 1.0)


def first_lead(value: str, driver: str) -> Lead:
    """The lead that a painter begins with at a place of the grid: what one would want there first.

    Turns and colours are added to, what is 0 for most brushes is replaced, all else is multiplied.
    """
    span = DRIVERS[DRIVER_NAMES.index(driver)].over or 1.0
    if value in _ADDED:
        does, (low, high) = "adds", range_of(value, "adds")
    elif value in _REPLACED:
        does, (low, high) = "replaces", _REPLACED[value]
    else:
        does, low, high = "multiplies", _LEAST_BY_CHANCE if driver.startswith("chance") else _LEAST_BY_HAND, 1.0
    return Lead(value, driver, ((0.0, 0.0), (1.0, 1.0)), does, low, high, span, False)


@dataclass(frozen=True)
class Lead:
    """One lead, checked: points ((driver, out), ...) in shares, what it does, its range and the driver's span."""

    value: str
    driver: str
    response: tuple[tuple[float, float], ...]
    does: str
    low: float
    high: float
    over: float
    loops: bool

    @classmethod
    def parse(cls, value: str, driver: str, given: Any) -> Lead:
        """Read one from JSON data; raises BadValue or UnknownName."""
        if value not in LED_NAMES:
            raise UnknownName("value that can be led", value, list(LED_NAMES))
        if driver not in DRIVER_NAMES:
            raise UnknownName("driver", driver, list(DRIVER_NAMES))
        checked = check_values(LEAD_VALUES, given, f"lead of {value} from {driver}")
        if "over" not in given:
            checked["over"] = DRIVERS[DRIVER_NAMES.index(driver)].over or 1.0
        if checked["does"] == "adds":
            low, high = range_of(value, "adds")
            checked["low"], checked["high"] = given.get("low", low), given.get("high", high)
        points = [(float(x), float(y)) for x, y in checked.pop("response")]
        if any(b[0] <= a[0] for a, b in pairwise(points)):
            raise BadValue("response", points, f"lead of {value} from {driver}: the points must go up along the driver")
        return cls(value, driver, tuple(points), **checked)

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it, value and driver left out: they are its place in the grid."""
        told: dict[str, Any] = {"response": [list(point) for point in self.response], "does": self.does}
        return told | {"low": self.low, "high": self.high, "over": self.over, "loops": self.loops}

    def table(self) -> NDArray[np.float64]:
        """What comes out at TABLE evenly spaced places of the driver, range counted in: float64 (TABLE,).

        Between the points the curve is the monotone cubic of F. N. Fritsch and J. Butland, "A method for constructing
        local monotone piecewise cubic interpolants", 1984; before the first and after the last it is level.
        """
        return self.low + (self.high - self.low) * curve_through(self.response)


@lru_cache(maxsize=256)
def curve_through(response: tuple[tuple[float, float], ...]) -> NDArray[np.float64]:
    """A response at TABLE evenly spaced places, within 0 to 1."""
    x, y = np.array(response).T
    at = np.clip(np.linspace(0, 1, TABLE), x[0], x[-1])
    out = np.clip(np.interp(at, x, y) if len(x) == 2 else PchipInterpolator(x, y)(at), 0, 1)
    out.flags.writeable = False
    return out


Leads = tuple[Lead, ...]


def parse_leads(given: Any) -> Leads:
    """Read the leads of a coat, {value: {driver: lead}}, into the order of the grid; raises BadValue or UnknownName."""
    if not isinstance(given, Mapping):
        raise BadValue("leads", given, "must be an object of values, each with its drivers")
    found = []
    for value, row in given.items():
        if not isinstance(row, Mapping):
            raise BadValue(f"leads of {value}", row, "must be an object of drivers, each with its lead")
        found += [Lead.parse(value, driver, lead) for driver, lead in row.items() if lead is not None]
    return tuple(sorted(found, key=lambda lead: (LED_NAMES.index(lead.value), DRIVER_NAMES.index(lead.driver))))


def leads_as_dict(leads: Leads) -> dict[str, dict[str, Any]]:
    """As JSON holds them; `parse_leads` gives the same back."""
    told: dict[str, dict[str, Any]] = {}
    for lead in leads:
        told.setdefault(lead.value, {})[lead.driver] = lead.as_dict()
    return told
