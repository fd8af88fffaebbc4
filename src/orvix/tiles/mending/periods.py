"""Finding the repeat of a picture: the two shortest vectors by which it comes back, from its autocorrelation.

The autocorrelation is taken of the picture less its coarse part, over the px that overlap, by FFT. Its highest peaks
are the repeat's vectors; the shortest two that are not parallel span it, and all their sums in sight refine them.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from math import atan2, degrees, hypot

import cv2
import numpy as np
import scipy.fft
from numpy.typing import NDArray

from orvix.errors import BadValue
from orvix.pictures.writing import LUMA

Floats = NDArray[np.float32]
Vector = tuple[float, float]
LEAST_PX = 12
SURE, UNSURE = 0.6, 0.25
_SIDE = 1024


@dataclass(frozen=True)
class Period:
    """A repeat found on a picture.

    across, down: its vectors in px of the picture, to the right and downwards; repeat, stagger: how copies lie when
    they are laid out as a tile of size (width, height) in px; turn_deg: how far the picture is turned
    (anticlockwise); strength: how alike copies are (autocorrelation, 1 is equal).
    """

    across: Vector
    down: Vector
    repeat: str
    stagger: Fraction
    size: tuple[int, int]
    turn_deg: float
    strength: float


def find_period(picture: Floats) -> Period:
    """The repeat of a picture, float32 (rows, columns, 3 or more) in 0 to 1; raises BadValue where none is found."""
    grey = picture[..., :3] @ np.array(LUMA, np.float32)
    scale = max(max(grey.shape) / _SIDE, 1.0)
    if scale > 1:
        grey = cv2.resize(
            grey, (round(grey.shape[1] / scale), round(grey.shape[0] / scale)), interpolation=cv2.INTER_AREA
        )
    heights = autocorrelation(grey)
    peaks = _peaks(heights)
    if not peaks or peaks[0][2] < UNSURE:
        raise BadValue(
            "picture",
            f"{picture.shape[1]}x{picture.shape[0]}",
            "No repeat found. The picture shows no part twice. Use the whole picture.",
        )
    strongest = peaks[0][2]
    good = sorted((p for p in peaks if p[2] > max(0.86 * strongest, UNSURE)), key=lambda p: hypot(p[0], p[1]))
    first = good[0]
    second = next((p for p in good[1:] if _apart(first, p)), None)
    if second is None:
        raise BadValue(
            "picture",
            f"{picture.shape[1]}x{picture.shape[0]}",
            "The picture repeats in one direction only. Use one with at least two copies each way.",
        )
    basis = _refined(heights, np.array([first[:2], second[:2]], np.float64))
    return _laid_out(basis * scale, min(first[2], second[2]))


def autocorrelation(grey: Floats) -> Floats:
    """Normalised autocorrelation (2 rows - 1, 2 columns - 1), no shift in the middle; 0 where too little overlaps."""
    fine = grey - cv2.GaussianBlur(grey, (0, 0), max(grey.shape) / 8)
    rows, columns = fine.shape
    size = (scipy.fft.next_fast_len(2 * rows - 1, real=True), scipy.fft.next_fast_len(2 * columns - 1, real=True))

    def correlate(a: Floats, b: Floats) -> NDArray[np.float64]:
        spectrum = scipy.fft.rfft2(a, size, workers=2) * scipy.fft.rfft2(b, size, workers=2).conj()
        full = scipy.fft.irfft2(spectrum, size, workers=2)
        full = np.roll(full, (rows - 1, columns - 1), axis=(0, 1))
        return np.asarray(full[: 2 * rows - 1, : 2 * columns - 1], np.float64)

    ones = np.ones_like(fine)
    overlap, products = correlate(ones, ones), correlate(fine, fine)
    squares = correlate(fine * fine, ones)
    energy = np.sqrt(np.maximum(squares * squares[::-1, ::-1], 1e-12))
    return np.where(overlap > 0.2 * rows * columns, products / energy, 0).astype(np.float32)


def _peaks(heights: Floats) -> list[tuple[float, float, float]]:
    """Local maxima of half the plane, away from the middle: (x, y, height), the highest first."""
    rows, columns = heights.shape
    my, mx = rows // 2, columns // 2
    top = cv2.dilate(heights, np.ones((9, 9), np.uint8))
    at_y, at_x = np.nonzero((heights == top) & (heights > UNSURE / 2))
    found = []
    for y, x in zip(at_y.tolist(), at_x.tolist(), strict=True):
        dx, dy = x - mx, y - my
        if hypot(dx, dy) >= LEAST_PX and (dx > 0 or (dx == 0 and dy > 0)):
            found.append((float(dx), float(dy), float(heights[y, x])))
    return sorted(found, key=lambda peak: -peak[2])[:400]


def _apart(a: tuple[float, float, float], b: tuple[float, float, float]) -> bool:
    return abs(a[0] * b[1] - a[1] * b[0]) > 0.25 * hypot(a[0], a[1]) * hypot(b[0], b[1])


def _refined(heights: Floats, basis: NDArray[np.float64]) -> NDArray[np.float64]:
    """The basis (two rows x, y) fitted to the tops of all its sums in sight, nearest first."""
    rows, columns = heights.shape
    sums = sorted(
        ((i, j) for i in range(-12, 13) for j in range(-12, 13) if (i, j) != (0, 0)),
        key=lambda ij: hypot(*(np.array(ij) @ basis)),
    )
    counts, tops = [], []
    for i, j in sums:
        at = np.array((i, j)) @ basis
        x, y = round(at[0]) + columns // 2, round(at[1]) + rows // 2
        if not (4 <= x < columns - 4 and 4 <= y < rows - 4):
            continue
        part = heights[y - 3 : y + 4, x - 3 : x + 4]
        dy, dx = (int(n) - 3 for n in np.unravel_index(int(np.argmax(part)), part.shape))
        if heights[y + dy, x + dx] < UNSURE / 2 or max(abs(dx), abs(dy)) > 2:
            continue
        fx, fy = _top(heights[y + dy - 1 : y + dy + 2, x + dx - 1 : x + dx + 2])
        counts.append((i, j))
        tops.append((x + dx + fx - columns // 2, y + dy + fy - rows // 2))
        if len(counts) >= 6:
            basis = np.linalg.lstsq(np.array(counts, np.float64), np.array(tops), rcond=None)[0]
    return np.asarray(basis, np.float64)


def _top(part: Floats) -> Vector:
    """Where the top of a 3 x 3 part lies beside its middle, by parabolas."""

    def along(a: float, b: float, c: float) -> float:
        bend = a - 2 * b + c
        return 0.0 if bend >= 0 else float(np.clip(0.5 * (a - c) / bend, -0.5, 0.5))

    return along(part[1, 0], part[1, 1], part[1, 2]), along(part[0, 1], part[1, 1], part[2, 1])


def _laid_out(basis: NDArray[np.float64], strength: float) -> Period:
    """The basis as a tile: straight where two of its sums stand square, else columns with a stagger."""
    area = abs(float(np.linalg.det(basis)))
    sums = [np.array((i, j)) @ basis for i in range(-4, 5) for j in range(-4, 5) if (i, j) != (0, 0)]
    level = [v for v in sums if v[0] > 0 and abs(v[1]) <= v[0]]
    upright = [v for v in sums if v[1] > 0 and abs(v[0]) < v[1]]
    best = min(
        ((u, v) for u in level for v in upright),
        key=lambda pair: (round(_index(pair, area)) > 1, _lean(pair), hypot(*pair[0]) + hypot(*pair[1])),
    )
    if round(_index(best, area)) == 1 and _lean(best) < 0.03:
        u, v = best
        return _period(u, v, "straight", Fraction(0), strength)
    # No square pair spans it: the most upright short vector is a column, and its neighbour lies some share lower.
    v = min(upright, key=lambda one: hypot(*one) * (1 + 4 * abs(one[0]) / one[1]))
    beside = [u for u in sums if abs(abs(u[0] * v[1] - u[1] * v[0]) - area) < 0.01 * area and u[0] > 0]
    u = min(
        beside, key=lambda one: abs(float(one @ v)) if float(one @ v) >= -1e-6 * area else 1e12 + abs(float(one @ v))
    )
    share = float(u @ v) / float(v @ v)
    return _period(u, v, "half-drop", Fraction(share).limit_denominator(12), strength)


def _index(pair: tuple[NDArray[np.float64], NDArray[np.float64]], area: float) -> float:
    u, v = pair
    return (
        max(abs(float(u[0] * v[1] - u[1] * v[0])) / area, 1e-9) if abs(u[0] * v[1] - u[1] * v[0]) > 0.5 * area else 99.0
    )


def _lean(pair: tuple[NDArray[np.float64], NDArray[np.float64]]) -> float:
    """How far from square two vectors stand, as the cosine between them."""
    u, v = pair
    return round(abs(float(u @ v)) / (hypot(*u) * hypot(*v)), 3)


def _period(u: NDArray[np.float64], v: NDArray[np.float64], repeat: str, stagger: Fraction, strength: float) -> Period:
    height = hypot(*v)
    width = abs(float(u[0] * v[1] - u[1] * v[0])) / height
    turn = -(degrees(atan2(v[1], v[0])) - 90)
    return Period(
        (float(u[0]), float(u[1])), (float(v[0]), float(v[1])), repeat, stagger % 1, (round(width), round(height)),
        turn, strength,
    )  # fmt: skip
