"""Blend modes of W3C Compositing and Blending Level 1 (sections 9 and 10), plus-lighter, and four that coats also have.

Colours are sRGB-encoded float32, 0 to 1. With cb the backdrop's colour and cs the source's, the further modes are
subtract = cb - cs, linear-burn = cb + cs - 1 and linear-light = cb + 2 cs - 1, each held to 0 to 1.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.bands import in_bands
from orvix.compiling import kernel
from orvix.errors import UnknownName

Floats = NDArray[np.float32]

MODES = (
    "normal", "multiply", "screen", "overlay", "darken", "lighten", "color-dodge", "color-burn",
    "hard-light", "soft-light",
    "difference", "exclusion", "hue", "saturation", "color", "luminosity", "plus-lighter", "subtract", "linear-burn",
    "linear-light",
)  # fmt: skip
"""Every mode; its place is what the kernels know it by."""
NORMAL = 0
_FIRST_WHOLE, _LAST_WHOLE, PLUS_LIGHTER = MODES.index("hue"), MODES.index("luminosity"), MODES.index("plus-lighter")
_MULTIPLY, _SCREEN, _OVERLAY, _DARKEN, _LIGHTEN = 1, 2, 3, 4, 5
_DODGE, _BURN, _HARD_LIGHT, _SOFT_LIGHT, _DIFFERENCE, _EXCLUSION = 6, 7, 8, 9, 10, 11
_DIVIDING = (_DODGE, _BURN, _SOFT_LIGHT)
_SUBTRACT, _LINEAR_BURN, _LINEAR_LIGHT = 17, 18, 19
_CHUNK = 256
"""Px that are blended at a time, so that what is between stays close at hand."""

_ZERO, _HALF, _ONE, _TWO = np.float32(0), np.float32(0.5), np.float32(1), np.float32(2)
_LEAST = np.float32(1e-6)
_RED, _GREEN, _BLUE = np.float32(0.3), np.float32(0.59), np.float32(0.11)
_FULL, _BACK = np.float32(65535), np.float32(1 / 65535)


def mode_number(mode: str) -> int:
    """What the kernels know a mode by; raises UnknownName."""
    if mode not in MODES:
        raise UnknownName("mode", mode, list(MODES))
    return MODES.index(mode)


@kernel
def _soft_light(b, s):  # type: ignore[no-untyped-def]
    if s <= _HALF:
        return b - (_ONE - _TWO * s) * b * (_ONE - b)
    d = ((np.float32(16) * b - np.float32(12)) * b + np.float32(4)) * b if b <= np.float32(0.25) else np.sqrt(b)
    return b + (_TWO * s - _ONE) * (d - b)


@kernel
def _dodge(b, s):  # type: ignore[no-untyped-def]
    if b <= _ZERO:
        return _ZERO
    return _ONE if s >= _ONE else min(_ONE, b / max(_ONE - s, _LEAST))


@kernel
def _burn(b, s):  # type: ignore[no-untyped-def]
    if b >= _ONE:
        return _ONE
    return _ZERO if s <= _ZERO else _ONE - min(_ONE, (_ONE - b) / max(s, _LEAST))


@kernel
def _separable(mode, b, s):  # type: ignore[no-untyped-def]
    """B(cb, cs) of one channel, section 10.1, for the modes that divide or take roots; unchecked kernel."""
    if mode == _DODGE:
        return _dodge(b, s)
    return _burn(b, s) if mode == _BURN else _soft_light(b, s)


@kernel
def _lum(c):  # type: ignore[no-untyped-def]
    return c[0] * _RED + c[1] * _GREEN + c[2] * _BLUE


@kernel
def _set_lum(c, lum):  # type: ignore[no-untyped-def]
    shift = lum - _lum(c)
    c = (c[0] + shift, c[1] + shift, c[2] + shift)
    middle, low, high = _lum(c), min(c[0], c[1], c[2]), max(c[0], c[1], c[2])
    if low < _ZERO:
        k = middle / max(middle - low, _LEAST)
        c = (middle + (c[0] - middle) * k, middle + (c[1] - middle) * k, middle + (c[2] - middle) * k)
    if high > _ONE:
        k = (_ONE - middle) / max(high - middle, _LEAST)
        c = (middle + (c[0] - middle) * k, middle + (c[1] - middle) * k, middle + (c[2] - middle) * k)
    return c


@kernel
def _sat(c):  # type: ignore[no-untyped-def]
    return max(c[0], c[1], c[2]) - min(c[0], c[1], c[2])


@kernel
def _set_sat(c, sat):  # type: ignore[no-untyped-def]
    low, k = min(c[0], c[1], c[2]), sat / max(_sat(c), _LEAST)
    return ((c[0] - low) * k, (c[1] - low) * k, (c[2] - low) * k)


@kernel
def _whole_colour(mode, b, s):  # type: ignore[no-untyped-def]
    """B(cb, cs) of the modes that look at all three channels, section 10.2; unchecked kernel."""
    if mode == 12:
        return _set_lum(_set_sat(s, _sat(b)), _lum(b))
    if mode == 13:
        return _set_lum(_set_sat(b, _sat(s)), _lum(b))
    if mode == 14:
        return _set_lum(s, _lum(b))
    return _set_lum(b, _lum(s))


@kernel
def _mixed(mix, b, s, ab, a, mode):  # type: ignore[no-untyped-def]
    """mix = as ab B(cb, cs) for the modes that need no division; all float32 (4 n,), b and s premultiplied.

    ab and a are the alphas of both, once for each channel. Unchecked kernel.
    """
    count = mix.shape[0]
    if mode == _MULTIPLY:
        for i in range(count):
            mix[i] = b[i] * s[i]
    elif mode == _SCREEN:
        for i in range(count):
            mix[i] = b[i] * a[i] + s[i] * ab[i] - b[i] * s[i]
    elif mode == _OVERLAY:
        for i in range(count):
            dark, light = _TWO * b[i] * s[i], a[i] * ab[i] - _TWO * (ab[i] - b[i]) * (a[i] - s[i])
            mix[i] = dark if _TWO * b[i] <= ab[i] else light
    elif mode == _HARD_LIGHT:
        for i in range(count):
            dark, light = _TWO * b[i] * s[i], a[i] * ab[i] - _TWO * (ab[i] - b[i]) * (a[i] - s[i])
            mix[i] = dark if _TWO * s[i] <= a[i] else light
    elif mode == _DARKEN:
        for i in range(count):
            mix[i] = min(b[i] * a[i], s[i] * ab[i])
    elif mode == _LIGHTEN:
        for i in range(count):
            mix[i] = max(b[i] * a[i], s[i] * ab[i])
    elif mode == _DIFFERENCE:
        for i in range(count):
            mix[i] = abs(b[i] * a[i] - s[i] * ab[i])
    elif mode == _EXCLUSION:
        for i in range(count):
            mix[i] = b[i] * a[i] + s[i] * ab[i] - _TWO * b[i] * s[i]
    elif mode == _SUBTRACT:
        for i in range(count):
            mix[i] = max(b[i] * a[i] - s[i] * ab[i], _ZERO)
    elif mode == _LINEAR_BURN:
        for i in range(count):
            mix[i] = max(b[i] * a[i] + s[i] * ab[i] - a[i] * ab[i], _ZERO)
    else:
        for i in range(count):
            value = b[i] * a[i] + _TWO * s[i] * ab[i] - a[i] * ab[i]
            mix[i] = min(max(value, _ZERO), a[i] * ab[i])


@kernel
def _lay_all(under, over, mode):  # type: ignore[no-untyped-def]
    """As `lay_over`, for every mode that needs no division: float32 (4 n,). Alphas are laid out four by four first."""
    count = 4 * _CHUNK
    mix, ab, a = np.empty(count, np.float32), np.empty(count, np.float32), np.empty(count, np.float32)
    for start in range(0, under.shape[0], count):
        b, s = under[start : start + count], over[start : start + count]
        here = b.shape[0]
        for x in range(here // 4):
            ab[4 * x] = ab[4 * x + 1] = ab[4 * x + 2] = ab[4 * x + 3] = b[4 * x + 3]
            a[4 * x] = a[4 * x + 1] = a[4 * x + 2] = a[4 * x + 3] = s[4 * x + 3]
        if mode == PLUS_LIGHTER:
            for i in range(here):
                b[i] = min(b[i] + s[i], _ONE)
        elif mode == NORMAL:
            for i in range(here):
                b[i] = s[i] + b[i] * (_ONE - a[i])
        else:
            _mixed(mix[:here], b, s, ab, a, mode)
            for i in range(here):
                b[i] = s[i] * (_ONE - ab[i]) + mix[i] + b[i] * (_ONE - a[i])
            for x in range(here // 4):
                b[4 * x + 3] = a[4 * x] + ab[4 * x] * (_ONE - a[4 * x])


@kernel
def lay_over(under, over, mode):  # type: ignore[no-untyped-def]
    """under = `over` over it by a mode: float32 (n, 4), premultiplied, 0 to 1; section 5, general formula.

    co = cs as (1 - ab) + as ab B(cb, cs) + (1 - as) ab cb. plus-lighter adds, alpha too. Unchecked kernel.
    """
    whole = mode >= _FIRST_WHOLE and mode <= _LAST_WHOLE
    if not whole and mode not in _DIVIDING:
        _lay_all(under.reshape(-1), over.reshape(-1), mode)
        return
    for n in range(under.shape[0]):
        a = over[n, 3]
        if a <= _ZERO:
            continue
        ab, keep = under[n, 3], _ONE - a
        if ab <= _ZERO:
            for c in range(4):
                under[n, c] = over[n, c]
            continue
        # Divided, not multiplied by 1 / alpha: a colour that is its alpha must be 1, since the formulas jump there.
        share = a * ab
        b = (min(under[n, 0] / ab, _ONE), min(under[n, 1] / ab, _ONE), min(under[n, 2] / ab, _ONE))
        s = (min(over[n, 0] / a, _ONE), min(over[n, 1] / a, _ONE), min(over[n, 2] / a, _ONE))
        if whole:
            mixed = _whole_colour(mode, b, s)
        else:
            mixed = (_separable(mode, b[0], s[0]), _separable(mode, b[1], s[1]), _separable(mode, b[2], s[2]))
        clear = _ONE - ab
        for c in range(3):
            under[n, c] = over[n, c] * clear + share * mixed[c] + under[n, c] * keep
        under[n, 3] = a + ab * keep


@kernel
def to_sixteen(value):  # type: ignore[no-untyped-def]
    """0 to 1 as 16 bits, rounded half up."""
    return np.uint16(np.int32(value * _FULL + _HALF))


@kernel
def round_pixels(out, floats):  # type: ignore[no-untyped-def]
    """out = floats as 16 bits, rounded half up, no colour above its alpha: uint16, float32 (4 n,); unchecked."""
    for x in range(out.shape[0] // 4):
        cover = min(max(floats[4 * x + 3], _ZERO), _ONE)
        out[4 * x] = to_sixteen(min(max(floats[4 * x], _ZERO), cover))
        out[4 * x + 1] = to_sixteen(min(max(floats[4 * x + 1], _ZERO), cover))
        out[4 * x + 2] = to_sixteen(min(max(floats[4 * x + 2], _ZERO), cover))
        out[4 * x + 3] = to_sixteen(cover)


@kernel
def blend_pixels(out, under, over, strength, mode):  # type: ignore[no-untyped-def]
    """Rows of premultiplied 16-bit pixels, (n, 4): out = over x strength, by a mode, over under; unchecked kernel."""
    each = strength.shape[0] > 1
    below, above = np.empty((_CHUNK, 4), np.float32), np.empty((_CHUNK, 4), np.float32)
    flat_below, flat_above = below.reshape(-1), above.reshape(-1)
    to, from_under, from_over = out.reshape(-1), under.reshape(-1), over.reshape(-1)
    for start in range(0, out.shape[0], _CHUNK):
        many = min(_CHUNK, out.shape[0] - start)
        b, s = from_under[4 * start : 4 * (start + many)], from_over[4 * start : 4 * (start + many)]
        for i in range(4 * many):
            flat_below[i] = np.float32(b[i]) * _BACK
        if each:
            for i in range(4 * many):
                flat_above[i] = np.float32(s[i]) * (_BACK * strength[start + i // 4])
        else:
            share = _BACK * strength[0]
            for i in range(4 * many):
                flat_above[i] = np.float32(s[i]) * share
        lay_over(below[:many], above[:many], mode)
        round_pixels(to[4 * start : 4 * (start + many)], flat_below[: 4 * many])


def blend(under: NDArray[np.uint16], over: NDArray[np.uint16], mode: str, strength: Any = _ONE) -> NDArray[np.uint16]:
    """Lay premultiplied 16-bit pixels over others: source-over with a mode.

    strength: a number or float32 (rows, columns, 1) in 0 to 1, times the upper picture's alpha. Raises UnknownName.
    """
    number = mode_number(mode)
    under, over = np.ascontiguousarray(under), np.ascontiguousarray(over)
    out = np.empty_like(under)

    def band(top: int, bottom: int) -> None:
        part = np.full(1, strength, np.float32) if np.ndim(strength) == 0 else strength[top:bottom]
        rows = (one[top:bottom].reshape(-1, 4) for one in (out, under, over))
        blend_pixels(*rows, np.ascontiguousarray(part, np.float32).reshape(-1), number)

    in_bands(under.shape[0], under.shape[1], band)
    return out
