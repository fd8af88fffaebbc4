"""Reading a picture from outside: PNG, JPEG, WebP or TIFF, believed only after its limits are checked."""

from __future__ import annotations

import io

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageOps, TiffImagePlugin

from orvix.errors import UnreadablePicture
from orvix.geometry import MOST_SIDE

MOST_BYTES = 64 * 1024 * 1024
MOST_PIXELS = 64 * 1024 * 1024
FORMATS = ("PNG", "JPEG", "WEBP", "TIFF")
Image.MAX_IMAGE_PIXELS = None
"""The declared size is checked here, against limits of our own, before anything is decoded."""

_SIGNATURES = (b"\x89PNG\r\n\x1a\n", b"\xff\xd8\xff", b"II*\x00", b"MM\x00*")


def _known(data: bytes) -> bool:
    return data.startswith(_SIGNATURES) or (data[:4] == b"RIFF" and data[8:12] == b"WEBP")


def read_picture(data: bytes, name: str = "picture") -> NDArray[np.uint16]:
    """Decode a PNG, JPEG, WebP or TIFF to uint16 (rows, columns, 4), premultiplied; of several pages the first.

    An EXIF turn is applied; pictures of 16 bits keep their depth. Raises UnreadablePicture naming the file and the
    rule for an empty, unknown, truncated or broken file and for one that declares more than 16384 px a side or 64
    Mpx.
    """
    if not data:
        raise UnreadablePicture(f"{name}: the file is empty (0 bytes)")
    if len(data) > MOST_BYTES:
        raise UnreadablePicture(f"{name}: {len(data)} bytes; at most {MOST_BYTES} are read")
    if not _known(data):
        raise UnreadablePicture(f"{name}: not a picture that is read here; give a PNG, JPEG, WebP or TIFF file")
    try:
        with Image.open(io.BytesIO(data), formats=FORMATS) as image:
            _check_size(image, name)
            if _is_deep(image, data):
                return _deep_pixels(data, name)
            image.load()
            return _to_pixels(ImageOps.exif_transpose(image))
    except UnreadablePicture:
        raise
    except (OSError, SyntaxError, ValueError, EOFError, OverflowError, TypeError, KeyError, cv2.error) as error:
        raise UnreadablePicture(f"{name}: the file is cut short or broken ({str(error)[:120]})") from error


def bits_a_channel(data: bytes) -> int:
    """How many bits a channel of a picture's file has, as it says itself; 8 where it does not say."""
    try:
        with Image.open(io.BytesIO(data), formats=FORMATS) as image:
            if image.format == "PNG":
                return data[24]
            return max(image.tag_v2.get(258, (8,))) if isinstance(image, TiffImagePlugin.TiffImageFile) else 8
    except (OSError, SyntaxError, ValueError, TypeError, IndexError):
        return 8


def read_ppi(data: bytes) -> float | None:
    """The resolution that a picture's file says it has, where it says one that can be: 1 to 10000 px an inch."""
    try:
        with Image.open(io.BytesIO(data), formats=FORMATS) as image:
            ppi = float(image.info.get("dpi", (0, 0))[0])
    except (OSError, SyntaxError, ValueError, TypeError, IndexError, ZeroDivisionError):
        return None
    if not 1 <= ppi <= 10_000:
        return None
    # PNG keeps whole px a metre: 300 ppi comes back as 299.9994.
    return float(round(ppi)) if abs(ppi - round(ppi)) < 0.02 else round(ppi, 3)


def _check_size(image: Image.Image, name: str) -> None:
    width, height = image.size
    if max(width, height) > MOST_SIDE or width * height > MOST_PIXELS:
        rule = f"at most {MOST_SIDE} px a side and {MOST_PIXELS} px in all are read"
        raise UnreadablePicture(f"{name}: declares {width} x {height} px; {rule}")


def _is_deep(image: Image.Image, data: bytes) -> bool:
    """Whether colour has 16 bits a channel, which Pillow would cut to 8."""
    if image.format == "PNG":
        return data[24] == 16 and data[25] in (2, 4, 6)
    depths = getattr(image, "tag_v2", {}).get(258, (8,)) if image.format == "TIFF" else (8,)
    return len(depths) > 2 and set(depths) == {16}


def _deep_pixels(data: bytes, name: str) -> NDArray[np.uint16]:
    """16-bit colour, decoded by OpenCV."""
    decoded = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if decoded is None or decoded.dtype != np.uint16:
        raise UnreadablePicture(f"{name}: its 16-bit pixels cannot be decoded")
    if decoded.ndim == 2 or decoded.shape[2] == 1:
        decoded = cv2.cvtColor(decoded, cv2.COLOR_GRAY2BGR)
    pixels = np.full((*decoded.shape[:2], 4), 65535, np.uint16)
    pixels[..., :3] = decoded[..., 2::-1]
    if decoded.shape[2] == 4:
        pixels[..., 3] = decoded[..., 3]
        alpha = decoded[..., 3:].astype(np.uint64)
        pixels[..., :3] = (pixels[..., :3].astype(np.uint64) * alpha + 32767) // 65535
    return pixels


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
