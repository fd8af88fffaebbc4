"""Brush files of version 1 brought to version 2. Their golden file is tests/golden/brush-1.1.json.

Version 1 had one coat; the hardness of a round tip was the tip's; a lead was pressure times a response of from, to and
bend; chance in size and scatter across were values of their own.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from orvix.errors import BadValue, UnknownName
from orvix.registry import Value

_RESPONSE = Value("response", "Response", "curve", [0.0, 1.0, 0.0], "From, to and bend.")
_LED = ("size", "flow")
_POINTS = (0.0, 0.08, 0.2, 0.35, 0.5, 0.68, 0.84, 1.0)


def upgraded(given: Mapping[str, Any]) -> Mapping[str, Any]:
    """A brush's JSON data as version 2 has it; what version 2 already is comes back as it is."""
    stated = given.get("version", [2, 0])
    if stated[0] >= 2:
        return given
    coats = given.get("coats")
    if not isinstance(coats, list) or len(coats) != 1 or not isinstance(coats[0], Mapping):
        raise BadValue("coats", coats, "must be a list of one coat in version 1 of the format")
    return {**given, "version": [2, 0], "coats": [_coat(coats[0])]}


def _coat(given: Mapping[str, Any]) -> dict[str, Any]:
    coat, values, leads = dict(given), dict(given.get("values", {})), {}
    tip = dict(given.get("tip", {"name": "round"}))
    if tip.get("name") == "round":
        inner = dict(tip.pop("values", {}))
        if "hardness" in inner:
            values["hardness"] = inner.pop("hardness")
        tip["values"] = inner
    if "scatter" in values:
        values["scatter_across"] = values.pop("scatter")
    for name, lead in (given.get("leads") or {}).items():
        if name not in _LED:
            raise UnknownName("value that can be led", name, list(_LED))
        if lead is not None:
            leads[name] = {"pressure": _lead(lead)}
    jitter = values.pop("size_jitter", 0)
    if jitter:
        leads.setdefault("size", {})["chance_stamp"] = {"response": [[0, 1], [1, 0]], "low": 1 - jitter, "high": 1}
    return coat | {"tip": tip, "values": values, "leads": leads}


def _lead(given: Any) -> dict[str, Any]:
    """A response of from, to and bend as points: Schlick's bias with 0.5 (1 + 0.98 bend) as its middle."""
    if not isinstance(given, Mapping) or given.get("driver", "pressure") != "pressure":
        raise BadValue("lead", given, "must be a response to pressure in version 1 of the format")
    low, high, bend = _RESPONSE.check(given.get("response", _RESPONSE.default))
    middle = 0.5 * (1 + 0.98 * bend)
    points = _POINTS if bend else (0.0, 1.0)
    shares = [at / ((1 / middle - 2) * (1 - at) + 1) for at in points]
    return {"response": [[at, round(low + (high - low) * share, 6)] for at, share in zip(points, shares, strict=True)]}
