"""The samples of a picture's file as they are stored, before its colours are looked at."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Samples = NDArray[np.uint16]
_TURNS = {2: (0, True), 3: (2, False), 4: (2, True), 5: (3, True), 6: (3, False), 7: (1, True), 8: (1, False)}
"""Values of Exif's Orientation: quarter turns to the left, then whether left and right change places."""


@dataclass
class Stored:
    """What a file holds. samples: uint16 (rows, columns, 1 grey, 3 RGB or 4 CMYK), CMYK with 65535 for full ink; alpha:
    uint16 (rows, columns) or none; associated: whether the samples are multiplied by it; profile: how the file
    describes its colours, as an ICC profile, where it does; turn: Exif's Orientation; notes: in words."""

    samples: Samples
    alpha: Samples | None = None
    associated: bool = False
    profile: bytes | None = None
    turn: int = 1
    notes: list[str] = field(default_factory=list)


def premultiplied(samples: Samples, alpha: Samples | None) -> Samples:
    """Straight samples (rows, columns, 3) and an alpha as premultiplied ones (rows, columns, 4), rounded half up."""
    out = np.full((*samples.shape[:2], 4), 65535, np.uint16)
    if alpha is None:
        out[..., :3] = samples
        return out
    out[..., 3] = alpha
    wide = alpha[..., None].astype(np.uint64)
    out[..., :3] = (samples.astype(np.uint64) * wide + 32767) // 65535
    return out


def straight(samples: Samples, alpha: Samples) -> Samples:
    """Samples that were multiplied by an alpha without it, rounded half up; 0 where it is 0."""
    wide = np.maximum(alpha[..., None], 1).astype(np.uint64)
    out = np.minimum((samples.astype(np.uint64) * 65535 + wide // 2) // wide, 65535).astype(np.uint16)
    out[alpha == 0] = 0
    return out


def turned(pixels: Samples, orientation: int) -> Samples:
    """Pixels turned and mirrored as Exif's Orientation (1 to 8) asks; any other value changes nothing."""
    quarters, mirror = _TURNS.get(orientation, (0, False))
    out = np.rot90(pixels, quarters)
    return np.ascontiguousarray(out[:, ::-1] if mirror else out)
