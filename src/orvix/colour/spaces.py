"""A colour as people name it: hex, hue with saturation and brightness, or OKLCH. All of sRGB.

HSB is Smith's hexcone ("Color Gamut Transform Pairs", 1978). OKLCH is that of CSS Color Module Level 4, section 9.3
(Björn Ottosson's Oklab, D65), with the sRGB transfer function; what lies outside sRGB is brought in by less chroma.
"""

from __future__ import annotations

from colorsys import hsv_to_rgb, rgb_to_hsv
from math import atan2, cos, degrees, hypot, radians, sin
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.errors import BadValue, UnknownName
from orvix.registry import check_colour

SPACES = ("hex", "hsb", "oklch")
_LIMITS = {"hsb": ((0, 360), (0, 100), (0, 100)), "oklch": ((0, 100), (0, 0.5), (0, 360))}
_TO_LMS = np.array(
    [[0.4122214708, 0.5363325363, 0.0514459929], [0.2119034982, 0.6806995451, 0.1073969566],
     [0.0883024619, 0.2817188376, 0.6299787005]]
)  # fmt: skip
_TO_LAB = np.array(
    [[0.2104542553, 0.7936177850, -0.0040720468], [1.9779984951, -2.4285922050, 0.4505937099],
     [0.0259040371, 0.7827717662, -0.8086757660]]
)  # fmt: skip
_ROOM = 1e-4


def described(space: str, given: Any) -> dict[str, Any]:
    """A colour told in one of SPACES, in all of them.

    given: `#rrggbb`; or degrees and two percents; or percent, chroma 0 to 0.5 and degrees. Raises BadValue.
    Answers {"hex", "hsb": [3], "oklch": [3], "inside": whether it was within sRGB as it was told}.
    """
    if space not in SPACES:
        raise UnknownName("colour space", space, list(SPACES))
    inside = True
    if space == "hex":
        rgb = np.array([int(check_colour("colour", given)[n : n + 2], 16) for n in (1, 3, 5)]) / 255
    else:
        numbers = _checked(space, given)
        if space == "hsb":
            rgb = np.array(hsv_to_rgb(numbers[0] / 360 % 1, numbers[1] / 100, numbers[2] / 100))
        else:
            rgb, inside = _from_oklch(numbers[0] / 100, numbers[1], numbers[2])
    hue, saturation, brightness = rgb_to_hsv(*rgb)
    light, chroma, turn = _to_oklch(rgb)
    hexed = "#" + "".join(f"{round(255 * float(one)):02x}" for one in np.clip(rgb, 0, 1))
    hsb = [round(360 * hue, 1), round(100 * saturation, 1), round(100 * brightness, 1)]
    return {
        "hex": hexed,
        "hsb": hsb,
        "oklch": [round(100 * light, 2), round(chroma, 4), round(turn, 1)],
        "inside": inside,
    }


def _checked(space: str, given: Any) -> list[float]:
    if not isinstance(given, list | tuple) or len(given) != 3:
        raise BadValue(space, str(given)[:60], "must be three numbers")
    for value, (low, high) in zip(given, _LIMITS[space], strict=True):
        if isinstance(value, bool) or not isinstance(value, int | float) or not low <= value <= high:
            raise BadValue(space, str(value)[:40], f"must be {low} to {high} here")
    return [float(one) for one in given]


def _linear(rgb: Any) -> Any:
    return np.where(rgb <= 0.04045, rgb / 12.92, ((np.maximum(rgb, 0) + 0.055) / 1.055) ** 2.4)


def _encoded(linear: Any) -> Any:
    bright = 1.055 * np.maximum(linear, 1e-12) ** (1 / 2.4) - 0.055
    return np.where(linear <= 0.0031308, linear * 12.92, bright)


def _to_oklch(rgb: Any) -> tuple[float, float, float]:
    light, a, b = _TO_LAB @ np.cbrt(_TO_LMS @ _linear(rgb))
    chroma = hypot(a, b)
    return float(light), chroma, degrees(atan2(b, a)) % 360 if chroma > 1e-5 else 0.0


def to_oklab(rgb: Any) -> NDArray[np.float64]:
    """sRGB-encoded colours (..., 3) in 0 to 1 as OKLab (..., 3)."""
    lab: NDArray[np.float64] = np.cbrt(_linear(np.asarray(rgb, np.float64)) @ _TO_LMS.T) @ _TO_LAB.T
    return lab


def chroma_of(rgb: NDArray[np.uint8]) -> NDArray[np.float64]:
    """The OKLCH chroma of 8-bit sRGB colours (n, 3), as (n,)."""
    lab = to_oklab(rgb / 255)
    return np.hypot(lab[:, 1], lab[:, 2])


def _from_oklch(light: float, chroma: float, turn: float) -> tuple[Any, bool]:
    """sRGB, and whether it lay inside; else with as much chroma as sRGB holds at that lightness and hue."""

    def at(some: float) -> Any:
        lab = np.array([light, some * cos(radians(turn)), some * sin(radians(turn))])
        return np.linalg.solve(_TO_LMS, np.linalg.solve(_TO_LAB, lab) ** 3)

    def fits(linear: Any) -> bool:
        return bool((linear >= -_ROOM).all() and (linear <= 1 + _ROOM).all())

    if fits(at(chroma)):
        return np.clip(_encoded(np.clip(at(chroma), 0, 1)), 0, 1), True
    low, high = 0.0, chroma
    for _ in range(24):
        middle = (low + high) / 2
        low, high = (middle, high) if fits(at(middle)) else (low, middle)
    return np.clip(_encoded(np.clip(at(low), 0, 1)), 0, 1), False
