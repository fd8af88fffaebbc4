"""Between the pixels that are kept (premultiplied, 16 bits a channel) and the planes that are computed with (float32).

Every function works px by px, so that a part of a picture packs to the same bits as the whole.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from orvix.compiling import kernel, kernel_with

Floats = NDArray[np.float32]
Pixels = NDArray[np.uint16]
_FULL, _HALF, _ZERO, _ONE = np.float32(65535), np.float32(0.5), np.float32(0), np.float32(1)
_SCALE = np.float32(1 / 65535)


def grey_to_pixels(grey: Floats) -> Pixels:
    """A grey plane, float32 (rows, columns) in 0 to 1, as opaque uint16 (rows, columns, 4); the rest is cut off."""
    pixels = np.empty((*grey.shape, 4), np.uint16)
    _pack_grey(np.ascontiguousarray(grey, np.float32).ravel(), pixels.reshape(-1, 4))
    return pixels


def straight_to_pixels(rgb: Floats, alpha: Floats | None = None) -> Pixels:
    """Straight colour (rows, columns, 3) in 0 to 1 with its alpha (rows, columns) as pixels; no alpha is opaque."""
    pixels = np.empty((*rgb.shape[:2], 4), np.uint16)
    opaque = np.ones(1, np.float32) if alpha is None else np.ascontiguousarray(alpha, np.float32).ravel()
    _pack_straight(np.ascontiguousarray(rgb, np.float32).reshape(-1, 3), opaque, pixels.reshape(-1, 4))
    return pixels


def pixels_to_straight(pixels: Pixels) -> tuple[Floats, Floats]:
    """Pixels as straight colour (rows, columns, 3) and alpha (rows, columns), float32 in 0 to 1."""
    rgb = np.empty((*pixels.shape[:2], 3), np.float32)
    alpha = np.empty(pixels.shape[:2], np.float32)
    _unpack(np.ascontiguousarray(pixels).reshape(-1, 4), rgb.reshape(-1, 3), alpha.ravel())
    return rgb, alpha


def premultiplied_to_pixels(values: Floats) -> Pixels:
    """Premultiplied float32 (rows, columns, 4) in 0 to 1 as pixels; colour never above its alpha."""
    pixels = np.empty(values.shape, np.uint16)
    _pack_premultiplied(np.ascontiguousarray(values, np.float32).reshape(-1, 4), pixels.reshape(-1, 4))
    return pixels


def flat_rgba8(pixels: Pixels, ground: tuple[float, float, float] = (1.0, 1.0, 1.0)) -> NDArray[np.uint8]:
    """Pixels over an opaque ground (channels 0 to 1) as opaque 8-bit RGBA (rows, columns, 4)."""
    out = np.empty(pixels.shape, np.uint8)
    _flatten(np.ascontiguousarray(pixels).reshape(-1, 4), np.array(ground, np.float32), out.reshape(-1, 4))
    return out


@kernel_with(inline="always")
def _whole(value):  # type: ignore[no-untyped-def]
    return np.uint16(min(max(value, _ZERO), _ONE) * _FULL + _HALF)


@kernel
def _pack_grey(grey, out):  # type: ignore[no-untyped-def]
    for n in range(grey.shape[0]):
        tone = _whole(grey[n])
        out[n, 0] = tone
        out[n, 1] = tone
        out[n, 2] = tone
        out[n, 3] = np.uint16(65535)


@kernel
def _pack_straight(rgb, alpha, out):  # type: ignore[no-untyped-def]
    each = alpha.shape[0] > 1 or rgb.shape[0] == 1
    for n in range(rgb.shape[0]):
        cover = _whole(alpha[n]) if each else np.uint16(65535)
        out[n, 3] = cover
        for c in range(3):
            colour = min(max(rgb[n, c], _ZERO), _ONE) * np.float32(cover) + _HALF
            out[n, c] = min(np.uint16(colour), cover)


@kernel
def _unpack(pixels, rgb, alpha):  # type: ignore[no-untyped-def]
    for n in range(pixels.shape[0]):
        cover = np.float32(pixels[n, 3]) * _SCALE
        alpha[n] = cover
        if pixels[n, 3] == 65535:
            for c in range(3):
                rgb[n, c] = np.float32(pixels[n, c]) * _SCALE
        else:
            least = max(cover, _SCALE)
            for c in range(3):
                rgb[n, c] = np.float32(pixels[n, c]) * _SCALE / least


@kernel
def _pack_premultiplied(values, out):  # type: ignore[no-untyped-def]
    for n in range(values.shape[0]):
        cover = _whole(values[n, 3])
        out[n, 3] = cover
        for c in range(3):
            out[n, c] = min(_whole(values[n, c]), cover)


@kernel
def _flatten(pixels, ground, out):  # type: ignore[no-untyped-def]
    eight = np.float32(255)
    for n in range(pixels.shape[0]):
        clear = _ONE - np.float32(pixels[n, 3]) * _SCALE
        for c in range(3):
            colour = np.float32(pixels[n, c]) * _SCALE + ground[c] * clear
            out[n, c] = np.uint8(min(colour, _ONE) * eight + _HALF)
        out[n, 3] = np.uint8(255)
