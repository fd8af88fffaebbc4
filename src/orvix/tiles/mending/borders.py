"""Border mending: a picture made to close by laying its ends over each other, and what each method does there.

The picture is cut where its ends agree best (`overlap.best_overlap`), which for courses and other regular pictures is a
whole number of pieces, and enlarged a little so that the tile keeps its size. Down first, then across, so that for
half-drop the second overlap can be rolled by the stagger; brick is the transpose.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.progress import UNWATCHED, Watch
from orvix.tiles.lowpass import coarse
from orvix.tiles.mending.overlap import Overlap, best_overlap, least_error_cut
from orvix.tiles.mending.patches import fill_band
from orvix.tiles.mending.poisson import divergence, solve
from orvix.tiles.repeats import Repeat

Floats = NDArray[np.float32]
Path = NDArray[np.int64]


@dataclass(frozen=True)
class Mended:
    """picture: float32 (rows, columns, channels) of the size asked for. overlaps: down, across.

    cut_down: for each column of the tile the row that the cut between top and bottom lies before; cut_across: for each
    row the column that the cut between left and right lies before.
    """

    picture: Floats
    cut_down: Path
    cut_across: Path
    overlaps: tuple[Overlap, Overlap]


Mix = Callable[[Floats, Floats, Floats], Floats]
"""How the beginning and the end of a picture are mixed over the band: (beginning, end, weight of the end)."""


def to_lab(picture: Floats) -> Floats:
    """L*a*b* of straight or premultiplied float32 colour in 0 to 1; alpha beyond the third channel is left out."""
    return np.asarray(cv2.cvtColor(np.ascontiguousarray(np.clip(picture[..., :3], 0, 1)), cv2.COLOR_RGB2Lab))


def mend_borders(
    picture: Floats, size: tuple[int, int], repeat: Repeat, method: str, band_share: float, watch: Watch = UNWATCHED
) -> Mended:
    """Close a picture, float32 (rows, columns, 3 or 4) in 0 to 1.

    size: width and height of the tile. method: one of METHODS. band_share: how wide the overlap is, in shares of a
    side.
    """
    if repeat.kind == "brick":
        turned = Repeat("half-drop", repeat.stagger)
        upright = np.ascontiguousarray(picture.transpose(1, 0, 2))
        mended = mend_borders(upright, (size[1], size[0]), turned, method, band_share, watch)
        back = np.ascontiguousarray(mended.picture.transpose(1, 0, 2))
        return Mended(back, mended.cut_across, mended.cut_down, (mended.overlaps[1], mended.overlaps[0]))
    width, height = size
    lab = to_lab(picture)
    down = best_overlap(np.ascontiguousarray(lab.transpose(1, 0, 2)), band_share)
    watch.tell(0.2, "matching the borders")
    used = lab[down.start : down.start + down.length]
    moved = repeat.stagger_px(width, height)
    across = best_overlap(used, band_share, moved=round(moved * down.length / height))
    watch.stop_if_asked()
    fitted = _fitted(picture, across, down, size)
    watch.tell(0.4, "cutting")
    return METHODS[method](fitted, _Frame(size, repeat, moved), (down, across), watch)


MOST_GAIN = 1.05


def as_lively(mended: Floats, picture: Floats, repeat: Repeat) -> Floats:
    """A mended picture, its detail finer than an eighth of the width at the contrast the whole picture has.

    Cutting leaves parts out and enlarging softens: detail is multiplied by at most MOST_GAIN, at least one over it.
    Both are float32 (rows, columns, 3) in 0 to 1.
    """
    low = coarse(mended, mended.shape[1] / 8, repeat)
    wanted = float((picture - coarse(picture, picture.shape[1] / 8, None)).std())
    fine = mended - low
    gain = min(max(wanted / max(float(fine.std()), 1e-6), 1 / MOST_GAIN), MOST_GAIN)
    return np.clip(low + fine * np.float32(gain), 0, 1)


@dataclass(frozen=True)
class _Frame:
    size: tuple[int, int]
    repeat: Repeat
    moved: int


def _fitted(picture: Floats, across: Overlap, down: Overlap, size: tuple[int, int]) -> Floats:
    """The part that is used, resampled so that its lengths are the tile's sides; its bands lie beyond them."""
    scale_x, scale_y = size[0] / across.length, size[1] / down.length
    columns = min(size[0] + round(across.band * scale_x), 2 * size[0])
    rows = min(size[1] + round(down.band * scale_y), 2 * size[1])
    at = np.array([
        [1 / scale_x, 0, across.start + 0.5 / scale_x - 0.5], [0, 1 / scale_y, down.start + 0.5 / scale_y - 0.5],
    ])  # fmt: skip
    if min(scale_x, scale_y) < 0.9:
        picture = cv2.GaussianBlur(picture, (0, 0), 0.4 / min(scale_x, scale_y))
    flags = cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP
    out = cv2.warpAffine(picture, at, (columns, rows), flags=flags, borderMode=cv2.BORDER_REFLECT_101)
    return np.clip(np.asarray(out, np.float32), 0, 1)


def _closed_down(picture: Floats, height: int, weight: Floats, mix: Mix) -> Floats:
    """Rows height to height + band laid over the first ones; weight (band, columns) of what is laid over."""
    out = picture[:height].copy()
    band = weight.shape[0]
    out[:band] = mix(picture[:band], picture[height : height + band], weight[..., None])
    return out


def _closed_across(picture: Floats, width: int, moved: int, weight: Floats, mix: Mix) -> Floats:
    """The same for columns, the right end rolled up by the stagger first."""
    out = picture[:, :width].copy()
    band = weight.shape[1]
    end = np.roll(picture[:, width : width + band], -moved, axis=0)
    out[:, :band] = mix(picture[:, :band], end, weight[..., None])
    return out


def _pick(begin: Floats, end: Floats, weight: Floats) -> Floats:
    return begin + (end - begin) * weight


def _difference(a: Floats, b: Floats) -> Floats:
    """What a cut costs at each px: the squared difference in L*a*b*, and half of that of its slopes."""
    d = to_lab(a) - to_lab(b)
    cost = (d * d).sum(axis=2)
    for axis in (0, 1):
        slope = np.diff(d, axis=axis, append=np.take(d, [-1], axis=axis))
        cost += np.float32(0.5) * (slope * slope).sum(axis=2)
    return np.asarray(cost, np.float32)


def _down_path(picture: Floats, height: int) -> Path:
    band = picture.shape[0] - height
    cost = _difference(picture[:band], picture[height:])
    return least_error_cut(np.ascontiguousarray(cost.T), circular=False)


def _across_path(picture: Floats, width: int, moved: int) -> Path:
    band = picture.shape[1] - width
    cost = _difference(picture[:, :band], np.roll(picture[:, width:], -moved, axis=0))
    return least_error_cut(cost, circular=True)


def _down_in_tile(down: Path, across: Path, frame: _Frame) -> Path:
    """The cut of the fitted picture's columns as it lies in the tile: before the cut across its end is what shows."""
    width, height = frame.size
    path = down[:width].copy()
    end = int(across[int(path[0])])
    path[:end] = (down[width : width + end] - frame.moved) % height
    return path


def _before(path: Path, band: int, soft_px: float) -> Floats:
    """Weights (len(path), band): 1 before the path, 0 after it, over so many px."""
    n = np.arange(band, dtype=np.float32)[None, :] + np.float32(0.5)
    return np.clip(
        (path[:, None].astype(np.float32) + np.float32(0.5) - n) / np.float32(max(soft_px, 1e-3)) + np.float32(0.5),
        0,
        1,
    )


def _cut(
    fitted: Floats, frame: _Frame, overlaps: tuple[Overlap, Overlap], watch: Watch, soft_px: float = 5.0
) -> Mended:
    """The least-error cut, a few px soft."""
    (width, height), moved = frame.size, frame.moved
    down = _down_path(fitted, height)
    closed = _closed_down(fitted, height, _before(down, fitted.shape[0] - height, soft_px).T, _pick)
    across = _across_path(closed, width, moved)
    closed = _closed_across(closed, width, moved, _before(across, fitted.shape[1] - width, soft_px), _pick)
    return Mended(closed, _down_in_tile(down, across, frame), across, overlaps)


def _gradients(fitted: Floats, frame: _Frame, overlaps: tuple[Overlap, Overlap], watch: Watch) -> Mended:
    """The least-error cut through picture and gradients, then the picture whose gradients those are, on the torus."""
    (width, height), moved = frame.size, frame.moved
    slope_x = np.diff(fitted, axis=1, append=fitted[:, -1:])
    slope_y = np.diff(fitted, axis=0, append=fitted[-1:])
    down = _down_path(fitted, height)
    weight = np.round(_before(down, fitted.shape[0] - height, 1e-3)).T
    planes = [_closed_down(plane, height, weight, _pick) for plane in (fitted, slope_x, slope_y)]
    across = _across_path(planes[0], width, moved)
    weight = np.round(_before(across, fitted.shape[1] - width, 1e-3))
    closed, slope_x, slope_y = (_closed_across(plane, width, moved, weight, _pick) for plane in planes)
    watch.tell(0.7, "blending the joins")
    watch.stop_if_asked()
    even = solve(divergence(slope_x, slope_y, frame.repeat), closed.mean(axis=(0, 1)), frame.repeat)
    return Mended(np.clip(even, 0, 1), _down_in_tile(down, across, frame), across, overlaps)


def _blend(fitted: Floats, frame: _Frame, overlaps: tuple[Overlap, Overlap], watch: Watch) -> Mended:
    """Ends mixed over the whole band: coarse parts evenly, detail at full contrast (see steps/border_blend.py)."""
    (width, height), moved = frame.size, frame.moved
    low = coarse(fitted, max(width / 24, 1.0), None)
    fine = fitted - low

    def keeping(begin: Floats, end: Floats, w: Floats) -> Floats:
        return (begin + (end - begin) * w) / np.sqrt(w * w + (1 - w) ** 2)

    def ramp(band: int) -> Floats:
        share = 1 - (np.arange(band, dtype=np.float32) + np.float32(0.5)) / np.float32(band)
        return share * share * (3 - 2 * share)

    down, across = ramp(fitted.shape[0] - height), ramp(fitted.shape[1] - width)
    parts = []
    for plane, mix in ((low, _pick), (fine, keeping)):
        closed = _closed_down(plane, height, np.repeat(down[:, None], fitted.shape[1], 1), mix)
        parts.append(_closed_across(closed, width, moved, np.repeat(across[None], height, 0), mix))
    middle_x = np.full(height, len(across) // 2, np.int64)
    return Mended(np.clip(parts[0] + parts[1], 0, 1), np.full(width, len(down) // 2, np.int64), middle_x, overlaps)


def _patches(fitted: Floats, frame: _Frame, overlaps: tuple[Overlap, Overlap], watch: Watch) -> Mended:
    """The soft cut, then the band around the borders filled anew with patches from the rest of the picture."""
    cut = _gradients(fitted, frame, overlaps, watch.part(0.0, 0.3))
    band = max(fitted.shape[1] - frame.size[0], fitted.shape[0] - frame.size[1]) // 2
    filled = fill_band(cut.picture, frame.repeat, band, watch.part(0.3, 1.0))
    return Mended(filled, cut.cut_down, cut.cut_across, overlaps)


METHODS: dict[str, Callable[[Floats, _Frame, tuple[Overlap, Overlap], Watch], Mended]] = {
    "least-error cut": _cut,
    "contrast-keeping blend": _blend,
    "gradient-domain": _gradients,
    "patch fill": _patches,
}
