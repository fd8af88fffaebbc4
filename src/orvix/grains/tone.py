"""From a tile to a grain: one channel with a tone of its own. White lets paint through, black blocks it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.pictures.writing import LUMA
from orvix.registry import Value, check_values

TONE_VALUES = (
    Value("negative", "Negative", "switch", False, "Swaps the parts that let paint through and the parts that "
    "block it."),
    Value(
        "contrast", "Contrast", "number", 0.0,
        "Higher gives clear patches of paint. Lower spreads it evenly.", low=-1, high=1,
    ),
    Value(
        "brightness", "Brightness", "number", 0.0,
        "Higher: more of the canvas takes paint.", low=-1, high=1,
    ),
)  # fmt: skip


@dataclass(frozen=True)
class Tone:
    """How a tile is read as a grain."""

    negative: bool = False
    contrast: float = 0.0
    brightness: float = 0.0

    @classmethod
    def parse(cls, given: Mapping[str, Any]) -> Tone:
        """Build one from named values; raises BadValue or UnknownName."""
        return cls(**check_values(TONE_VALUES, given, "tone"))

    def as_dict(self) -> dict[str, Any]:
        """The values, as JSON holds them."""
        return asdict(self)


def grain_plane(tile: NDArray[np.uint16], tone: Tone) -> NDArray[np.float32]:
    """Read a tile as a grain.

    tile: uint16 (rows, columns, 4), premultiplied. Returns float32 (rows, columns) in 0 to 1: luma times alpha, toned.
    """
    return toned(tile[..., :3].astype(np.float32) @ (np.array(LUMA, np.float32) / np.float32(65535)), tone)


def toned(plane: NDArray[np.float32], tone: Tone) -> NDArray[np.float32]:
    """A plane, 0 to 1, after contrast about the middle (gain 1 / (1 - 0.98 c) above zero, 1 + c below), then
    brightness, then the negative."""
    gain = 1.0 / (1.0 - 0.98 * tone.contrast) if tone.contrast > 0 else 1.0 + tone.contrast
    plane = (plane - np.float32(0.5)) * np.float32(gain) + np.float32(0.5 + tone.brightness)
    plane = np.clip(plane, 0, 1)
    return np.ascontiguousarray(1 - plane if tone.negative else plane, dtype=np.float32)


def cover(plane: NDArray[np.float32]) -> float:
    """The share of a full dab's paint that the grain lets through, 0 to 1."""
    return float(plane.mean(dtype=np.float64))
