"""Weight: how evenly motifs cover the tile, box by box. The map is shown without a verdict.

The coefficient of variation of cover in boxes of a quarter of the tile was tried as a verdict: even layouts read 0.24,
random ones 0.43 and faulty ones 0.39, so it does not tell faulty from random.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from orvix.readings.registry import READINGS, Reading, Subject, masked

BOXES = 4
SHOWN = 8


def weight(subject: Subject, quick: bool = False) -> dict[str, Any]:
    """{"value", "cover", "map": 8 x 8 shares of cover, "applies"}."""
    found = masked(subject, 256)
    if found is None:
        return {"value": None, "cover": None, "map": [], "applies": False}
    motif = found[0].astype(np.float32)
    boxes = cv2.resize(motif, (BOXES, BOXES), interpolation=cv2.INTER_AREA)
    shown = cv2.resize(motif, (SHOWN, SHOWN), interpolation=cv2.INTER_AREA)
    cover = float(motif.mean())
    return {
        "value": round(float(boxes.std() / max(boxes.mean(), 1e-6)), 3), "cover": round(cover, 4),
        "map": [[round(float(share), 3) for share in line] for line in shown], "applies": True,
    }  # fmt: skip


READINGS.add("weight", Reading("weight", "Weight", "How evenly motifs cover the tile.", weight, quick=False))
