"""Stains: spots that do not belong, found and ranked, and healed with the part of the picture that fits best.

Finding: at several sizes, how far a spot's colour lies from its surroundings', in CIE L*a*b*, and how unlike every
other place it is; both beside what is usual in this picture (median and median absolute deviation). It suggests; a
painter decides. Healing: a place elsewhere whose ring differs least (a masked search), laid in and corrected by the
smooth surface that takes its rim to the picture's.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.errors import BadValue
from orvix.tiles.mending.borders import to_lab
from orvix.tiles.repeats import Repeat, cloth

Floats = NDArray[np.float32]
MOST_FOUND = 12
LEAST_SCORE = 3.0


@dataclass(frozen=True)
class Stain:
    """x, y, radius in px; score: how many usual deviations its colour lies from its surroundings."""

    x: float
    y: float
    radius: float
    score: float


def find_stains(picture: Floats, repeat: Repeat | None, most: int = MOST_FOUND) -> list[Stain]:
    """Spots of a tile, float32 (rows, columns, 3 or 4) in 0 to 1, the strongest first. repeat: None for a photo."""
    lab = to_lab(picture)
    rows, columns = lab.shape[:2]
    found: list[Stain] = []
    for share in (0.012, 0.021, 0.036, 0.06):
        found += _at_size(lab, repeat, max(share * min(rows, columns) * 1.15, 2.5))
    found.sort(key=lambda one: -one.score)
    kept: list[Stain] = []
    for one in found:
        if all(_apart(one, other, repeat, columns, rows) > 0.9 * (one.radius + other.radius) for other in kept):
            kept.append(one)
    return kept[:most]


def _at_size(lab: Floats, repeat: Repeat | None, radius: float) -> list[Stain]:
    """Spots of about one radius, seen on a picture reduced until they are 3 px."""
    factor = max(radius / 3, 1.0)
    rows, columns = lab.shape[:2]
    small = cv2.resize(
        lab, (max(round(columns / factor), 16), max(round(rows / factor), 16)), interpolation=cv2.INTER_AREA
    )
    r = radius / factor
    margin = int(4 * r) + 2
    if repeat is None:
        around = cv2.copyMakeBorder(small, margin, margin, margin, margin, cv2.BORDER_REFLECT)
    else:
        around = cloth(small, repeat, -margin, -margin, small.shape[0] + 2 * margin, small.shape[1] + 2 * margin)
    unlike = _novelty(around, margin, r)
    middle, wide = cv2.GaussianBlur(around, (0, 0), 0.6 * r), cv2.GaussianBlur(around, (0, 0), 1.8 * r)
    away = np.sqrt(((middle - wide) ** 2).sum(axis=2))[margin:-margin, margin:-margin]
    score = np.sqrt(np.maximum(_unusual(unlike), 0) * np.maximum(_unusual(away), 0))
    side = 2 * round(1.5 * r) + 1
    peaks = (score == cv2.dilate(score, np.ones((side, side), np.uint8))) & (score > LEAST_SCORE)
    at_y, at_x = np.nonzero(peaks)
    return [
        Stain((x + 0.5) * columns / small.shape[1], (y + 0.5) * rows / small.shape[0], 2.4 * radius, float(score[y, x]))
        for y, x in zip(at_y.tolist(), at_x.tolist(), strict=True)
    ]


def _unusual(values: Floats) -> Floats:
    """How many usual deviations above the usual: median and median absolute deviation."""
    usual = float(np.median(values))
    spread = 1.4826 * float(np.median(np.abs(values - usual))) + 0.25
    return np.asarray((values - usual) / spread, np.float32)


def _novelty(around: Floats, margin: int, r: float) -> Floats:
    """How unlike every other place each place is: the distance of its surroundings to the most like ones elsewhere.

    Surroundings are sampled at 25 places within twice the radius, and taken by their 12 strongest directions.
    """
    soft = cv2.GaussianBlur(around, (0, 0), 0.5 * r)
    rows, columns = around.shape[0] - 2 * margin, around.shape[1] - 2 * margin
    reach = np.rint(np.linspace(-1.7 * r, 1.7 * r, 5)).astype(int)
    parts = [
        soft[margin + dy : margin + dy + rows, margin + dx : margin + dx + columns] for dy in reach for dx in reach
    ]
    vectors = np.concatenate(parts, axis=2).reshape(rows * columns, -1)
    vectors = vectors - vectors.mean(axis=0)
    _, directions = np.linalg.eigh(vectors.T @ vectors)
    vectors = vectors @ directions[:, -12:]
    y, x = np.divmod(np.arange(rows * columns), columns)
    others = np.nonzero((y % 2 == 0) & (x % 2 == 0))[0]
    from scipy.spatial import cKDTree  # a tenth of a second, which commands without stains need not wait

    far, near = cKDTree(vectors[others]).query(vectors, k=24, eps=0.4, workers=2)
    dy, dx = np.abs(y[others][near] - y[:, None]), np.abs(x[others][near] - x[:, None])
    elsewhere = np.maximum(np.minimum(dy, rows - dy), np.minimum(dx, columns - dx)) > 3 * r
    far = np.where(elsewhere, far, np.inf).min(axis=1)
    most = far[np.isfinite(far)].max(initial=0.0)
    return np.where(np.isfinite(far), far, most).reshape(rows, columns).astype(np.float32)


def _apart(a: Stain, b: Stain, repeat: Repeat | None, columns: int, rows: int) -> float:
    dx, dy = a.x - b.x, a.y - b.y
    if repeat is None:
        return float(np.hypot(dx, dy))
    (ax, ay), (bx, by) = repeat.basis(columns, rows)
    return min(float(np.hypot(dx + i * ax + j * bx, dy + i * ay + j * by)) for i in (-1, 0, 1) for j in (-1, 0, 1))


def heal(
    picture: Floats, repeat: Repeat, spot: tuple[float, float, float], others: list[tuple[float, float, float]]
) -> Floats:
    """The tile with one spot (x, y, radius in px) healed; material is not taken from `others`. Returns a new array.

    Raises BadValue for a spot too large for its tile to be healed from the rest of it.
    """
    rows, columns = picture.shape[:2]
    x, y, radius = spot
    ring = max(0.5 * radius, 4.0)
    half = int(np.ceil(radius + ring)) + 1
    if 4 * half > min(rows, columns):
        raise BadValue(
            "radius", f"{radius:.0f} px", f"too large to heal from this tile: at most {min(rows, columns) // 6} px"
        )
    corner = round(x) - half, round(y) - half
    side = 2 * half + 1
    target = cloth(picture, repeat, corner[1], corner[0], side, side)
    n = np.arange(side, dtype=np.float32) - half
    far = np.sqrt(n[None, :] ** 2 + n[:, None] ** 2)
    inside, rim = far <= radius, (far > radius) & (far <= radius + ring)
    source = _best_place(picture, repeat, target, rim, [spot, *others], half)
    patch = source + _harmonic(np.where(inside[..., None], 0, target - source), inside)
    soft = np.clip((radius - far) / 3 + 1, 0, 1)[..., None].astype(np.float32)
    return _put(picture, repeat, corner, target + (patch - target) * soft)


def _best_place(
    picture: Floats,
    repeat: Repeat,
    target: Floats,
    rim: NDArray[np.bool_],
    avoided: list[tuple[float, float, float]],
    half: int,
) -> Floats:
    """The place whose ring differs least from the target's, away from every spot."""
    rows, columns = picture.shape[:2]
    around = cloth(picture, repeat, -half, -half, rows + 2 * half, columns + 2 * half)
    factor = max(min(rows, columns) // 384, 1)
    small = cv2.resize(around, (around.shape[1] // factor, around.shape[0] // factor), interpolation=cv2.INTER_AREA)
    piece = cv2.resize(
        target, (max(target.shape[1] // factor, 3), max(target.shape[0] // factor, 3)), interpolation=cv2.INTER_AREA
    )
    mask = cv2.resize(rim.astype(np.float32), (piece.shape[1], piece.shape[0]), interpolation=cv2.INTER_AREA)
    channels = picture.shape[2]
    errors = cv2.matchTemplate(
        small, piece, cv2.TM_SQDIFF, mask=np.ascontiguousarray(np.repeat(mask[..., None], channels, 2))
    )
    at_y, at_x = np.mgrid[0 : errors.shape[0], 0 : errors.shape[1]].astype(np.float32) * factor
    for x, y, radius in avoided:
        for i in (-1, 0, 1):
            for j in (-1, 0, 1):
                (ax, ay), (bx, by) = repeat.basis(columns, rows)
                dx, dy = at_x - (x + i * ax + j * bx), at_y - (y + i * ay + j * by)
                errors[dx * dx + dy * dy < (half + radius) ** 2] = np.inf
    y, x = (int(n) for n in np.unravel_index(int(np.argmin(errors)), errors.shape))
    side = target.shape[0]
    return cloth(picture, repeat, y * factor - half, x * factor - half, side, side)


def _harmonic(edge: Floats, inside: NDArray[np.bool_]) -> Floats:
    """The smooth surface that equals `edge` outside: Laplace's equation inside, coarse to fine, by relaxation."""
    out, hole = edge.copy(), inside
    pyramid = [(edge, inside)]
    while min(pyramid[-1][0].shape[:2]) > 12:
        values, mask = pyramid[-1]
        size = (values.shape[1] // 2, values.shape[0] // 2)
        known = cv2.resize((~mask).astype(np.float32), size, interpolation=cv2.INTER_AREA)
        low = cv2.resize(values * ~mask[..., None], size, interpolation=cv2.INTER_AREA).reshape(size[1], size[0], -1)
        pyramid.append((low / np.maximum(known, 1e-3)[..., None], known < 0.25))
    guess = None
    for values, hole in reversed(pyramid):
        out = values.copy()
        filled = (
            values[~hole].mean(axis=0)
            if guess is None
            else cv2.resize(guess, (values.shape[1], values.shape[0])).reshape(values.shape)
        )
        out = np.where(hole[..., None], filled, out)
        for _ in range(40):
            mean = cv2.blur(out, (3, 3)).reshape(out.shape)
            out = np.where(hole[..., None], mean, out)
        guess = out
    return np.asarray(out, np.float32)


def _put(picture: Floats, repeat: Repeat, corner: tuple[int, int], patch: Floats) -> Floats:
    """The tile with a patch laid at a corner (x, y), each part where the cloth has it."""
    rows, columns = picture.shape[:2]
    moved = repeat.stagger_px(columns, rows)
    x = corner[0] + np.arange(patch.shape[1])[None, :] + np.zeros((patch.shape[0], 1), int)
    y = corner[1] + np.arange(patch.shape[0])[:, None] + np.zeros((1, patch.shape[1]), int)
    if repeat.kind == "half-drop":
        y = y - (x // columns) * moved
    elif repeat.kind == "brick":
        x = x - (y // rows) * moved
    out = picture.copy()
    out[y % rows, x % columns] = patch
    return out
