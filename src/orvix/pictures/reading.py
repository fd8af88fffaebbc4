"""Reading a picture from outside: PNG, JPEG, WebP or TIFF, believed only after its limits are checked.

The one reader of all: whatever comes in is in sRGB, premultiplied, 16 bits a channel, and upright when it leaves here.
"""

from __future__ import annotations

import io
import struct
import zlib
from dataclasses import dataclass
from functools import partial
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from orvix.errors import UnreadablePicture
from orvix.geometry import MOST_SIDE
from orvix.pictures import pngs
from orvix.pictures.profiles import BadProfile, Misfit, name_of, to_srgb
from orvix.pictures.samples import Samples, Stored, premultiplied, straight, turned
from orvix.pictures.tiffs import TIFF, read_tiff, tiff_facts

MOST_BYTES = 64 * 1024 * 1024
MOST_PIXELS = 64 * 1024 * 1024
FORMATS = ("PNG", "JPEG", "WEBP", "TIFF")
Image.MAX_IMAGE_PIXELS = None
"""The declared size is checked here, against limits of our own, before anything is decoded."""

_PNG = b"\x89PNG\r\n\x1a\n"
_SIGNATURES = (_PNG, b"\xff\xd8\xff", *TIFF)
_ORIENTATION = 0x0112
_BROKEN = (OSError, SyntaxError, ValueError, EOFError, OverflowError, TypeError, KeyError, IndexError, RuntimeError,
           AttributeError, ArithmeticError, MemoryError, struct.error, zlib.error, cv2.error)  # fmt: skip
"""What decoders raise for a file that is not what it says."""


@dataclass(frozen=True)
class Picture:
    """A picture that was read. pixels: uint16 (rows, columns, 4), sRGB, premultiplied; notes: what was converted or
    left out, in words that go after the file's name; misfit: which colours sRGB cannot hold."""

    pixels: NDArray[np.uint16]
    notes: tuple[str, ...] = ()
    misfit: Misfit | None = None


def _known(data: bytes) -> bool:
    return data.startswith(_SIGNATURES) or (data[:4] == b"RIFF" and data[8:12] == b"WEBP")


def read_picture(data: bytes, name: str = "picture", *, convert: bool = True) -> NDArray[np.uint16]:
    """The pixels of `read_with_notes`."""
    return read_with_notes(data, name, convert=convert).pixels


def read_with_notes(data: bytes, name: str = "picture", *, convert: bool = True) -> Picture:
    """Decode a PNG, JPEG, WebP or TIFF, of several pages the first, turned as its Exif asks.

    Colours are converted to sRGB at 16 bits as the file describes them; convert=False takes the numbers as they stand.
    Raises UnreadablePicture naming the file and the rule for an empty, unknown, truncated or broken file, for one that
    declares more than 16384 px a side or 64 Mpx, and for CMYK that does not say how its inks look.
    """
    if not data:
        raise UnreadablePicture(f"{name} is empty. Choose another file.")
    if len(data) > MOST_BYTES:
        raise UnreadablePicture(f"{name} is too large: {len(data)} bytes, the limit is {MOST_BYTES}.")
    if not _known(data):
        raise UnreadablePicture(f"{name} is not a picture Orvix can read. Choose a PNG, JPEG, WebP or TIFF file.")
    try:
        stored = read_tiff(data, name, partial(_check_size, name=name)) if data.startswith(TIFF) else None
        if stored is None:
            with Image.open(io.BytesIO(data), formats=FORMATS) as image:
                _check_size(*image.size, name)
                stored = _deep_png(image, data, name) if _is_deep_png(image, data) else _eight_bits(image, data)
        return _finished(stored, name, convert)
    except UnreadablePicture:
        raise
    except _BROKEN as error:
        raise UnreadablePicture(f"{name} is damaged or incomplete ({str(error)[:120]}).") from error


def bits_a_channel(data: bytes) -> int:
    """How many bits a channel of a picture's file has, as it says itself; 8 where it does not say."""
    if data.startswith(_PNG):
        return data[24] if len(data) > 24 else 8
    return tiff_facts(data)[0] if data.startswith(TIFF) else 8


def read_ppi(data: bytes) -> float | None:
    """The resolution that a picture's file says it has, where it says one that can be: 1 to 10000 px an inch."""
    try:
        if data.startswith(TIFF):
            ppi = tiff_facts(data)[1]
        else:
            with Image.open(io.BytesIO(data), formats=FORMATS) as image:
                ppi = float(image.info.get("dpi", (0, 0))[0])
    except (OSError, SyntaxError, ValueError, TypeError, IndexError, ZeroDivisionError):
        return None
    if not 1 <= ppi <= 10_000:
        return None
    # PNG keeps whole px a metre: 300 ppi comes back as 299.9994.
    return float(round(ppi)) if abs(ppi - round(ppi)) < 0.02 else round(ppi, 3)


def _check_size(width: int, height: int, name: str) -> None:
    if min(width, height) < 1 or max(width, height) > MOST_SIDE or width * height > MOST_PIXELS:
        limit = f"The limit is {MOST_SIDE} px a side and {MOST_PIXELS} px in total."
        size = "empty" if min(width, height) < 1 else "too large"
        raise UnreadablePicture(f"{name} is {size} at {width} × {height} px. {limit}")


def _is_deep_png(image: Image.Image, data: bytes) -> bool:
    """Whether a PNG has 16 bits a channel, which Pillow would cut to 8, or would lose what is clear of."""
    return image.format == "PNG" and data[24] == 16


def _deep_png(image: Image.Image, data: bytes, name: str) -> Stored:
    decoded: Any = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    if decoded is None or decoded.dtype != np.uint16:
        raise UnreadablePicture(f"{name} cannot be read: its 16-bit pixels are damaged.")
    if decoded.ndim == 2:
        decoded = decoded[..., None]
    chunks = pngs.chunks_of(data)
    grey, clear = data[25] in (0, 4), chunks.get(b"tRNS", b"")
    colours = 1 if grey else 3
    # OpenCV has blue first; grey with alpha it hands out as colour.
    samples = np.ascontiguousarray(decoded[..., :1] if grey else decoded[..., 2::-1])
    stored = Stored(samples, turn=int(image.getexif().get(_ORIENTATION, 1)))
    if data[25] in (4, 6):
        stored.alpha = np.ascontiguousarray(decoded[..., -1])
    elif len(clear) == 2 * colours:
        key = np.frombuffer(clear, ">u2")
        stored.alpha = np.where((samples == key).all(axis=2), 0, 65535).astype(np.uint16)
    stored.profile = pngs.described(chunks, image.info.get("icc_profile"), stored.notes)
    return stored


def _eight_bits(image: Image.Image, data: bytes) -> Stored:
    """What Pillow decodes without loss: everything of 8 bits or fewer, palettes and their clear colours too."""
    image.load()
    notes: list[str] = []
    profile = image.info.get("icc_profile")
    if image.format == "PNG":
        profile = pngs.described(pngs.chunks_of(data), profile, notes)
    turn = int(image.getexif().get(_ORIENTATION, 1))
    if image.mode == "CMYK":
        return Stored(_widened(np.asarray(image)), profile=profile, turn=turn, notes=notes)
    if image.mode in ("1", "L") and "transparency" not in image.info:
        grey = np.asarray(image.convert("L"))[..., None]
        return Stored(_widened(grey), profile=profile, turn=turn, notes=notes)
    straight_8 = np.asarray(image.convert("RGBA"))
    alpha = None if (straight_8[..., 3] == 255).all() else _widened(straight_8[..., 3])
    samples = _widened(straight_8[..., :3])
    if image.mode in ("1", "L", "LA"):
        samples = np.ascontiguousarray(samples[..., :1])
    return Stored(samples, alpha, profile=profile, turn=turn, notes=notes)


def _widened(samples: NDArray[np.uint8]) -> Samples:
    return samples.astype(np.uint16) * np.uint16(257)


def _finished(stored: Stored, name: str, convert: bool) -> Picture:
    notes, misfit, done = list(stored.notes), None, None
    stored.samples = turned(stored.samples, stored.turn)
    if stored.alpha is not None:
        stored.alpha = turned(stored.alpha, stored.turn)
    if convert and stored.profile:
        samples = stored.samples
        if stored.alpha is not None:
            samples = straight(samples, stored.alpha) if stored.associated else samples * (stored.alpha > 0)[..., None]
        try:
            done = to_srgb(samples, stored.profile)
        except BadProfile as error:
            notes.append(f"its colour profile {error}; its colours are taken as sRGB")
    if done is not None:
        rgb, misfit = done
        called = name_of(stored.profile or b"")
        notes.append("its colours are converted to sRGB" + (f" from {called}" if called else ""))
        notes += [misfit.words] if misfit else []
        pixels = premultiplied(rgb, stored.alpha)
    elif stored.samples.shape[2] == 4:
        pixels = premultiplied(_naive_rgb(stored.samples, name, convert), stored.alpha)
    else:
        rgb = np.repeat(stored.samples, 3, axis=2) if stored.samples.shape[2] == 1 else stored.samples
        if stored.associated and stored.alpha is not None:
            pixels = np.dstack([np.minimum(rgb, stored.alpha[..., None]), stored.alpha])
        else:
            pixels = premultiplied(rgb, stored.alpha)
    return Picture(pixels, tuple(notes), misfit)


def _naive_rgb(inks: Samples, name: str, convert: bool) -> Samples:
    """Inks as if paper were white and each ink took away one light, as files were read before profiles were."""
    if convert:
        raise UnreadablePicture(
            f"{name}: a CMYK picture without a colour profile does not say how its inks look; "
            "embed the profile, or save it as RGB"
        )
    light = 65535 - inks.astype(np.uint64)
    return ((light[..., :3] * light[..., 3:] + 32767) // 65535).astype(np.uint16)
