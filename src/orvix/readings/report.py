"""All readings of a picture at once, as the command line and the pages give them."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.pictures.writing import flat_rgb
from orvix.readings.seam import seam
from orvix.readings.tone import tone
from orvix.tiles.repeats import Repeat


def readings(pixels: NDArray[np.uint16], repeat: Repeat, *, by_construction: bool = False) -> dict[str, Any]:
    """Seam and tone of premultiplied 16-bit pixels (rows, columns, 4), read over white, as JSON types."""
    rgb = flat_rgb(pixels)
    return {
        "size": [pixels.shape[1], pixels.shape[0]],
        "repeat": repeat.kind,
        "stagger": float(repeat.stagger) if repeat.kind != "straight" else 0.0,
        "seam": seam(rgb, repeat, by_construction=by_construction).as_dict(),
        "tone": tone(rgb).as_dict(),
    }
