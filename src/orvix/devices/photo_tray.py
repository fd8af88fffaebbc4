"""The photo tray: made-up photos, as a camera would offer them. None of them closes.

Every photo has uneven light, lens falloff, stains, a little blur and sensor noise. Two are taken so that they cannot be
closed well: one blurred on one side, one at an angle. All chance comes from the seed. Nothing here is known to mending.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from math import cos, sin

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from orvix.registry import Registry

Floats = NDArray[np.float32]
Chance = np.random.Generator


@dataclass(frozen=True)
class Photo:
    """One photo of the tray. kind: courses, gravel, cloth or leaf; fault: why it cannot be closed well, or ""."""

    name: str
    title: str
    kind: str
    make: Callable[[Chance, int, int], Floats]
    seed: int
    fault: str = ""


PHOTOS: Registry[Photo] = Registry("photo")
SIZE = (1280, 960)
PREVIEW = (208, 156)


@lru_cache(16)
def develop(name: str, width: int = SIZE[0], height: int = SIZE[1], seed: int | None = None) -> NDArray[np.uint8]:
    """A photo as 8-bit RGB (rows, columns, 3); raises UnknownName. Another seed is another place of the same thing."""
    photo = PHOTOS.get(name)
    chance = np.random.default_rng(photo.seed if seed is None else [photo.seed, seed])
    scene = photo.make(chance, width, height)
    if photo.fault == "angle":
        scene = _at_an_angle(scene)
    scene = _stained(scene, chance)
    scene = _lit(scene, chance)
    if photo.fault == "blur":
        scene = _blurred_to_the_right(scene)
    scene = cv2.GaussianBlur(scene, (0, 0), 0.6)
    scene = scene + chance.normal(0, 0.011, scene.shape).astype(np.float32)
    out = (np.clip(scene, 0, 1) * 255 + 0.5).astype(np.uint8)
    out.setflags(write=False)
    return out


def _lit(scene: Floats, chance: Chance) -> Floats:
    """Light from one side and the lens's falloff towards the corners (cosine to the fourth)."""
    rows, columns = scene.shape[:2]
    y, x = np.mgrid[0:rows, 0:columns].astype(np.float32)
    x, y = x / columns - 0.5, y / rows - 0.5
    turn = chance.uniform(0, 2 * np.pi)
    light = 1 + chance.uniform(0.25, 0.5) * (x * np.cos(turn) + y * np.sin(turn))
    falloff = (1 + chance.uniform(0.25, 0.5) * (x * x + y * y)) ** -2.0
    return scene * (light * falloff)[..., None].astype(np.float32)


def _stained(scene: Floats, chance: Chance) -> Floats:
    rows, columns = scene.shape[:2]
    y, x = np.mgrid[0:rows, 0:columns].astype(np.float32)
    for _ in range(3):
        cx, cy = chance.uniform(0.12, 0.88) * columns, chance.uniform(0.12, 0.88) * rows
        a, b = chance.uniform(0.018, 0.045, 2) * columns
        turn = chance.uniform(0, np.pi)
        u = ((x - cx) * np.cos(turn) + (y - cy) * np.sin(turn)) / a
        v = ((y - cy) * np.cos(turn) - (x - cx) * np.sin(turn)) / b
        depth = np.clip(1.3 - np.sqrt(u * u + v * v), 0, 1) * chance.choice([0.35, 0.45, -0.28])
        scene = scene * (1 - depth[..., None] * np.array([0.9, 1.0, 1.1], np.float32))
    return np.asarray(scene, np.float32)


def _at_an_angle(scene: Floats) -> Floats:
    rows, columns = scene.shape[:2]
    corners = np.array([[0, 0], [columns, 0], [columns, rows], [0, rows]], np.float32)
    narrow = np.array([[-0.75, -0.9], [1.75, -0.9], [1.0, 1.0], [0.0, 1.0]], np.float32) * (columns, rows)
    change = cv2.getPerspectiveTransform(corners, narrow.astype(np.float32))
    back = np.linalg.inv(change)
    return np.asarray(
        cv2.warpPerspective(
            scene,
            np.linalg.inv(back),
            (columns, rows),
            flags=cv2.INTER_AREA | cv2.WARP_INVERSE_MAP,
            borderMode=cv2.BORDER_REFLECT,
        )
    )


def _blurred_to_the_right(scene: Floats) -> Floats:
    soft = cv2.GaussianBlur(scene, (0, 0), scene.shape[1] / 150)
    share = np.clip(np.linspace(-0.35, 1.25, scene.shape[1], dtype=np.float32), 0, 1)[None, :, None]
    return np.asarray(scene * (1 - share) + soft * share, np.float32)


def _cloud(chance: Chance, width: int, height: int, sigma: float, sigma_y: float | None = None) -> Floats:
    """A smooth random field of mean 0 and standard deviation 1."""
    down = max(min(sigma, sigma_y or sigma) / 3, 1.0)
    w, h = int(width / down) + 8, int(height / down) + 8
    field = chance.normal(0, 1, (h, w)).astype(np.float32)
    field = cv2.GaussianBlur(field, (0, 0), sigma / down, sigmaY=(sigma_y or sigma) / down)
    field = cv2.resize(field, (width, height), interpolation=cv2.INTER_CUBIC)
    return (field - field.mean()) / (field.std() + 1e-6)


def _coloured(tone: Floats, dark: tuple[float, float, float], light: tuple[float, float, float]) -> Floats:
    t = np.clip(tone, 0, 1)[..., None]
    return (np.array(dark, np.float32) * (1 - t) + np.array(light, np.float32) * t).astype(np.float32)


def _boards(chance: Chance, width: int, height: int) -> Floats:
    """Planks that lie level, with joints, fibre and now and then an end."""
    y = np.arange(height, dtype=np.float32)[:, None] + _cloud(chance, width, height, width / 3) * 0.7
    board = height / chance.uniform(8.4, 9.6)
    n = np.floor(y / board).astype(int) + 2
    tones = chance.uniform(0.42, 0.66, n.max() + 3)
    fibre = _cloud(chance, width, height, width / 38, 1.1) * 0.06 + _cloud(chance, width, height, width / 12, 4) * 0.04
    tone = tones[n] + fibre
    ends = chance.uniform(0, width * 1.6, n.max() + 3)
    x = np.arange(width, dtype=np.float32)[None, :]
    gap = np.minimum(np.abs((y / board) % 1 - 0.5) * -1 + 0.5, 1) * board
    joint = np.clip(1.6 - gap, 0, 1)
    joint = np.maximum(joint, np.clip(2.2 - np.abs(x - ends[n]), 0, 1))
    return _coloured(tone * (1 - 0.75 * joint), (0.10, 0.07, 0.05), (0.86, 0.71, 0.52))


def _wall(
    chance: Chance,
    width: int,
    height: int,
    *,
    across: float,
    down: float,
    dark: tuple[float, float, float],
    light: tuple[float, float, float],
) -> Floats:
    """Courses of pieces with joints, each piece a little different."""
    waver = _cloud(chance, width, height, width / 4) * 0.8
    y = np.arange(height, dtype=np.float32)[:, None] + waver
    x = np.arange(width, dtype=np.float32)[None, :] + _cloud(chance, width, height, width / 4) * 0.8
    high, wide = height / down, width / across
    row = np.floor(y / high).astype(int) + 2
    shift = np.where(row % 2 == 0, 0.0, 0.5)
    along = x / wide + shift
    column = np.floor(along).astype(int) + 2
    tones = chance.uniform(0.38, 0.72, (row.max() + 2, column.max() + 2))
    lean = chance.uniform(-0.06, 0.06, (row.max() + 2, column.max() + 2))
    in_x, in_y = along % 1 * wide, y % high
    edge = (
        np.minimum(np.minimum(in_x, wide - in_x), np.minimum(in_y, high - in_y))
        + _cloud(chance, width, height, 3) * 0.7
    )
    rough = _cloud(chance, width, height, 2.2) * 0.035 + _cloud(chance, width, height, 9) * 0.03
    tone = tones[row, column] + lean[row, column] * (in_y / high - 0.5) * 2 + rough
    joint_px = max(high * 0.07, 2.0)
    joint = np.clip((joint_px - edge) / 1.5, 0, 1)
    bevel = np.clip(1 - (edge - joint_px) / (joint_px * 1.4), 0, 1) * np.where(in_y < high / 2, 0.10, -0.13)
    tone = (tone + bevel) * (1 - joint) + (0.24 + rough) * joint
    return _coloured(tone, dark, light)


def _pebbles(
    chance: Chance,
    width: int,
    height: int,
    *,
    size: float,
    dark: tuple[float, float, float],
    light: tuple[float, float, float],
) -> Floats:
    """Stones of unequal size: distances to scattered points, the nearest two."""
    count = int(width * height / (size * size))
    points = np.stack([chance.uniform(-size, width + size, count), chance.uniform(-size, height + size, count)], axis=1)
    tree = cKDTree(points)
    y, x = np.mgrid[0:height, 0:width].astype(np.float32)
    wobble = (
        np.stack([_cloud(chance, width, height, size / 5), _cloud(chance, width, height, size / 5)], axis=-1)
        * size
        * 0.05
    )
    at = np.stack([x, y], axis=-1) + wobble
    far, near = tree.query(at.reshape(-1, 2), k=2, workers=2)
    border = ((far[:, 1] - far[:, 0]) / size).reshape(height, width)
    owner = near[:, 0].reshape(height, width)
    tones = chance.uniform(0.25, 0.85, count)
    lit = ((at[..., 0] - points[owner][..., 0]) * -0.5 + (at[..., 1] - points[owner][..., 1]) * -0.6) / size
    tone = tones[owner] * (0.25 + 0.75 * np.clip(border * 3.2, 0, 1) ** 0.6) + lit * 0.16
    tone = tone + _cloud(chance, width, height, 1.4) * 0.025
    hue = chance.uniform(-1, 1, count)[owner]
    rgb = _coloured(tone, dark, light)
    rgb[..., 0] *= 1 + 0.07 * hue
    rgb[..., 2] *= 1 - 0.07 * hue
    return rgb


def _canvas_cloth(chance: Chance, width: int, height: int) -> Floats:
    """Plain weave with uneven threads."""
    thread = width / 148.0
    x = np.arange(width, dtype=np.float32)[None, :] + _cloud(chance, width, height, width / 6) * 1.2
    y = np.arange(height, dtype=np.float32)[:, None] + _cloud(chance, width, height, width / 6) * 1.2
    u, v = x / thread, y / thread
    i, j = np.floor(u).astype(int) + 4, np.floor(v).astype(int) + 4
    over = (i + j) % 2 == 0
    warp, weft = chance.uniform(0.82, 1.08, i.max() + 4)[i], chance.uniform(0.82, 1.08, j.max() + 4)[j]
    across = np.where(over, u % 1, v % 1) - 0.5
    along = np.where(over, v % 1, u % 1) - 0.5
    shade = 1 - 1.9 * across * across - 0.9 * along * along
    tone = np.where(over, warp, weft * 0.93) * shade * 0.72 + _cloud(chance, width, height, 5) * 0.02
    return _coloured(tone, (0.16, 0.14, 0.11), (1.0, 0.95, 0.83))


def _leaves(
    chance: Chance,
    width: int,
    height: int,
    *,
    count: int,
    long: float,
    dark: tuple[float, float, float],
    light: tuple[float, float, float],
) -> Floats:
    """Leaves over leaves, each with a rib, darker the deeper they lie."""
    out = np.zeros((height, width, 3), np.float32)
    out[:] = np.array(dark, np.float32) * 0.5
    for n in range(count):
        depth = (n / count) ** 0.7
        length = float(long * chance.uniform(0.6, 1.25))
        half = float(length * chance.uniform(0.14, 0.24))
        cx, cy = float(chance.uniform(-0.05, 1.05) * width), float(chance.uniform(-0.05, 1.05) * height)
        turn = float(chance.uniform(0, 2 * np.pi))
        reach_x = int(abs(cos(turn)) * length / 2 + abs(sin(turn)) * half) + 2
        reach_y = int(abs(sin(turn)) * length / 2 + abs(cos(turn)) * half) + 2
        x0, x1 = max(int(cx) - reach_x, 0), min(int(cx) + reach_x, width)
        y0, y1 = max(int(cy) - reach_y, 0), min(int(cy) + reach_y, height)
        if x1 <= x0 or y1 <= y0:
            continue
        y, x = np.arange(y0, y1, dtype=np.float32)[:, None], np.arange(x0, x1, dtype=np.float32)[None, :]
        along = ((x - cx) * cos(turn) + (y - cy) * sin(turn)) / (length / 2)
        aside = ((y - cy) * cos(turn) - (x - cx) * sin(turn)) / half
        inside = 1 - along * along - np.abs(aside)
        cover = np.clip(inside * half / 1.2, 0, 1)[..., None]
        tone = (
            0.25 + 0.55 * depth + chance.uniform(-0.1, 0.1) + 0.10 * np.sign(aside) * np.clip(np.abs(aside) * 3, 0, 1)
        )
        rib = np.clip(1.5 - np.abs(aside) * half / 1.3, 0, 1) * 0.16
        veins = np.cos((along * 16 + np.abs(aside) * 5) * 1.0) * 0.035
        leaf = _coloured(tone + rib + veins, dark, light)
        shadow = np.clip(inside * 3 + 0.5, 0, 1)[..., None] * 0.35
        part = out[y0:y1, x0:x1]
        out[y0:y1, x0:x1] = part * (1 - shadow) * (1 - cover) + leaf * cover
    return out


def _add(
    name: str, title: str, kind: str, seed: int, make: Callable[[Chance, int, int], Floats], fault: str = ""
) -> None:
    PHOTOS.add(name, Photo(name, title, kind, make, seed, fault))


_add("deck-planking", "Deck planking", "courses", 11, _boards)
_add("quay-wall", "Quay wall", "courses", 12, lambda c, w, h: _wall(
    c, w, h, across=5.3, down=9.7, dark=(0.16, 0.15, 0.15), light=(0.80, 0.66, 0.56)))  # fmt: skip
_add("roof-slates", "Roof slates", "courses", 13, lambda c, w, h: _wall(
    c, w, h, across=8.6, down=10.4, dark=(0.10, 0.12, 0.15), light=(0.58, 0.64, 0.70)))  # fmt: skip
_add("beach-stones", "Beach stones", "gravel", 14, lambda c, w, h: _pebbles(
    c, w, h, size=w / 26, dark=(0.10, 0.10, 0.11), light=(0.86, 0.82, 0.74)))  # fmt: skip
_add("barnacles", "Barnacles", "gravel", 15, lambda c, w, h: _pebbles(
    c, w, h, size=w / 52, dark=(0.17, 0.16, 0.15), light=(0.90, 0.88, 0.82)))  # fmt: skip
_add("sailcloth", "Sailcloth", "cloth", 16, _canvas_cloth)
_add("kelp-bed", "Kelp bed", "leaf", 17, lambda c, w, h: _leaves(
    c, w, h, count=420, long=w / 5.5, dark=(0.10, 0.14, 0.06), light=(0.62, 0.60, 0.22)))  # fmt: skip
_add("hedge", "Harbour hedge", "leaf", 18, lambda c, w, h: _leaves(
    c, w, h, count=1500, long=w / 12, dark=(0.05, 0.12, 0.05), light=(0.55, 0.72, 0.30)))  # fmt: skip
_add("stones-out-of-focus", "Stones, out of focus", "gravel", 19, lambda c, w, h: _pebbles(
    c, w, h, size=w / 30, dark=(0.10, 0.10, 0.11), light=(0.86, 0.82, 0.74)), "blur")  # fmt: skip
_add("pier-at-an-angle", "Pier, at an angle", "courses", 20, lambda c, w, h: _wall(
    c, w, h, across=7.4, down=12.3, dark=(0.12, 0.10, 0.08), light=(0.78, 0.66, 0.50)), "angle")  # fmt: skip
