"""Symmetry of strokes: every mark laid again where a mirror, a turn or a glide takes it, while the hand draws one.

It is the marks that are taken there, turned and mirrored with their tips, not the pixels: so a copy that is turned is
as crisp as the first, and grain that lies on the canvas lies under all of them alike.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from fractions import Fraction
from math import ceil, cos, pi, sin
from typing import Any

import numpy as np
from numpy.typing import NDArray

from orvix.errors import BadValue, UnknownName
from orvix.strokes import laying

Plane = NDArray[np.float32]
Wholes = NDArray[np.int64]
Maps = NDArray[np.float64]
"""(copies, 2, 3): a place (x, y) in px of the canvas goes to map @ (x, y, 1); the first stays where it is."""
KINDS = ("mirror", "turn", "glide")
AXES = ("across", "down", "both")
MOST_COPIES = 64
_FARTHEST = 65_536.0
_PARTS = 4096
"""As in `coats`: places are whole parts of a px."""


@dataclass(frozen=True)
class Symmetry:
    """kind: one of KINDS. x, y: its middle, px of the unscaled canvas. axes: which way a mirror turns over, of AXES.

    count: how many times a turn comes round, 2 to 32; mirrored: each of them mirrored as well. step: how far a glide
    goes on each time it turns over, px; its axes say along which way, across or down.
    """

    kind: str
    x: float
    y: float
    axes: str = "across"
    count: int = 6
    mirrored: bool = False
    step: float = 128.0

    @classmethod
    def parse(cls, told: Any) -> Symmetry:
        """One from JSON data; raises BadValue."""
        if not isinstance(told, dict):
            raise BadValue("symmetry", str(told)[:60], "must be an object with a kind")
        known = ("kind", "x", "y", "axes", "count", "mirrored", "step")
        for name in told:
            if name not in known:
                raise UnknownName("value of a symmetry", name, list(known))
        if told.get("kind") not in KINDS:
            raise UnknownName("kind of symmetry", told.get("kind"), list(KINDS))
        axes, count, mirrored = told.get("axes", "across"), told.get("count", 6), told.get("mirrored", False)
        if axes not in AXES or (told["kind"] == "glide" and axes == "both"):
            raise BadValue("axes", axes, "must be across or down, or for a mirror both")
        if type(count) is not int or not 2 <= count <= 32:
            raise BadValue("count", count, "must be 2 to 32")
        if not isinstance(mirrored, bool):
            raise BadValue("mirrored", mirrored, "must be true or false")
        x, y, step = (_px(name, told.get(name, usual)) for name, usual in (("x", None), ("y", None), ("step", 128.0)))
        if step < 1:
            raise BadValue("step", step, "must be at least 1 px")
        return cls(told["kind"], x, y, axes, count, mirrored, step)

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it; `Symmetry.parse` gives the same again."""
        return asdict(self)

    def maps(self, width: int, height: int, times: Fraction) -> Maps:
        """Where marks are laid again, on a canvas of so many px after `times`; raises BadValue for too many copies."""
        x, y, step = (float(times) * one for one in (self.x, self.y, self.step))
        if self.kind == "mirror":
            signs = {"across": [(1, 1), (-1, 1)], "down": [(1, 1), (1, -1)]}
            linear = [np.diag(one) for one in signs.get(self.axes, [(1, 1), (-1, 1), (1, -1), (-1, -1)])]
            return np.array([_about(one, x, y) for one in linear], np.float64)
        if self.kind == "turn":
            turns = [_turn(2 * pi * n / self.count) for n in range(self.count)]
            both = [turn @ over for over in (np.eye(2), np.diag([-1, 1]))[: 1 + self.mirrored] for turn in turns]
            return np.array([_about(one, x, y) for one in both])
        side = width if self.axes == "across" else height
        far = ceil(side / step)
        if 2 * far + 1 > MOST_COPIES:
            raise BadValue("step", self.step, f"a glide has at most {MOST_COPIES} copies: make its step larger")
        found = []
        for n in sorted(range(-far, far + 1), key=lambda n: (abs(n), n)):
            over = np.diag([1, -1] if self.axes == "across" else [-1, 1]) if n % 2 else np.eye(2)
            moved = _about(over, x, y)
            moved[0 if self.axes == "across" else 1, 2] += n * step
            found.append(moved)
        return np.array(found)


def _px(name: str, given: Any) -> float:
    if isinstance(given, bool) or not isinstance(given, int | float) or not abs(given) <= _FARTHEST:
        raise BadValue(name, given, f"must be a number of px, at most {_FARTHEST:.0f}")
    return float(given)


def _turn(angle: float) -> NDArray[np.float64]:
    return np.round(np.array([[cos(angle), -sin(angle)], [sin(angle), cos(angle)]]), 15)


def _about(linear: NDArray[Any], x: float, y: float) -> NDArray[np.float64]:
    at = np.array([x, y], np.float64)
    return np.column_stack([linear, at - linear @ at])


def copies_of(maps: Maps, places: Wholes, dabs: Plane, reach: Wholes) -> tuple[Wholes, Plane, Wholes]:
    """Every dab at every place that the maps take it to, dab by dab: places (n, 2), dabs, and how far each reaches."""
    count, copies = len(places), len(maps)
    at = places + dabs[:, [laying.OX, laying.OY]].astype(np.float64) + 0.5
    there = np.einsum("cij,nj->nci", maps[:, :, :2], at) + maps[None, :, :, 2] - 0.5
    there = np.round(there * _PARTS) / _PARTS
    whole = np.floor(there)
    out = np.repeat(dabs, copies, axis=0).reshape(count, copies, -1)
    out[:, :, [laying.OX, laying.OY]] = (there - whole).astype(np.float32)
    matrices = dabs[:, laying.M00 : laying.M11 + 1].reshape(count, 2, 2).astype(np.float64)
    turned = np.einsum("nij,ckj->ncik", matrices, maps[:, :, :2])
    out[:, :, laying.M00 : laying.M11 + 1] = turned.reshape(count, copies, 4).astype(np.float32)
    out[:, 0] = dabs
    whole[:, 0] = places
    upright = np.isin(np.abs(maps[:, :, :2]), (0.0, 1.0)).reshape(copies, 4).all(axis=1)
    wide = np.where(np.asarray(upright)[None], reach[:, None], np.ceil(reach[:, None] * 2**0.5)).astype(np.int64)
    return whole.astype(np.int64).reshape(-1, 2), out.reshape(count * copies, -1), wide.ravel()
