"""Rework: strokes of before taken out, or painted with another brush, colour or size, or on another layer.

Everything after them is painted again too, beside the canvas; this puts what came of it in the canvas's place.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from orvix.canvases.operations import take_up
from orvix.canvases.operations.registry import OPERATIONS, Operation
from orvix.errors import BadValue
from orvix.registry import check_colour

MOST_STROKES = 20_000
CHANGES = ("gone", "layer", "brush", "colour", "second_colour", "size")


def check_rework(told: Mapping[str, Any]) -> None:
    """Raise BadValue for a list of strokes, or a change of them, that cannot be."""
    strokes = told.get("strokes")
    if (
        not isinstance(strokes, list)
        or not 1 <= len(strokes) <= MOST_STROKES
        or not all(type(n) is int for n in strokes)
    ):
        raise BadValue("strokes", str(strokes)[:60], f"must be a list of 1 to {MOST_STROKES} numbers of strokes")
    if not any(name in told for name in CHANGES):
        raise BadValue("change", None, "must be at least one of " + ", ".join(CHANGES))
    for name in ("layer", "brush"):
        if name in told and (type(told[name]) is not int or not 1 <= told[name] < 2**53):
            raise BadValue(name, told[name], f"must be the number of a {name}")
    for name in ("colour", "second_colour"):
        if name in told:
            check_colour(name, told[name])
    size = told.get("size", 1.0)
    if isinstance(size, bool) or not isinstance(size, int | float) or not 0.25 <= size <= 4:
        raise BadValue("size", size, "Enter 0.25 to 4 times the original size.")
    if told.get("gone", True) is not True:
        raise BadValue("gone", told["gone"], "must be true, or left out")


def reworked(data: Mapping[str, Any], told: Mapping[str, Any]) -> dict[str, Any]:
    """What a stroke was told, as the log holds it, after a rework; its brush is not in it."""
    out = dict(data) | {name: told[name] for name in ("layer", "colour", "second_colour") if name in told}
    if "size" in told and "size" in (data.get("values") or {}):
        out["values"] = dict(data["values"]) | {"size": data["values"]["size"] * told["size"]}
    return out


OPERATIONS.add(
    "rework",
    Operation(
        "rework", "Edit strokes", ("strokes", *CHANGES, "state"), take_up.run, needs=("state", "rework"),
        strokes="reworks",
    ),
)  # fmt: skip
