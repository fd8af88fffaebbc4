"""Tone: how light a picture is, how far its tones spread, and how much paint it would let through as a grain."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

_LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)


@dataclass(frozen=True)
class Tone:
    """mean and std of luma, 0 to 1; passes: paint let through; shares: in 24 equal classes, black to white."""

    mean: float
    std: float
    passes: float
    shares: tuple[float, ...]

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it."""
        return asdict(self) | {"shares": list(self.shares)}


def tone(rgb: NDArray[np.float32]) -> Tone:
    """Read a picture, float32 (rows, columns, 3) in 0 to 1, sRGB-encoded (luma of Rec. ITU-R BT.709)."""
    luma = rgb @ _LUMA
    counts = np.histogram(luma, bins=24, range=(0.0, 1.0 + 1e-6))[0]
    mean = float(luma.mean(dtype=np.float64))
    return Tone(mean, float(luma.std(dtype=np.float64)), mean, tuple(float(n) for n in counts / luma.size))
