"""Overlaps: where a picture is cut so that its ends can lie over each other, and the least-error cut through them.

All of it works along columns: `across` closes left and right; down is the transpose.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.compiling import kernel_with

Floats = NDArray[np.float32]
COST_OF_LOSS, REGULAR = 0.35, 0.6
"""What losing the whole picture would cost, in errors; and how much better than most lengths a regular one is."""

SMALL = 320
"""Overlaps are sought on a picture reduced to about this many px a side."""


@dataclass(frozen=True)
class Overlap:
    """start: first column used; length: columns of the closed picture; band: columns that lie over each other.

    Columns start + length to start + length + band lie over start to start + band. error: the mean squared difference
    there over the picture's variance (2 is unrelated). regular: whether another length is much worse.
    """

    start: int
    length: int
    band: int
    error: float
    regular: bool


def best_overlap(lab: Floats, band_share: float, least_share: float = 0.66, moved: int = 0) -> Overlap:
    """The overlap of least error of a Lab picture (rows, columns, 3), by its length and where it begins.

    moved: rows by which the right end is rolled up before it is compared, for staggered columns. Losing material
    costs a little, so that pictures without any order are used nearly whole.
    """
    rows, columns = lab.shape[:2]
    factor = max(max(rows, columns) / SMALL, 1.0)
    small = cv2.resize(
        lab, (max(round(columns / factor), 8), max(round(rows / factor), 8)), interpolation=cv2.INTER_AREA
    )
    shift = round(moved * small.shape[0] / rows)
    band = max(round(band_share * small.shape[1]), 2)
    found = _search(small, band, int(least_share * small.shape[1]), small.shape[1] - band, shift, None)
    scale = columns / small.shape[1]
    full_band = max(round(band_share * columns), 2)
    near = round(found.length * scale)
    reach = int(np.ceil(scale)) + 1
    start = round(found.start * scale)
    fine = _search(
        lab,
        full_band,
        near - reach,
        min(near + reach, columns - full_band),
        moved,
        (start - 2 * reach, start + 2 * reach),
    )
    return Overlap(fine.start, fine.length, full_band, fine.error, found.regular)


def _search(lab: Floats, band: int, least: int, most: int, moved: int, starts: tuple[int, int] | None) -> Overlap:
    columns = lab.shape[1]
    even = lab - lab.mean(axis=(0, 1))
    variance = float(np.square(even).mean(axis=(0, 1)).sum()) + 1e-3
    lengths = range(max(least, 2 * band, 8), max(most, max(least, 2 * band, 8)) + 1)
    low, high = (0, columns) if starts is None else (max(starts[0], 0), max(starts[1], 0) + band + 1)
    between = _Differences(even, moved, (low, high), (low + lengths[0], high + lengths[-1]))
    errors, places = [], []
    for length in lengths:
        free = columns - length - band
        if free < 0:
            break
        first, last = (0, free) if starts is None else (max(min(starts[0], free), 0), max(min(starts[1], free), 0))
        sums = np.cumsum(np.concatenate([[0.0], between.at(first, last + band, length)]))
        # Rounded, so that of places that are alike the first is taken.
        over = np.round((sums[band:] - sums[:-band]) / band / variance, 7)
        best = int(np.argmin(over))
        errors.append(float(over[best]))
        places.append(first + best)
    lost = np.array([1 - (lengths[n] + band) / columns for n in range(len(errors))])
    pick = int(np.argmin(np.array(errors) + COST_OF_LOSS * lost))
    regular = errors[pick] < REGULAR * float(np.median(errors))
    if not regular and starts is None:
        # Without order one length is as good as another: the longest few, so that nearly all of the picture is used.
        longest = max(len(errors) - max(columns // 24, 2), 0)
        pick = longest + int(np.argmin(errors[longest:]))
    return Overlap(places[pick], lengths[pick], band, errors[pick], regular)


class _Differences:
    """Mean squared differences of the columns of a picture (rows, columns, 3), as what they have in common takes from
    their squares: |a|^2 + |b|^2 - 2 ab, one product of matrices for all pairs.

    here, there: which columns, from and to, are to be compared with which; those there are rolled up by `moved` rows.
    """

    def __init__(self, even: Floats, moved: int, here: tuple[int, int], there: tuple[int, int]) -> None:
        columns = even.shape[1]
        self._here, self._there = min(here[0], columns), min(there[0], columns)
        flat = even.transpose(1, 0, 2).astype(np.float64)
        a = flat[self._here : here[1]].reshape(-1, 3 * even.shape[0])
        b = np.roll(flat[self._there : there[1]], -moved, axis=1).reshape(-1, 3 * even.shape[0])
        self._table = (a * a).sum(axis=1)[:, None] + (b * b).sum(axis=1) - 2 * (a @ b.T)
        self._rows = even.shape[0]

    def at(self, first: int, last: int, length: int) -> NDArray[np.float64]:
        """Of columns first to last, each with the one `length` further on; sums over channels, means over rows."""
        x = np.arange(first, last)
        return np.asarray(self._table[x - self._here, x + length - self._there] / self._rows)


def least_error_cut(error: Floats, circular: bool) -> NDArray[np.int64]:
    """One column for each row of an error map (rows, band): the path of least sum, at most a column aside a row.

    circular: the last row's column is within one of the first's. After A. Efros and W. Freeman, "Image quilting",
    SIGGRAPH 2001.
    """
    path = _cut(np.ascontiguousarray(error, np.float32), -1)
    if circular and abs(int(path[0]) - int(path[-1])) > 1:
        middle = len(path) // 2
        turned = np.ascontiguousarray(np.roll(error, -middle, axis=0), np.float32)
        path = np.roll(_cut(turned, int(path[middle])), middle)
    return path


@kernel_with(error_model="python")
def _cut(error, fixed):  # type: ignore[no-untyped-def]
    """The path of least sum; both ends at column `fixed` unless it is negative. Unchecked kernel."""
    rows, columns = error.shape
    total = np.empty((rows, columns), np.float32)
    far = np.float32(1e20)
    for x in range(columns):
        total[0, x] = error[0, x] if fixed < 0 or x == fixed else far
    for y in range(1, rows):
        for x in range(columns):
            best = total[y - 1, x]
            if x > 0 and total[y - 1, x - 1] < best:
                best = total[y - 1, x - 1]
            if x + 1 < columns and total[y - 1, x + 1] < best:
                best = total[y - 1, x + 1]
            total[y, x] = best + error[y, x]
    path = np.empty(rows, np.int64)
    at = fixed
    if fixed < 0:
        at = 0
        for x in range(columns):
            if total[rows - 1, x] < total[rows - 1, at]:
                at = x
    path[rows - 1] = at
    for y in range(rows - 2, -1, -1):
        before = at
        if before > 0 and total[y, before - 1] < total[y, at]:
            at = before - 1
        if before + 1 < columns and total[y, before + 1] < total[y, at]:
            at = before + 1
        path[y] = at
    return path
