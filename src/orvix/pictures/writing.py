"""Writing a picture: 8-bit PNG with sRGB and pHYs chunks, whole or not at all."""

from __future__ import annotations

import os
import tempfile
from io import BytesIO
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, PngImagePlugin

from orvix.errors import UnreadableFile

LUMA = (0.2126, 0.7152, 0.0722)
"""Weights of Rec. ITU-R BT.709-6, item 3.2, applied to the sRGB-encoded channels."""

PERCEPTUAL = b"\x00"
"""Rendering intent of the sRGB chunk (PNG, third edition, 11.3.2.5)."""


def png_bytes(pixels: NDArray[np.uint8], ppi: float | None = None, level: int = 6) -> bytes:
    """8-bit pixels (rows, columns, 3 or 4) as a PNG with sRGB and, where ppi is known, pHYs."""
    info = PngImagePlugin.PngInfo()
    info.add(b"sRGB", PERCEPTUAL)
    out = BytesIO()
    dpi = {"dpi": (ppi, ppi)} if ppi else {}
    Image.fromarray(np.ascontiguousarray(pixels)).save(out, "PNG", pnginfo=info, compress_level=level, **dpi)
    return out.getvalue()


def write_png(path: str | Path, pixels: NDArray[np.uint8], ppi: float | None = None) -> None:
    """Write a PNG beside its place and move it there, so that no partial file is left; raises UnreadableFile."""
    write_whole(path, png_bytes(pixels, ppi))


def write_whole(path: str | Path, data: bytes) -> None:
    """Write a file whole or not at all; raises UnreadableFile."""
    target = Path(path)
    try:
        handle, part = tempfile.mkstemp(dir=target.parent, prefix=target.name, suffix=".part")
    except OSError as error:
        raise UnreadableFile(f"{target}: cannot be written ({error.strerror})") from error
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
        os.chmod(part, 0o644)
        os.replace(part, target)
    except OSError as error:
        Path(part).unlink(missing_ok=True)
        raise UnreadableFile(f"{target}: cannot be written ({error.strerror})") from error


def eight_bit(pixels: NDArray[np.uint16]) -> NDArray[np.uint8]:
    """Premultiplied 16-bit pixels as premultiplied 8-bit ones of the same shape, rounded half up."""
    return ((pixels.astype(np.uint32) * 255 + 32767) // 65535).astype(np.uint8)


def straight_8bit(pixels: NDArray[np.uint16]) -> NDArray[np.uint8]:
    """Premultiplied 16-bit pixels as straight 8-bit ones: (rows, columns, 3) when opaque, else (rows, columns, 4)."""
    if (pixels[..., 3] == 65535).all():
        return ((pixels[..., :3].astype(np.uint32) * 255 + 32767) // 65535).astype(np.uint8)
    alpha = np.maximum(pixels[..., 3:].astype(np.float64), 1)
    out = np.empty(pixels.shape, np.uint8)
    out[..., :3] = np.floor(np.minimum(pixels[..., :3] / alpha, 1) * 255 + 0.5)
    out[..., 3] = (pixels[..., 3].astype(np.uint32) * 255 + 32767) // 65535
    return out


Rgb = tuple[float, float, float]
WHITE: Rgb = (1.0, 1.0, 1.0)
DARK: Rgb = (28 / 255, 30 / 255, 33 / 255)


def contrasting_ground(pixels: NDArray[np.uint16]) -> Rgb:
    """The ground on which a picture is seen: DARK under light colours with alpha, WHITE under all others.

    pixels: premultiplied uint16 (rows, columns, 4). Light means a mean luma above one half, weighted by alpha.
    """
    if (pixels[..., 3] == 65535).all():
        return WHITE
    red, green, blue, alpha = (float(part) for part in pixels.mean(axis=(0, 1), dtype=np.float64))
    luma = LUMA[0] * red + LUMA[1] * green + LUMA[2] * blue
    return DARK if luma > 0.5 * alpha else WHITE


def flat_rgb(pixels: NDArray[np.uint16], ground: Rgb | None = None) -> NDArray[np.float32]:
    """Premultiplied 16-bit pixels over an opaque ground (channels 0 to 1), as float32 (rows, columns, 3) in 0 to 1.

    Without a ground, over the one they contrast with.
    """
    scale = np.float32(1 / 65535)
    rgb = pixels[..., :3] * scale
    if (pixels[..., 3] == 65535).all():
        return rgb
    return rgb + np.asarray(ground or contrasting_ground(pixels), np.float32) * (1 - pixels[..., 3:] * scale)
