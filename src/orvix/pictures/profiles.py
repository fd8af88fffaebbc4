"""Colours of a file converted to sRGB, as the ICC profile in it describes them.

LittleCMS reads the profile: relative colorimetric with black point compensation, never rounded to 8 bits. Most RGB
profiles are a matrix with three curves; those are sampled once and then added up channel by channel, which is some
ten times faster and as exact. Nothing here reads a file.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from io import BytesIO
from typing import Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import ImageCms

from orvix.bands import in_bands

Samples = NDArray[np.uint16]
Floats = NDArray[np.float32]
CHANNELS = {b"GRAY": 1, b"RGB ": 3, b"CMYK": 4}
"""What an ICC header calls the colour spaces that are read (ICC.1:2022, table 19), and how many channels they have."""
WHITE = (0.3127, 0.3290)
PRIMARIES = ((0.64, 0.33), (0.30, 0.60), (0.15, 0.06))
"""The chromaticities of sRGB's white, and of its red, green and blue (IEC 61966-2-1)."""
_LAYOUTS = {1: "gray", 3: "rgb", 4: "cmyk"}
_RELATIVE = 1
_EXACT = 0x0100 | 0x2000
"""No resampling into a coarse table (up to 26 of 255 levels off), and black point compensation."""
_SAME = 0.6 / 255
"""A profile that moves no colour by more than this is sRGB under another name."""
_FITS = 2 / 255
"""A channel further out of 0 to 1 than this does not fit."""
_UNNAMED = "RGB built-in"
"""What LittleCMS calls the profiles that `described_profile` makes."""
_CELLS = 16
_MOST_CHECKED = 1 << 19


class BadProfile(Exception):
    """A profile that cannot be read, or is not for pictures of this kind; it says why."""


@dataclass(frozen=True)
class Misfit:
    """Colours that sRGB cannot hold: their share of the picture, 0 to 1, and where most of them are, x and y in shares
    of the picture."""

    share: float
    at: tuple[float, float]

    @property
    def words(self) -> str:
        """For people."""
        percent = 100 * self.share
        much = f"{percent:.0f} %" if percent >= 1 else "less than 1 %"
        return (
            f"{much} of it has colours that sRGB cannot hold, clipped to the strongest that it can; most of them are "
            f"{100 * self.at[0]:.0f} % from the left and {100 * self.at[1]:.0f} % from the top"
        )


def space_of(profile: bytes) -> int:
    """How many channels pictures with this profile have: 1, 3 or 4. Raises BadProfile."""
    if len(profile) < 132 or profile[36:40] != b"acsp" or profile[16:20] not in CHANNELS:
        raise BadProfile("is broken, or not for grey, RGB or CMYK")
    return CHANNELS[profile[16:20]]


def name_of(profile: bytes) -> str:
    """What a profile calls itself, at most 60 characters; empty where it does not."""
    try:
        told = ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(BytesIO(profile)))
    except (ImageCms.PyCMSError, OSError, ValueError, UnicodeError):
        return ""
    name = " ".join("".join(one if one.isprintable() else " " for one in told).split())[:60]
    return "" if name == _UNNAMED else name


def described_profile(
    white: tuple[float, float], primaries: tuple[tuple[float, float], ...], gamma: float | None
) -> bytes:
    """A profile of a display: chromaticities x, y of white and of red, green and blue; gamma, or none for the curve of
    sRGB. Raises BadProfile for what no display can have."""
    flat = [part for x, y in primaries for part in (x, y, 1.0)]
    try:
        if gamma is None:
            curve = np.asarray(_srgb_to_linear(np.linspace(0, 1, 4096)), np.float32)
            made = imagecodecs.cms_profile("rgb", whitepoint=[*white, 1.0], primaries=flat, transferfunction=curve)
        else:
            made = imagecodecs.cms_profile("rgb", whitepoint=[*white, 1.0], primaries=flat, gamma=gamma)
    except (ValueError, RuntimeError) as error:
        raise BadProfile("describes colours that no display has") from error
    return bytes(made)


def to_srgb(samples: Samples, profile: bytes) -> tuple[Samples, Misfit | None] | None:
    """Straight samples (rows, columns, 1, 3 or 4 channels) as sRGB-encoded (rows, columns, 3), and what did not fit.

    A grey picture with a profile for RGB is taken as R = G = B. None where the profile is sRGB within 0.6 of 255
    levels, so that nothing has to change. Raises BadProfile.
    """
    channels = space_of(profile)
    if channels != samples.shape[2]:
        if (samples.shape[2], channels) != (1, 3):
            raise BadProfile(f"is for {channels} channels, and the picture has {samples.shape[2]}")
        samples = np.repeat(samples, 3, axis=2)
    convert = _converter(profile)
    if convert is None:
        return None
    out = np.empty((*samples.shape[:2], 3), np.uint16)

    def work(top: int, bottom: int) -> None:
        linear = convert(samples[top:bottom])
        out[top:bottom] = _linear_to_srgb(linear) * 65535 + 0.5

    in_bands(samples.shape[0], samples.shape[1], work)
    return out, _misfit(samples, out, convert)


Converter = Callable[[Samples], Floats]


@lru_cache(maxsize=8)
def _converter(profile: bytes) -> Converter | None:
    """From samples to linear sRGB, not held to 0 to 1; none where the profile is sRGB already."""
    channels = space_of(profile)
    exact = _through(profile, channels)
    steps = np.linspace(0, 65535, 9 if channels > 1 else 256).astype(np.uint16)
    grid = np.stack(np.meshgrid(*[steps] * channels, indexing="ij"), axis=-1).reshape(1, -1, channels)
    found = exact(grid)
    if channels == 3 and np.abs(_linear_to_srgb(found) - grid / 65535).max() <= _SAME:
        return None
    if channels == 4:
        return exact
    ramp = np.arange(65536, dtype=np.uint16)
    black = exact(np.zeros((1, 1, channels), np.uint16))[0, 0]
    curves = np.zeros((channels, 65536, 3), np.float32)
    for n in range(channels):
        alone = np.zeros((256, 256, channels), np.uint16)
        alone[..., n] = ramp.reshape(256, 256)
        curves[n] = exact(alone).reshape(-1, 3) - black * (n > 0)

    def added(samples: Samples) -> Floats:
        out = curves[0][samples[..., 0]]
        for n in range(1, channels):
            out += curves[n][samples[..., n]]
        return out

    return added if np.abs(added(grid) - found).max() < 2e-4 else exact


def _through(profile: bytes, channels: int) -> Converter:
    linear = _linear_profile()

    def convert(samples: Samples) -> Floats:
        try:
            out = imagecodecs.cms_transform(
                np.ascontiguousarray(samples), profile, linear, colorspace=_LAYOUTS[channels], outcolorspace="rgb",
                outdtype=np.float32, intent=_RELATIVE, flags=_EXACT,
            )  # fmt: skip
        except (ValueError, RuntimeError) as error:
            raise BadProfile("is broken") from error
        found: Any = np.asarray(out).reshape(*samples.shape[:2], 3)
        if not np.isfinite(found).all():
            raise BadProfile("is broken")
        return found  # type: ignore[no-any-return]

    return convert


@lru_cache(maxsize=1)
def _linear_profile() -> bytes:
    """The primaries and the white of sRGB (IEC 61966-2-1) without its curve."""
    return described_profile(WHITE, PRIMARIES, 1.0)


def _srgb_to_linear(encoded: Any) -> Any:
    return np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4)


def _linear_to_srgb(linear: Floats) -> Floats:
    """Encoded by IEC 61966-2-1 and held to 0 to 1."""
    held = np.clip(linear, 0, 1)
    bright = np.float32(1.055) * held ** np.float32(1 / 2.4) - np.float32(0.055)
    return np.where(held <= 0.0031308, held * np.float32(12.92), bright)


def _misfit(samples: Samples, out: Samples, convert: Converter) -> Misfit | None:
    """What did not fit, looked for where a channel came out at an end."""
    ends = ((out == 0) | (out == 65535)).any(axis=2)
    ys, xs = np.nonzero(ends)
    if not len(ys):
        return None
    step = -(-len(ys) // _MOST_CHECKED)
    ys, xs = ys[::step], xs[::step]
    linear = convert(samples[ys, xs][None])[0]
    beyond = np.where(linear < 0, linear * 12.92, np.where(linear > 1, (linear - 1) / 2.4, 0))
    away = (np.abs(beyond) > _FITS).any(axis=1)
    if not away.any():
        return None
    rows, columns = ends.shape
    cells = (ys[away] * _CELLS // rows) * _CELLS + xs[away] * _CELLS // columns
    most = int(np.bincount(cells, minlength=_CELLS * _CELLS).argmax())
    at = ((most % _CELLS + 0.5) / _CELLS, (most // _CELLS + 0.5) / _CELLS)
    return Misfit(min(float(away.sum()) * step / ends.size, 1.0), at)
