"""Structure across a line: whether what meets there is like what meets anywhere else in the picture.

Windows of 16 px across the line, seen at half size, as 32 principal parts; each is beside its nearest like elsewhere in
the picture, its own strip left out. The line's mean distance over the largest of 48 lines inside.
"""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
PARTS, STEP, LINES = 32, 4, 24
LEAST_SIDE = 96
"""px a side from which there is enough picture besides the line to compare with."""


def structure(strip: Floats, line: int, stride: int = STEP, between: Callable[[], None] = lambda: None) -> float:
    """N of a line lying left of column `line` of a Lab strip (rows, columns, 3), at least LEAST_SIDE px a side.

    About 1 or less where all is well. between: called between pieces of work; what it raises ends it.
    """
    half = cv2.resize(strip, (strip.shape[1] // 2, strip.shape[0] // 2), interpolation=cv2.INTER_AREA)
    middle = line // 2
    columns = half.shape[1]
    inside = np.unique(np.linspace(4, columns - 5, LINES * 2).astype(int))
    inside = inside[np.abs(inside - middle) > 9]
    windows = {int(x): _windows(half, int(x), stride) for x in inside}
    own = _windows(half, middle, stride)
    library = np.concatenate(list(windows.values()))
    at = np.repeat(inside, len(own))
    mean = library.mean(axis=0)
    _, directions = np.linalg.eigh(np.cov((library - mean).T))
    directions = directions[:, -PARTS:].astype(np.float32)
    library = (library - mean) @ directions
    seam = _to_nearest((own - mean) @ directions, library, np.abs(at - middle) > 8)
    usual = []
    for x in inside:
        between()
        usual.append(_to_nearest((windows[int(x)] - mean) @ directions, library, np.abs(at - int(x)) > 8))
    floor = 0.4 + 0.1 * float(strip.std(axis=(0, 1)).sum())
    return (seam + floor) / (max(usual) + floor)


def structure_along(lab: Floats, path: NDArray[np.int64]) -> float:
    """N along a cut from top to bottom of a closed straight tile, Lab (rows, columns, 3), from LEAST_SIDE px a side.

    path: for each row the column that the cut lies before. Rows are moved round until the cut is one upright line.
    """
    rows, columns = lab.shape[:2]
    middle = columns // 2
    at = (np.arange(columns)[None, :] + path[:, None] - middle) % columns
    return structure(np.ascontiguousarray(lab[np.arange(rows)[:, None], at]), middle)


def _windows(half: Floats, x: int, stride: int) -> Floats:
    """Windows (n, 192) of 8 x 8 px around column x, every so many rows; per px, so that distances are in dE."""
    part = half[:, x - 4 : x + 4]
    tops = np.arange(0, half.shape[0] - 8 + 1, stride)
    return np.stack([part[top : top + 8].ravel() for top in tops]).astype(np.float32) / np.float32(8)


def _to_nearest(queries: Floats, library: Floats, allowed: NDArray[np.bool_]) -> float:
    """The mean distance of queries to the nearest allowed part of the library."""
    kept = library[allowed]
    squares = queries @ (-2 * kept.T)
    squares += (kept * kept).sum(axis=1)
    nearest = squares.min(axis=1) + (queries * queries).sum(axis=1)
    return float(np.sqrt(np.maximum(nearest, 0)).mean())
