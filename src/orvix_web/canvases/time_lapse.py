"""A painting as it came about: its steps done once more, a frame every so often, as one moving picture or as frames."""

from __future__ import annotations

import zipfile
from collections.abc import Mapping
from io import BytesIO
from math import ceil
from typing import Any

import cv2
import numpy as np
from django.contrib.auth.models import User
from django.utils.text import slugify
from numpy.typing import NDArray
from PIL import Image

from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.errors import BadValue, UnknownName
from orvix.pictures.writing import png_bytes
from orvix.progress import Watch
from orvix.registry import Value, check_values
from orvix_web.canvases.history import history
from orvix_web.canvases.models import Canvas
from orvix_web.canvases.repainting import owned
from orvix_web.canvases.steps import begun, each_step
from orvix_web.jobs.models import Job
from orvix_web.jobs.services import ask_for

KIND = "time-lapse"
FORMATS = ("webp", "frames")
VALUES = (
    Value("side", "Size", "whole", 960, "Longer side of a frame.", unit="px", low=64, high=2048),
    Value("frames", "Frames", "whole", 120, "Largest number of frames.", low=2, high=600),
    Value("seconds", "Length", "number", 10.0, "Length of the animation.", unit="s", low=0.5, high=600),
)
_HELD_MS = 2000
"""The last frame stays so long."""
Frame = NDArray[np.uint8]


def ask_for_time_lapse(owner: User, canvas_id: int, told: Mapping[str, Any]) -> Job:
    """Queue a time-lapse. told: VALUES, and format, one of FORMATS. Raises Http404, UnknownName and BadValue."""
    row = owned(owner, canvas_id)
    values = check_values(VALUES, {name: told[name] for name in (v.name for v in VALUES) if name in told}, "time-lapse")
    kind = told.get("format", "webp")
    if kind not in FORMATS:
        raise UnknownName("format of a time-lapse", kind, list(FORMATS))
    if not history(row).steps:
        raise BadValue("canvas", row.name, "has no strokes yet. Paint something first.")
    return ask_for(owner, KIND, f"Time-lapse of {row.name}", {"canvas": row.pk, "format": kind, **values})


def time_lapse(row: Canvas, told: Mapping[str, Any], watch: Watch) -> tuple[str, str, bytes]:
    """Do the steps once more; returns the name of a file, its type and its octets. Raises Stopped."""
    steps = history(row).steps
    canvas = begun(row, history(row))
    every = max(ceil(len(steps) / (told["frames"] - 1)), 1)
    size = _size((row.width, row.height), told["side"])
    frames = [_frame(canvas, size)]
    for n, _ in enumerate(each_step(row, canvas, steps, watch.part(0, 0.9)), 1):
        if n % every == 0 or n == len(steps):
            frames.append(_frame(canvas, size))
    watch.tell(0.92, "writing the file")
    watch.stop_if_asked()
    name = f"{slugify(row.name) or 'canvas'}-time-lapse"
    if told["format"] == "frames":
        return f"{name}.zip", "application/zip", _zip(frames, name)
    return f"{name}.webp", "image/webp", _webp(frames, told["seconds"])


def _size(sides: tuple[int, int], side: int) -> tuple[int, int]:
    """Width and height of a frame, even, none larger than the canvas."""
    scale = min(side / max(sides), 1.0)
    return max(round(sides[0] * scale), 2), max(round(sides[1] * scale), 2)


def _frame(canvas: CoreCanvas, size: tuple[int, int]) -> Frame:
    """The canvas as it is now, within a frame; on grey where it has other proportions than it ended with."""
    spec = canvas.spec
    scale = min(size[0] / spec.width, size[1] / spec.height)
    level = max(min(int(np.log2(1 / scale)), 8), 0) if scale < 1 else 0
    seen = canvas.view(spec.box, level)[..., :3]
    wide, high = max(round(spec.width * scale), 1), max(round(spec.height * scale), 1)
    small = cv2.resize(seen, (wide, high), interpolation=cv2.INTER_AREA)
    out = np.full((size[1], size[0], 3), 180, np.uint8)
    top, left = (size[1] - high) // 2, (size[0] - wide) // 2
    out[top : top + high, left : left + wide] = small
    return out


def _webp(frames: list[Frame], seconds: float) -> bytes:
    each = max(round(1000 * seconds / len(frames)), 10)
    pictures = [Image.fromarray(one) for one in frames]
    out = BytesIO()
    times = [each] * (len(frames) - 1) + [each + _HELD_MS]
    pictures[0].save(out, "WEBP", save_all=True, append_images=pictures[1:], duration=times, loop=0, quality=82)
    return out.getvalue()


def _zip(frames: list[Frame], name: str) -> bytes:
    out = BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        for n, frame in enumerate(frames, 1):
            archive.writestr(f"{name}-{n:04}.png", png_bytes(frame))
    return out.getvalue()
