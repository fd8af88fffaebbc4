"""Tips as data: the shape of one stamp, checked, and a picture read as where its paint lies."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.errors import BadValue, UnknownName
from orvix.grains.tone import Tone, grain_plane
from orvix.registry import Registry, Value, check_values

Plane = NDArray[np.float32]
MOST_SIDE = 2048
"""A larger picture is taken down to this side: twice the largest mark."""

ROUND_VALUES = (
    Value(
        "hardness", "Hardness", "number", 0.8,
        "How far from the middle the mark stays full before it fades to its edge.", low=0, high=1,
    ),
)  # fmt: skip
PAINTS_WHERE = ("opaque", "dark", "light")
PICTURE_VALUES = (
    Value(
        "paints", "Paints where", "choice", "opaque",
        "Where the picture lays paint: where it is opaque, where it is dark, or where it is light.",
        choices=PAINTS_WHERE,
    ),
)  # fmt: skip


@dataclass(frozen=True)
class TipKind:
    """One kind of tip; pictured: whether it needs a picture."""

    name: str
    title: str
    help: str
    values: tuple[Value, ...]
    pictured: bool = False

    def describe(self) -> dict[str, Any]:
        """The kind as the command line lists it."""
        told: dict[str, Any] = {"name": self.name, "title": self.title, "help": self.help}
        told["kind"] = "given" if self.pictured else "generated"
        return told | {"values": [value.describe() for value in self.values]}


TIPS: Registry[TipKind] = Registry("tip")
TIPS.add("round", TipKind("round", "Round", "A disc, crisp or soft.", ROUND_VALUES))
TIPS.add("picture", TipKind("picture", "Picture", "A tile or a file as one mark.", PICTURE_VALUES, pictured=True))


@dataclass(frozen=True)
class Tip:
    """A checked tip. source: which picture, for a picture tip: a recipe, a file or an id, as its reader knows."""

    name: str = "round"
    values: Mapping[str, Any] = field(default_factory=lambda: check_values(ROUND_VALUES, {}, "tip"))
    source: Any = None

    @classmethod
    def parse(cls, given: Any) -> Tip:
        """Read a tip from JSON data; raises BadValue or UnknownName."""
        if not isinstance(given, Mapping):
            raise BadValue("tip", given, "must be a JSON object")
        kind = TIPS.get(given.get("name"))
        known = ("name", "values", "source") if kind.pictured else ("name", "values")
        for part in given:
            if part not in known:
                raise UnknownName("value of tip", part, list(known))
        if kind.pictured and given.get("source") is None:
            raise BadValue("source", None, "a picture tip must say which picture it is")
        return cls(kind.name, check_values(kind.values, given.get("values", {}), "tip"), given.get("source"))

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it; `parse` gives the same tip back."""
        told: dict[str, Any] = {"name": self.name, "values": dict(self.values)}
        return told | ({"source": self.source} if TIPS.get(self.name).pictured else {})


def tip_mask(pixels: NDArray[np.uint16], paints: str) -> Plane:
    """Where a picture lays paint: float32 (rows, columns), 0 to 1, at most MOST_SIDE px long.

    pixels: premultiplied uint16 (rows, columns, 4). paints: one of PAINTS_WHERE; dark and light are judged by the
    picture's own colour and count only as far as it is opaque.
    """
    alpha = pixels[..., 3].astype(np.float32) * np.float32(1 / 65535)
    if paints == "opaque":
        mask = alpha
    else:
        light = grain_plane(pixels, Tone())
        mask = light if paints == "light" else alpha - light
    longest = max(mask.shape)
    if longest > MOST_SIDE:
        rows, columns = (max(round(side * MOST_SIDE / longest), 1) for side in mask.shape)
        mask = cv2.resize(mask, (columns, rows), interpolation=cv2.INTER_AREA)
    return np.clip(mask, 0, 1).astype(np.float32)


def likely_paints(pixels: NDArray[np.uint16]) -> str:
    """How a picture is most likely meant: by its alpha where it has one, else as marks on its border's tone."""
    if (pixels[..., 3] < 65535).any():
        return "opaque"
    light = grain_plane(pixels, Tone())
    border = np.concatenate([light[0], light[-1], light[:, 0], light[:, -1]])
    return "dark" if border.mean() >= 0.5 else "light"
