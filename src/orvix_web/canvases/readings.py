"""What is read of a canvas as it is seen: its seam and tone, and the fit of its grains."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np

from orvix.canvases.canvas import Canvas
from orvix.readings.tone import tone
from orvix.tiles.closing.seam import seam
from orvix.tiles.repeats import Repeat
from orvix_web.canvases.fits import canvas_fits, proven_to_close
from orvix_web.canvases.models import Canvas as CanvasRow


def read_canvas(row: CanvasRow, canvas: Canvas) -> dict[str, Any]:
    """The seam and tone of a canvas over its ground, and the fit of its grains. Runs on a bench thread."""
    spec = canvas.spec
    opaque = cv2.cvtColor(canvas.view(spec.box), cv2.COLOR_RGBA2RGB)
    rgb = np.multiply(opaque, np.float32(1 / 255), dtype=np.float32)
    reading = seam(rgb, spec.joined.repeat if spec.joined else Repeat("straight"), by_construction=proven_to_close(row))
    told = {"seam": reading.as_dict(), "tone": tone(rgb).as_dict(), "fits": canvas_fits(row)}
    return told | {"size": [spec.width, spec.height], "revision": row.revision, "joined": row.joined}
