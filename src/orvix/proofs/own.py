"""A painter's own surface: a picture, where on it the cloth lies, what covers it, and the shade that falls on it.

The cloth's corners lie where they are dragged, and a plane seen in perspective between them (the homography of its four
corners: Hartley and Zisserman, "Multiple View Geometry in Computer Vision", 2.3). A grid bends it: how far its knots
lie from where the plane has them is carried between them by cubic splines, so that cloth follows folds without kinks.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from scipy.interpolate import RectBivariateSpline

from orvix.errors import BadValue
from orvix.pictures.writing import LUMA
from orvix.proofs.rendering import Look, drawn_scene, laid
from orvix.proofs.sampling import Pyramid
from orvix.proofs.surfaces.scene import Scene, Sheet
from orvix.registry import Value, check_values

Places = NDArray[np.float64]
Rgb = NDArray[np.uint8]
MOST_CELLS = 8
_FINE = 160
"""The cloth is drawn as so many pieces each way, each of them flat."""
_LEAST_AREA = 1e-4
_FAR_MM = 1e9
OWN_VALUES = (
    Value("width_mm", "Width", "number", 300.0, "Real width of the cloth between its corners.", "mm", low=1,
        high=10_000),
    Value("height_mm", "Height", "number", 300.0, "Real height of the cloth between its corners.", "mm", low=1,
        high=10_000),
    Value("columns", "Columns", "whole", 1, "Number of grid cells.", low=1, high=MOST_CELLS),
    Value("rows", "Rows", "whole", 1, "Number of grid cells.", low=1, high=MOST_CELLS),
    Value("shade", "Shading", "number", 1.0, "Strength of the photo's light and shadow on the tile.", low=0, high=2),
)  # fmt: skip


@dataclass(frozen=True)
class Laying:
    """How a cloth lies on a picture: its true size, its grid, and the grid's knots, float64 (rows + 1, columns + 1, 2),
    as shares of the picture's width and height."""

    width_mm: float
    height_mm: float
    columns: int
    rows: int
    shade: float
    points: Places

    @classmethod
    def parse(cls, told: Any) -> Laying:
        """From outside; raises BadValue and UnknownName."""
        if not isinstance(told, Mapping):
            raise BadValue("surface", str(told)[:60], "must be an object")
        values = check_values(OWN_VALUES, {name: one for name, one in told.items() if name != "points"}, "surface")
        rows, columns = values["rows"] + 1, values["columns"] + 1
        given = told.get("points", first_points(values["columns"], values["rows"]).reshape(-1, 2).tolist())
        points = parse_points(given, rows * columns).reshape(rows, columns, 2)
        corners = points[[0, 0, -1, -1], [0, -1, -1, 0]]
        x, y = corners[:, 0], corners[:, 1]
        turns = [_turn(corners, n) for n in range(4)]
        area = float(np.dot(x, np.roll(y, -1)) - np.dot(y, np.roll(x, -1))) / 2
        if min(turns) <= 0 or area < _LEAST_AREA:
            raise BadValue("points", "corners", "The corners cross. Place them clockwise from the top left.")
        return cls(**values, points=points)

    def as_dict(self) -> dict[str, Any]:
        """As `parse` reads it."""
        told = {value.name: getattr(self, value.name) for value in OWN_VALUES}
        return told | {"points": np.round(self.points, 6).reshape(-1, 2).tolist()}

    @cached_property
    def plane(self) -> Places:
        """From the cloth as the unit square to the picture, by its corners alone: (3, 3)."""
        return _plane(self.points)

    @cached_property
    def bend(self) -> Places:
        """How far each knot lies from where the plane has it, (rows + 1, columns + 1, 2)."""
        return self.points - _through(self.plane, _even(self.columns, self.rows))

    def places(self, across: Places, down: Places) -> Places:
        """Where places on the cloth, shares of it, lie on the picture: (len(down), len(across), 2)."""
        x, y = np.meshgrid(across, down)
        out = _through(self.plane, np.stack([x, y], axis=-1))
        if not self.bend.any():
            return out
        knots = np.linspace(0, 1, self.rows + 1), np.linspace(0, 1, self.columns + 1)
        degrees = {"kx": min(3, self.rows), "ky": min(3, self.columns)}
        for n in (0, 1):
            out[..., n] += RectBivariateSpline(*knots, self.bend[..., n], s=0, **degrees)(down, across)
        return out

    def moved(self, knot: int, x: float, y: float) -> Laying:
        """With one knot somewhere else; where that is a corner, all others follow the plane. Raises BadValue."""
        row, column = divmod(knot, self.columns + 1)
        points = self.points.copy()
        points[row, column] = x, y
        if row in (0, self.rows) and column in (0, self.columns):
            points[:] = _through(_plane(points), _even(self.columns, self.rows)) + self.bend
        return Laying.parse(self.as_dict() | {"points": points.reshape(-1, 2).tolist()})

    def with_grid(self, columns: int, rows: int) -> Laying:
        """The same cloth under another grid; raises BadValue."""
        points = self.places(np.linspace(0, 1, columns + 1), np.linspace(0, 1, rows + 1))
        told = {"columns": columns, "rows": rows, "points": points.reshape(-1, 2).tolist()}
        return Laying.parse(self.as_dict() | told)


def first_points(columns: int, rows: int) -> Places:
    """Where a grid lies before it is dragged: in the middle of the picture."""
    return 0.2 + 0.6 * _even(columns, rows)


def parse_points(told: Any, many: int) -> Places:
    """Pairs of numbers from outside, (many, 2); raises BadValue."""
    rule = f"must be {many} pairs of numbers, shares of the picture from -1 to 2"
    if not isinstance(told, Sequence) or len(told) != many:
        raise BadValue("points", str(told)[:60], rule)
    for pair in told:
        good = isinstance(pair, Sequence) and len(pair) == 2
        if not good or not all(type(one) in (int, float) and -1 <= one <= 2 for one in pair):
            raise BadValue("points", str(pair)[:60], rule)
    return np.array(told, np.float64)


def check_layer(name: str, size: tuple[int, int], of: tuple[int, int]) -> None:
    """Raise BadValue for a mask or a shade without the proportions of its picture; sizes: (rows, columns)."""
    if abs(size[1] * of[0] - size[0] * of[1]) > 2 * max(of):
        rule = f"must have the same proportions as the photo, {of[1]} × {of[0]} px"
        raise BadValue(name, f"{size[1]} x {size[0]} px", rule)


def _turn(corners: Places, n: int) -> float:
    one, two = corners[(n + 1) % 4] - corners[n], corners[(n + 2) % 4] - corners[(n + 1) % 4]
    return float(one[0] * two[1] - one[1] * two[0])


def _even(columns: int, rows: int) -> Places:
    x, y = np.meshgrid(np.linspace(0, 1, columns + 1), np.linspace(0, 1, rows + 1))
    return np.stack([x, y], axis=-1)


def _plane(points: Places) -> Places:
    square = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], np.float32)
    corners = points[[0, 0, -1, -1], [0, -1, -1, 0]].astype(np.float32)
    return np.asarray(cv2.getPerspectiveTransform(square, corners), np.float64)


def _through(plane: Places, places: Places) -> Places:
    flat = np.concatenate([places, np.ones((*places.shape[:-1], 1))], axis=-1) @ plane.T
    return np.asarray(flat[..., :2] / flat[..., 2:], np.float64)


@dataclass(frozen=True)
class OwnSurface:
    """A picture that a repeat is laid on. key: its name and state, by which what is drawn is kept.

    picture: (rows, columns, 3); mask and shade: uint8 (rows, columns), or None. mask: light where the tile shows.
    shade: how light falls on it, white: as it is; None: as in the picture, whose brightest tenth on the cloth counts as
    white.
    """

    key: str
    picture: Rgb
    laying: Laying
    mask: NDArray[np.uint8] | None = None
    shade: NDArray[np.uint8] | None = None

    @cached_property
    def scene(self) -> Scene:
        """The cloth as a flat sheet that is bent within the picture; its px are the scene's mm."""
        high, wide = self.picture.shape[:2]
        across = np.linspace(0, 1, _FINE + 1)
        places = self.laying.places(across, across) * (wide, high) - (wide / 2, high / 2)
        points = np.concatenate([places, np.zeros((*places.shape[:2], 1))], axis=-1)
        uv = np.stack(np.meshgrid(across * self.laying.width_mm, across * self.laying.height_mm), axis=-1)
        return Scene([Sheet(points, uv)], (float(wide), float(high)), _FAR_MM)

    @property
    def size_mm(self) -> tuple[float, float]:
        """How large the picture is at the scale that its cloth has in the mean, (width, height)."""
        high, wide = self.picture.shape[:2]
        corners = self.laying.points[[0, 0, -1, -1], [0, -1, -1, 0]] * (wide, high)
        area = cv2.contourArea(corners.astype(np.float32))
        scale = float(np.sqrt(self.laying.width_mm * self.laying.height_mm / area))
        return wide * scale, high * scale

    def drawn(self, tile: Pyramid, ppi: float, look: Look, width: int) -> NDArray[np.uint8]:
        """A tile on it, at `width` px: opaque RGBA. Raises BadValue for a width or ppi out of range."""
        scene, planes = drawn_scene(self.key, lambda: self.scene, width)
        on = laid(scene, planes, tile, ppi, look)
        rows, columns = planes.sheet.shape
        size = columns, rows
        under = cv2.resize(self.picture, size, interpolation=cv2.INTER_AREA).astype(np.float32)
        cover = planes.cover
        light = self._light(under, cover)
        if self.mask is not None:
            cover = cover * (cv2.resize(self.mask, size, interpolation=cv2.INTER_AREA).astype(np.float32) / 255)
        out = np.full((rows, columns, 4), 255, np.uint8)
        lit = np.minimum(on[..., :3].astype(np.float32) * light[..., None], 255)
        out[..., :3] = np.rint(under + (lit - under) * cover[..., None])
        return out

    def _light(self, under: NDArray[np.float32], cover: NDArray[np.float32]) -> NDArray[np.float32]:
        if self.shade is not None:
            light = cv2.resize(self.shade, cover.shape[::-1], interpolation=cv2.INTER_AREA).astype(np.float32) / 255
        else:
            light = under @ np.array(LUMA, np.float32) / 255
            there = light[cover > 0.5]
            light = light / max(float(np.percentile(there, 90)) if there.size else 1.0, 0.02)
        return np.asarray(np.clip(1 + (light - 1) * self.laying.shade, 0, 2), np.float32)
