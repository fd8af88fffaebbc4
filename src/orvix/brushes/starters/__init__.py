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


def _add(name: str, title: str, purpose: str, *coats: dict[str, Any]) -> None:
    data = {"format": "orvix-brush", "version": [2, 0], "name": title, "for": purpose, "coats": list(coats)}
    STARTERS.add(name, Starter(name, title, purpose, data))


def _lead(low: float, high: float, middle: float | None = None) -> dict[str, Any]:
    points = [[0, low], [1, high]] if middle is None else [[0, low], [0.5, middle], [1, high]]
    return {"pressure": {"response": points}}


_add(
    "harbour-liner", "Harbour liner", "Even lines that swell with the hand.",
    {"values": {"size": 14, "spacing": 0.04, "flow": 1.0, "hardness": 0.96}, "leads": {"size": _lead(0.15, 1.0, 0.49)}},
)  # fmt: skip
_add(
    "lantern-glow", "Lantern glow", "Soft light built up stroke over stroke.",
    {
        "values": {"size": 120, "spacing": 0.06, "flow": 0.12, "opacity": 0.8, "hardness": 0},
        "leads": {"flow": _lead(0.0, 1.0)},
    },
)  # fmt: skip
_add(
    "sailcloth-chalk", "Sailcloth chalk", "A dry edge cut by the cloth under it.",
    {
        "values": {"size": 56, "spacing": 0.05, "flow": 0.5, "hardness": 0.7},
        "leads": {"size": _lead(0.5, 1.0), "flow": _lead(0.15, 1.0, 0.66)},
        "grain": {"source": _grain(40, 3, 7, contrast=0.75), "scale": "1/2", "strength": 0.95, "hold": "canvas"},
    },
)  # fmt: skip
_add(
    "sea-spray", "Sea spray", "Drops thrown to either side of the path.",
    {
        "values": {"size": 22, "spacing": 0.55, "flow": 0.95, "scatter_across": 2.4, "hardness": 0.9},
        "leads": {"size": _lead(0.4, 1.0) | {"chance_stamp": {"response": [[0, 0.15], [1, 1]]}}},
    },
)  # fmt: skip
_add(
    "barnacle-wash", "Barnacle wash", "A broad wash whose crust starts anew with each stroke.",
    {
        "values": {"size": 140, "spacing": 0.08, "flow": 0.35, "opacity": 0.85, "hardness": 0.4},
        "leads": {"flow": _lead(0.1, 1.0)},
        "grain": {"source": _grain(12, 5, 3, contrast=0.5), "scale": "1/1", "strength": 0.8, "hold": "stroke"},
    },
)  # fmt: skip
