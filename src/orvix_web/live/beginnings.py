"""What a page says of a stroke that begins, or that would begin where the hand hovers, checked."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from orvix.canvases.canvas import MOST_LEVEL
from orvix.canvases.compositing import grey_of
from orvix.canvases.next_stamp import Hover
from orvix.canvases.strokes import INK, MODES
from orvix.devices.mouse import MousePressure
from orvix.errors import BadValue
from orvix.strokes.samples import check_samples
from orvix.strokes.symmetry import Symmetry

_KEYS = {
    "brush", "colour", "mode", "seed", "values", "pointer", "mouse", "fixed", "layer", "steady", "trail", "greys",
    "second_colour", "symmetry",
}  # fmt: skip
_KEPT = ("layer", "steady", "trail", "second_colour")
_IN_HAND = {"size", "opacity", "flow"}
_HAND = ("x", "y", "heading", "pressure", "tilt_x", "tilt_y", "twist")
_POINTERS = ("pen", "mouse", "touch")


@dataclass(frozen=True)
class Beginning:
    """data: as the log holds it. mouse: where the pressure comes from, if not from a pen."""

    brush_version_id: int
    data: dict[str, Any]
    mouse: MousePressure | None


def read_begin(told: dict[str, Any]) -> Beginning:
    """Read what a stroke is begun with; raises BadValue. Its values are checked by the brush that takes them."""
    for name in told:
        if name not in _KEYS:
            raise BadValue(name[:40], told[name], "known are " + ", ".join(sorted(_KEYS)))
    version_id = told.get("brush")
    if isinstance(version_id, bool) or not isinstance(version_id, int) or not 0 < version_id < 2**53:
        raise BadValue("brush", version_id, "must be the number of a saved brush")
    pointer = told.get("pointer", "pen")
    if pointer not in _POINTERS:
        raise BadValue("pointer", pointer, "must be one of " + ", ".join(_POINTERS))
    mouse = None if pointer == "pen" else MousePressure(told.get("mouse", "speed"), told.get("fixed", 0.6))
    data = {"colour": told.get("colour", INK), "mode": told.get("mode", "paint"), "seed": told.get("seed", 0)}
    if data["mode"] not in MODES:
        raise BadValue("mode", data["mode"], "must be one of " + ", ".join(MODES))
    values = told.get("values") or {}
    if not isinstance(values, dict) or set(values) - _IN_HAND:
        raise BadValue("values", values, "known are " + ", ".join(sorted(_IN_HAND)))
    data["values"] = values
    data |= {name: told[name] for name in _KEPT if name in told}
    if told.get("symmetry"):
        data["symmetry"] = Symmetry.parse(told["symmetry"]).as_dict()
    if told.get("greys") is True:
        data["colour"] = grey_of(data["colour"])
    return Beginning(version_id, data, mouse)


def read_hover(told: dict[str, Any]) -> tuple[Beginning, Hover, int]:
    """Read where a hand hovers, what it would begin, and the level it is looked at; raises BadValue.

    Of a symmetry only the first copy is shown: the one under the hand.
    """
    found = {name: told.get(name, 0.5 if name == "pressure" else 0.0) for name in _HAND}
    for name, one in found.items():
        if isinstance(one, bool) or not isinstance(one, int | float):
            raise BadValue(name, str(one)[:40], "must be a number")
    level = told.get("level", 0)
    if type(level) is not int or not 0 <= level <= MOST_LEVEL:
        raise BadValue("level", level, f"must be 0 to {MOST_LEVEL}")
    if not isinstance(told.get("stroke"), dict):
        raise BadValue("stroke", told.get("stroke"), "must say what a stroke is begun with")
    beginning = read_begin({name: one for name, one in told["stroke"].items() if name != "symmetry"})
    heading = float(found.pop("heading"))
    if not np.isfinite(heading):
        raise BadValue("heading", heading, "must be an angle, in radians")
    samples = check_samples([[0.0, *found.values()]])
    if beginning.mouse is not None:
        samples = beginning.mouse.apply(samples)
    _, x, y, pressure, tilt_x, tilt_y, twist = (float(one) for one in samples[0])
    return beginning, Hover(x, y, heading, (pressure, tilt_x, tilt_y, twist)), level
