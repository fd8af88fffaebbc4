"""Colourways: named sets of colours swapped through a picture. Which colours a picture has, and what it is in others.

A px is told by the pair of the picture's colours between which it lies best, by how far along it lies, and by what is
left over. Where no colour is black or white, both stand for themselves, so that shades become shades. In another
colourway it lies as far between the two that stand for them, with the same left over: a soft border between two colours
stays one, and what is exactly a colour becomes exactly the other. Of pairs that fit alike the one counts that mixes
least: a grey that is itself a colour is no mix of black and white. All on sRGB-encoded colour, in which paint is mixed
here, so that what was mixed lies on a straight line.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.cluster.vq import kmeans2

from orvix.bands import in_bands
from orvix.colour.spaces import to_oklab
from orvix.compiling import kernel_with
from orvix.errors import BadValue
from orvix.pictures.colours import hex_of, hex_to_rgb
from orvix.pictures.packing import Pixels
from orvix.registry import check_colour

MOST_COLOURS, MOST_COLOURWAYS = 12, 12
_SAMPLED = 40_000
_NEAR = 0.045
"""Colours nearer than this in OKLab count as one."""
_SHARE = 0.004
"""What holds less of a picture is none of its colours."""
_FLAT = 0.08
"""A colour that this share of its px has exactly is a flat one, and is taken as it is."""
_END = 0.12
"""Where no colour is so near black or white, that stands for itself: shades of a colour become shades of the other."""
_MIXING = np.float32(0.03)
"""How much worse a pair counts for mixing: this times t (1 - t) of its length, squared."""


@dataclass(frozen=True)
class Colourway:
    """A name, and pairs of a colour and what stands for it, as `#rrggbb`."""

    name: str
    swaps: tuple[tuple[str, str], ...]

    @classmethod
    def parse(cls, told: Any) -> Colourway:
        """From outside; raises BadValue."""
        if not isinstance(told, Mapping) or not isinstance(told.get("swaps"), list):
            raise BadValue("colourway", str(told)[:60], "must be an object with a name and a list of swaps")
        name = told.get("name")
        if not isinstance(name, str) or not 1 <= len(name.strip()) <= 40:
            raise BadValue("colourway", str(name)[:60], "must have a name of 1 to 40 characters")
        if not 1 <= len(told["swaps"]) <= MOST_COLOURS:
            raise BadValue("swaps", len(told["swaps"]), f"must be 1 to {MOST_COLOURS}")
        swaps = []
        for pair in told["swaps"]:
            if not isinstance(pair, list | tuple) or len(pair) != 2:
                raise BadValue("swap", str(pair)[:60], "must be two colours")
            swaps.append((check_colour("colour", pair[0]), check_colour("colour", pair[1])))
        if len({one for one, _ in swaps}) < len(swaps):
            raise BadValue("swaps", name, "must not swap one colour twice")
        return cls(name.strip(), tuple(swaps))

    def as_dict(self) -> dict[str, Any]:
        """As `parse` reads it."""
        return {"name": self.name, "swaps": [list(pair) for pair in self.swaps]}


def parse_colourways(told: Any) -> tuple[Colourway, ...]:
    """A list of colourways, each with a name of its own; raises BadValue."""
    if not isinstance(told, list) or len(told) > MOST_COLOURWAYS:
        raise BadValue("colourways", str(told)[:60], f"must be a list of at most {MOST_COLOURWAYS}")
    found = tuple(Colourway.parse(one) for one in told)
    if len({one.name for one in found}) < len(found):
        raise BadValue("colourways", [one.name for one in found], "must each have a name of its own")
    return found


def colours_of(pixels: Pixels, most: int = 8) -> list[tuple[str, float]]:
    """The colours of a picture and the share of what is painted that each has, the most first; at most `most`.

    pixels: uint16 (rows, columns, 4), premultiplied. A flat colour is told as it is, one that shades as its mean.
    Clusters of OKLab by k-means (Lloyd, "Least Squares Quantization in PCM", 1982), from the same start every time;
    those that are near each other are one. Empty for a picture that is clear.
    """
    flat = pixels.reshape(-1, 4)
    flat = flat[:: max(len(flat) // (4 * _SAMPLED), 1)]
    flat = flat[flat[:, 3] > 32768]
    flat = flat[:: max(len(flat) // _SAMPLED, 1)]
    if not len(flat):
        return []
    rgb = np.rint(flat[:, :3] / flat[:, 3:].astype(np.float64) * 255).clip(0, 255).astype(np.uint8)
    lab = to_oklab(rgb / 255)
    kinds = len(np.unique(rgb @ np.array([65536, 256, 1])))
    many = min(2 * most, max(kinds, 1), len(lab))
    centres, label = kmeans2(lab, many, minit="++", seed=1, missing="warn") if many > 1 else (lab[:1], lab[:, 0] * 0)
    found: list[tuple[float, NDArray[np.float64], NDArray[np.uint8]]] = []
    for n in sorted(range(len(centres)), key=lambda one: -int((label == one).sum())):
        inside = rgb[label == n]
        share = len(inside) / len(rgb)
        if not len(inside) or share < _SHARE:
            continue
        colour = _colour_of(inside)
        place = to_oklab(colour / 255)
        near = next((k for k, (_, other, _) in enumerate(found) if np.linalg.norm(other - place) < _NEAR), None)
        if near is None:
            found.append((share, place, colour))
        else:
            found[near] = (found[near][0] + share, *found[near][1:])
    found.sort(key=lambda one: -one[0])
    return [(hex_of(colour), share) for share, _, colour in found[:most]]


def _colour_of(inside: NDArray[np.uint8]) -> NDArray[np.uint8]:
    each, many = np.unique(inside, axis=0, return_counts=True)
    if many.max() >= _FLAT * len(inside):
        return each[many.argmax()]
    return np.rint(inside.mean(axis=0)).astype(np.uint8)


def recoloured(pixels: Pixels, swaps: Sequence[tuple[str, str]]) -> Pixels:
    """A picture with its colours swapped, alpha as it was; pixels: uint16 (rows, columns, 4), premultiplied.

    swaps: 1 to 12 pairs of a colour and what stands for it; a colour that stays must be named as well, or what is near
    it follows the nearest that is.
    """
    old, new = (np.array([hex_to_rgb(pair[n]) for pair in swaps], np.float32) for n in (0, 1))
    for end in np.eye(2, 1, dtype=np.float32).repeat(3, axis=1):
        if np.linalg.norm(to_oklab(old) - to_oklab(end), axis=1).min() > _END:
            old, new = np.vstack([old, end]), np.vstack([new, end])
    out = np.empty_like(pixels)

    def band(top: int, bottom: int) -> None:
        given = np.ascontiguousarray(pixels[top:bottom]).reshape(-1, 4)
        _swap(given, old, new, out[top:bottom].reshape(-1, 4))

    in_bands(pixels.shape[0], pixels.shape[1], band)
    return out


@kernel_with(fastmath={"contract"})
def _swap(pixels, old, new, out):  # type: ignore[no-untyped-def]
    many = len(old)
    zero, one, half, full = np.float32(0), np.float32(1), np.float32(0.5), np.float32(65535)
    for n in range(len(pixels)):
        alpha = np.float32(pixels[n, 3])
        out[n, 3] = pixels[n, 3]
        if alpha == zero:
            out[n, 0] = out[n, 1] = out[n, 2] = 0
            continue
        r, g, b = pixels[n, 0] / alpha, pixels[n, 1] / alpha, pixels[n, 2] / alpha
        best, at, first, second = np.float32(1e9), zero, 0, 0
        for i in range(many):
            pr, pg, pb = r - old[i, 0], g - old[i, 1], b - old[i, 2]
            apart = pr * pr + pg * pg + pb * pb
            if apart < best:
                best, at, first, second = apart, zero, i, i
            for j in range(i + 1, many):
                lr, lg, lb = old[j, 0] - old[i, 0], old[j, 1] - old[i, 1], old[j, 2] - old[i, 2]
                long = lr * lr + lg * lg + lb * lb
                t = (pr * lr + pg * lg + pb * lb) / long
                if t <= zero or t >= one:
                    continue
                fits = max(apart - t * t * long, zero) + _MIXING * t * (one - t) * long
                if fits < best:
                    best, at, first, second = fits, t, i, j
        for k in range(3):
            before = old[first, k] + at * (old[second, k] - old[first, k])
            after = new[first, k] + at * (new[second, k] - new[first, k])
            own = pixels[n, k] / alpha
            value = min(max(own - before + after, zero), one) * alpha
            out[n, k] = np.uint16(min(value + half, full))
