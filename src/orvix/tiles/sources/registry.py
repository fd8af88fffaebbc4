"""What a source is: a name, values, and a function from values to pixels."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.registry import Registry, Value
from orvix.tiles.repeats import Repeat

Pixels = NDArray[np.uint16]
ReadPicture = Callable[[str], Pixels]


@dataclass(frozen=True)
class Window:
    """What of the cloth to compute: upper left pixel and size in px. The tile itself is (0, 0, height, width)."""

    top: int
    left: int
    height: int
    width: int


@dataclass(frozen=True)
class Order:
    """What a source is asked for: the tile's size and repeat, its seed, its checked values, and the window wanted."""

    width: int
    height: int
    repeat: Repeat
    seed: int
    values: Mapping[str, Any]
    window: Window
    read_picture: ReadPicture


@dataclass(frozen=True)
class Source:
    """kind is "generated" (closes by construction at any setting) or "given" (comes from outside)."""

    name: str
    title: str
    kind: str
    help: str
    values: tuple[Value, ...]
    render: Callable[[Order], Pixels]

    @property
    def closes_by_construction(self) -> bool:
        """Whether the law tests prove that moved coordinates give the moved tile, bit for bit."""
        return self.kind == "generated"

    def describe(self) -> dict[str, Any]:
        """The source as the command line lists it."""
        told: dict[str, Any] = {"name": self.name, "title": self.title, "kind": self.kind, "help": self.help}
        return told | {"values": [value.describe() for value in self.values]}


SOURCES: Registry[Source] = Registry("source")


def grey_to_pixels(grey: NDArray[np.float32]) -> Pixels:
    """A grey plane, float32 (rows, columns) in 0 to 1, as opaque uint16 (rows, columns, 4)."""
    pixels = np.empty((*grey.shape, 4), np.uint16)
    pixels[..., :3] = (np.clip(grey, 0, 1) * np.float32(65535) + np.float32(0.5)).astype(np.uint16)[..., None]
    pixels[..., 3] = 65535
    return pixels
