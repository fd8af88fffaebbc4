"""A scene: sheets in space, in mm, as a camera sees them. What a surface is made of; how it is drawn is `rendering`'s.

x goes right, y down, z towards the camera, and the middle of the picture is the origin. The camera looks along -z from
`distance_mm`; what lies at z = 0 is shown at the picture's own scale.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from orvix.registry import Registry, Value

Points = NDArray[np.float64]
Plane = NDArray[np.float64]


@dataclass(frozen=True)
class Sheet:
    """A grid of places in space.

    points: (n, m, 3) in mm. uv: (n, m, 2), the same places on the cloth, in mm from its upper left: neighbours lie as
    far apart there as in space. colour: of what is no cloth, as three numbers 0 to 1; None: it shows the tile.
    shade: (n, m), times the light, or None. shine: how strongly it mirrors the light, 0 to 1. cover: (n, m) of 0 and 1,
    where there is cloth at all, or None: everywhere.
    """

    points: Points
    uv: Points
    colour: tuple[float, float, float] | None = None
    shade: Plane | None = None
    shine: float = 0.0
    cover: Plane | None = None
    both_sides: bool = True

    def moved(self, x: float = 0.0, y: float = 0.0, z: float = 0.0) -> Sheet:
        """The same sheet somewhere else."""
        return replace(self, points=self.points + np.array([x, y, z]))

    def turned(self, axis: str, degrees: float) -> Sheet:
        """Turned about the x, y or z axis; from x to y, y to z or z to x."""
        angle = np.radians(degrees)
        a, b = {"x": (1, 2), "y": (2, 0), "z": (0, 1)}[axis]
        points = self.points.copy()
        points[..., a] = self.points[..., a] * np.cos(angle) - self.points[..., b] * np.sin(angle)
        points[..., b] = self.points[..., a] * np.sin(angle) + self.points[..., b] * np.cos(angle)
        return replace(self, points=points)

    def in_colour(self, red: float, green: float, blue: float, shine: float = 0.0) -> Sheet:
        """The same sheet as something that is no cloth."""
        return replace(self, colour=(red, green, blue), shine=shine)


@dataclass(frozen=True)
class Scene:
    """Sheets and how they are looked at. size_mm: what the picture shows, (width, height), at z = 0."""

    sheets: Sequence[Sheet]
    size_mm: tuple[float, float]
    distance_mm: float
    shadow_mm: float = 0.0
    """How far down a soft shadow falls behind it; 0: none."""
    light: tuple[float, float, float] = (-0.42, -0.5, 0.76)

    @cached_property
    def corners(self) -> list[Points]:
        """What is seen of each sheet's corners, (n, m, 7); worked out once, for every size.

        x and y in mm from the middle at the picture's own scale; near (1 / distance in mm); u, v, light and gloss, each
        times near.
        """
        return [_seen(self, one) for one in self.sheets]


def _seen(scene: Scene, sheet: Sheet) -> Points:
    near = 1 / (scene.distance_mm - sheet.points[..., 2])
    at = sheet.points[..., :2] * (scene.distance_mm * near)[..., None]
    light, gloss = _lit(scene, sheet)
    told = np.stack([sheet.uv[..., 0], sheet.uv[..., 1], light, gloss], axis=-1) * near[..., None]
    return np.ascontiguousarray(np.concatenate([at, near[..., None], told], axis=-1))


def _lit(scene: Scene, sheet: Sheet) -> tuple[Plane, Plane]:
    """Light as a share, 1 where a sheet faces the eye, and gloss (Blinn's half vector), for each corner."""
    down, across = np.gradient(sheet.points, axis=0), np.gradient(sheet.points, axis=1)
    normal = np.cross(across, down)
    normal /= np.maximum(np.linalg.norm(normal, axis=-1, keepdims=True), 1e-9)
    eye = np.array([0.0, 0.0, scene.distance_mm]) - sheet.points
    eye /= np.linalg.norm(eye, axis=-1, keepdims=True)
    if sheet.both_sides:
        normal = np.where((normal * eye).sum(-1, keepdims=True) < 0, -normal, normal)
    to_light = np.array(scene.light) / np.linalg.norm(scene.light)
    facing = (normal * to_light).sum(-1)
    light = 0.5 + 0.5 * np.maximum(facing, 0.0) / to_light[2]
    light = np.where(light > 1, 1 + 0.35 * (light - 1), light) * (1.0 if sheet.shade is None else sheet.shade)
    half = eye + to_light
    half /= np.linalg.norm(half, axis=-1, keepdims=True)
    gloss = sheet.shine * np.maximum((normal * half).sum(-1), 0) ** 40
    return light, gloss


LOOK_VALUES = (
    Value("scale", "Scale", "number", 1.0, "Size of the tile, relative to true size.", low=1 / 64, high=64),
    Value("turn", "Rotation", "number", 0.0, "Rotates the tile clockwise.", unit="°", low=-360, high=360),
    Value("x", "Offset X", "number", 0.0, "Moves the tile to the right.", unit="mm", low=-10_000, high=10_000),
    Value("y", "Offset Y", "number", 0.0, "Moves the tile down.", unit="mm", low=-10_000, high=10_000),
    Value("cloth", "Material", "colour", "#f2efe6", "Colour of the surface where the tile is transparent."),
)  # fmt: skip


@dataclass(frozen=True)
class Surface:
    """A thing that a repeat is laid on: its name, what is true of its size, and how its scene is made."""

    name: str
    title: str
    help: str
    make: Callable[[], Scene] = field(repr=False)
    size: str = ""
    """Its true size in words."""

    @cached_property
    def scene(self) -> Scene:
        """Its scene, made once."""
        return self.make()

    def describe(self) -> dict[str, object]:
        """The surface as the command line lists it (JSON types only)."""
        told = {"name": self.name, "title": self.title, "kind": "drawn", "size": self.size, "help": self.help}
        return told | {"values": [value.describe() for value in LOOK_VALUES]}


SURFACES: Registry[Surface] = Registry("surface")


def add_surface(name: str, title: str, size: str, words: str) -> Callable[[Callable[[], Scene]], Callable[[], Scene]]:
    """Register the scene that the decorated function makes."""

    def added(make: Callable[[], Scene]) -> Callable[[], Scene]:
        SURFACES.add(name, Surface(name, title, words, make, size))
        return make

    return added
