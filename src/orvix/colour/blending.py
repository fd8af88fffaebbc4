"""Blend modes of W3C Compositing and Blending Level 1 (sections 9 and 10), and plus-lighter, on straight colour.

cb is the backdrop's colour, cs the source's, both float32 (..., 3) in 0 to 1, sRGB-encoded.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.bands import in_bands
from orvix.pictures.packing import pixels_to_straight, premultiplied_to_pixels, straight_to_pixels

Floats = NDArray[np.float32]
_ONE, _HALF = np.float32(1), np.float32(0.5)


def _hard_light(cb: Floats, cs: Floats) -> Floats:
    return np.where(cs <= _HALF, cb * 2 * cs, cb + (2 * cs - 1) - cb * (2 * cs - 1))


def _soft_light(cb: Floats, cs: Floats) -> Floats:
    d = np.where(cb <= np.float32(0.25), ((16 * cb - 12) * cb + 4) * cb, np.sqrt(cb))
    return np.where(cs <= _HALF, cb - (1 - 2 * cs) * cb * (1 - cb), cb + (2 * cs - 1) * (d - cb))


def _dodge(cb: Floats, cs: Floats) -> Floats:
    bright = np.minimum(1, cb / np.maximum(1 - cs, np.float32(1e-6)))
    return np.where(cb <= 0, 0, np.where(cs >= 1, 1, bright)).astype(np.float32)


def _burn(cb: Floats, cs: Floats) -> Floats:
    dark = 1 - np.minimum(1, (1 - cb) / np.maximum(cs, np.float32(1e-6)))
    return np.where(cb >= 1, 1, np.where(cs <= 0, 0, dark)).astype(np.float32)


def _lum(c: Floats) -> Floats:
    return (c @ np.array([0.3, 0.59, 0.11], np.float32))[..., None]


def _set_lum(c: Floats, lum: Floats) -> Floats:
    c = c + (lum - _lum(c))
    middle = _lum(c)
    low, high = c.min(axis=-1, keepdims=True), c.max(axis=-1, keepdims=True)
    c = np.where(low < 0, middle + (c - middle) * middle / np.maximum(middle - low, np.float32(1e-6)), c)
    return np.where(high > 1, middle + (c - middle) * (1 - middle) / np.maximum(high - middle, np.float32(1e-6)), c)


def _sat(c: Floats) -> Floats:
    return c.max(axis=-1, keepdims=True) - c.min(axis=-1, keepdims=True)


def _set_sat(c: Floats, sat: Floats) -> Floats:
    low = c.min(axis=-1, keepdims=True)
    return (c - low) * sat / np.maximum(_sat(c), np.float32(1e-6))


MODES: dict[str, Callable[[Floats, Floats], Floats]] = {
    "normal": lambda cb, cs: cs,
    "multiply": lambda cb, cs: cb * cs,
    "screen": lambda cb, cs: cb + cs - cb * cs,
    "overlay": lambda cb, cs: _hard_light(cs, cb),
    "darken": np.minimum,
    "lighten": np.maximum,
    "color-dodge": _dodge,
    "color-burn": _burn,
    "hard-light": _hard_light,
    "soft-light": _soft_light,
    "difference": lambda cb, cs: np.abs(cb - cs),
    "exclusion": lambda cb, cs: cb + cs - 2 * cb * cs,
    "hue": lambda cb, cs: _set_lum(_set_sat(cs, _sat(cb)), _lum(cb)),
    "saturation": lambda cb, cs: _set_lum(_set_sat(cb, _sat(cs)), _lum(cb)),
    "color": lambda cb, cs: _set_lum(cs, _lum(cb)),
    "luminosity": lambda cb, cs: _set_lum(cb, _lum(cs)),
    "plus-lighter": lambda cb, cs: np.minimum(cb + cs, _ONE),
}
"""Each mode's B(cb, cs). plus-lighter is composited by its own rule below."""


def blend(under: NDArray[np.uint16], over: NDArray[np.uint16], mode: str, strength: Any = _ONE) -> NDArray[np.uint16]:
    """Lay premultiplied 16-bit pixels over others: source-over with a mode (section 5, general formula).

    strength: a number or float32 (rows, columns, 1) in 0 to 1, times the upper picture's alpha.
    """
    out = np.empty_like(under)

    def band(top: int, bottom: int) -> None:
        part = strength if np.ndim(strength) == 0 else strength[top:bottom]
        out[top:bottom] = _blend(under[top:bottom], over[top:bottom], mode, part)

    in_bands(under.shape[0], under.shape[1], band)
    return out


def _blend(under: NDArray[np.uint16], over: NDArray[np.uint16], mode: str, strength: Any) -> NDArray[np.uint16]:
    if mode != "plus-lighter" and (under[..., 3] == 65535).all() and (over[..., 3] == 65535).all():
        cb, cs = pixels_to_straight(under)[0], pixels_to_straight(over)[0]
        return straight_to_pixels(MODES[mode](cb, cs) * strength + cb * (_ONE - strength))
    scale = np.float32(1 / 65535)
    b, s = under.astype(np.float32) * scale, over.astype(np.float32) * (scale * strength)
    if mode == "plus-lighter":
        return premultiplied_to_pixels(b + s)
    cb, ab = pixels_to_straight(under)
    cs, a = pixels_to_straight(over)[0], s[..., 3:]
    mixed = cs * (1 - ab[..., None]) + ab[..., None] * MODES[mode](cb, cs)
    colour = mixed * a + b[..., :3] * (1 - a)
    return premultiplied_to_pixels(np.concatenate([colour, a + b[..., 3:] * (1 - a)], axis=-1))
