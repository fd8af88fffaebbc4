"""Reading a picture from outside: PNG or JPEG, believed only after its limits are checked."""

from __future__ import annotations

import io

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageOps

from orvix.errors import UnreadablePicture
from orvix.geometry import MOST_SIDE

MOST_BYTES = 64 * 1024 * 1024
MOST_PIXELS = 64 * 1024 * 1024
FORMATS = ("PNG", "JPEG")
Image.MAX_IMAGE_PIXELS = None
"""The declared size is checked here, against limits of our own, before anything is decoded."""

_SIGNATURES = {b"\x89PNG\r\n\x1a\n": "PNG", b"\xff\xd8\xff": "JPEG"}


def read_picture(data: bytes, name: str = "picture") -> NDArray[np.uint16]:
    """Decode a PNG or JPEG to uint16 (rows, columns, 4), premultiplied.

    An EXIF turn is applied; 16-bit greys keep their depth. Raises UnreadablePicture naming the file and the rule for
    an empty, unknown, truncated or broken file and for one that declares more than 16384 px a side or 64 Mpx.
    """
    if not data:
        raise UnreadablePicture(f"{name}: the file is empty (0 bytes)")
    if len(data) > MOST_BYTES:
        raise UnreadablePicture(f"{name}: {len(data)} bytes; at most {MOST_BYTES} are read")
    if not any(data.startswith(signature) for signature in _SIGNATURES):
        raise UnreadablePicture(f"{name}: not a picture that is read here; give a PNG or JPEG file")
    try:
        with Image.open(io.BytesIO(data), formats=FORMATS) as image:
            _check_size(image, name)
            image.load()
            return _to_pixels(ImageOps.exif_transpose(image))
    except UnreadablePicture:
        raise
    except (OSError, SyntaxError, ValueError, EOFError, OverflowError) as error:
        raise UnreadablePicture(f"{name}: the file is cut short or broken ({str(error)[:120]})") from error


def _check_size(image: Image.Image, name: str) -> None:
    width, height = image.size
    if max(width, height) > MOST_SIDE or width * height > MOST_PIXELS:
        rule = f"at most {MOST_SIDE} px a side and {MOST_PIXELS} px in all are read"
        raise UnreadablePicture(f"{name}: declares {width} x {height} px; {rule}")


def _to_pixels(image: Image.Image) -> NDArray[np.uint16]:
    if image.mode.startswith("I"):
        grey = np.asarray(image).astype(np.int64).clip(0, 65535).astype(np.uint16)
        return np.dstack([grey, grey, grey, np.full_like(grey, 65535)])
    straight = np.asarray(image.convert("RGBA"))
    pixels = straight.astype(np.uint16) * np.uint16(257)
    if (straight[..., 3] != 255).any():
        alpha = pixels[..., 3:].astype(np.uint64)
        pixels[..., :3] = (pixels[..., :3].astype(np.uint64) * alpha + 32767) // 65535
    return np.ascontiguousarray(pixels)
