"""The starter brushes: each a title, what it is for, and the data of a brush file."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from orvix.registry import Registry


@dataclass(frozen=True)
class Starter:
    """One starter brush; `data` is a whole brush file, its grain as a recipe inside."""

    name: str
    title: str
    purpose: str
    data: dict[str, Any]


STARTERS: Registry[Starter] = Registry("brush")


def _grain(cells: int, octaves: int, seed: int, size: int = 512, **tone: Any) -> dict[str, Any]:
    recipe = {"size": [size, size], "seed": seed}
    recipe |= {"source": {"name": "noise", "values": {"cells": cells, "octaves": octaves, "roughness": 0.65}}}
    return {"recipe": recipe, "tone": tone}


def _add(name: str, title: str, purpose: str, hardness: float, coat: dict[str, Any]) -> None:
    tip = {"name": "round", "values": {"hardness": hardness}}
    data = {"format": "orvix-brush", "version": [1, 0], "name": title, "coats": [{"tip": tip, **coat}]}
    STARTERS.add(name, Starter(name, title, purpose, data))


def _lead(low: float, high: float, bend: float = 0.0) -> dict[str, Any]:
    return {"driver": "pressure", "response": [low, high, bend]}


_add(
    "harbour-liner", "Harbour liner", "Even lines that swell with the hand.", 0.96,
    {"values": {"size": 14, "spacing": 0.04, "flow": 1.0}, "leads": {"size": _lead(0.15, 1.0, -0.2)}},
)  # fmt: skip
_add(
    "lantern-glow", "Lantern glow", "Soft light built up stroke over stroke.", 0.0,
    {"values": {"size": 120, "spacing": 0.06, "flow": 0.12, "opacity": 0.8}, "leads": {"flow": _lead(0.0, 1.0)}},
)  # fmt: skip
_add(
    "sailcloth-chalk", "Sailcloth chalk", "A dry edge cut by the cloth under it.", 0.7,
    {
        "values": {"size": 56, "spacing": 0.05, "flow": 0.5},
        "leads": {"size": _lead(0.5, 1.0), "flow": _lead(0.15, 1.0, 0.2)},
        "grain": {"source": _grain(40, 3, 7, contrast=0.75), "scale": "1/2", "strength": 0.95, "hold": "canvas"},
    },
)  # fmt: skip
_add(
    "sea-spray", "Sea spray", "Drops thrown to either side of the path.", 0.9,
    {
        "values": {"size": 22, "spacing": 0.55, "flow": 0.95, "size_jitter": 0.85, "scatter": 2.4},
        "leads": {"size": _lead(0.4, 1.0)},
    },
)  # fmt: skip
_add(
    "barnacle-wash", "Barnacle wash", "A broad wash whose crust starts anew with each stroke.", 0.4,
    {
        "values": {"size": 140, "spacing": 0.08, "flow": 0.35, "opacity": 0.85},
        "leads": {"flow": _lead(0.1, 1.0)},
        "grain": {"source": _grain(12, 5, 3, contrast=0.5), "scale": "1/1", "strength": 0.8, "hold": "stroke"},
    },
)  # fmt: skip
