"""Effects at the edges of a layer: outline, glow, soft shade, relief. Settings of the layer, never in its pixels.

They are worked out block by block from how opaque the layer is there and around it, so that they follow the paint.
Distances are those of px middles to the nearest px that is at least half opaque (Euclidean, exact); a glow of size s is
a Gaussian of standard deviation s / 2.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from fractions import Fraction
from math import ceil, cos, radians, sin
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.canvases.blocks import Block
from orvix.canvases.compositing import colour_to_unit, lay_on
from orvix.errors import BadValue
from orvix.geometry import BLOCK
from orvix.registry import Registry, Value, check_values

Plane = NDArray[np.float32]
Picture = NDArray[np.float32]
"""float32 (rows, columns, 4), premultiplied, 0 to 1."""
MOST_PX = 256.0
MOST_EFFECTS = 8
_FARTHEST = 1e6


@dataclass(frozen=True)
class EffectKind:
    """reach: how many px around a px count. under, over: what lies under the layer and atop it, or None for nothing.

    Both take the opacity around, float32 (rows, columns), and the values; `over` is cut to the layer.
    """

    name: str
    title: str
    help: str
    values: tuple[Value, ...]
    reach: Callable[[Mapping[str, Any]], float]
    under: Callable[[Plane, Mapping[str, Any]], Picture | None]
    over: Callable[[Plane, Mapping[str, Any]], Picture | None]


EFFECTS: Registry[EffectKind] = Registry("effect")


@dataclass(frozen=True)
class Effect:
    """One effect of a layer: its kind, and its values as pairs, in the order of the kind."""

    kind: str
    values: tuple[tuple[str, Any], ...]

    @classmethod
    def parse(cls, told: Any) -> Effect:
        """One from JSON data, {"kind": ..., values}; raises UnknownName and BadValue."""
        if not isinstance(told, dict):
            raise BadValue("effect", str(told)[:60], "must be an object with a kind")
        kind = EFFECTS.get(told.get("kind"))
        given = {name: value for name, value in told.items() if name != "kind"}
        return cls(kind.name, tuple(check_values(kind.values, given, kind.name).items()))

    def as_dict(self) -> dict[str, Any]:
        """As JSON holds it; `Effect.parse` gives the same again."""
        return {"kind": self.kind, **dict(self.values)}

    def at_times(self, times: Fraction) -> Effect:
        """The same on a canvas that is so many times larger."""
        px = {value.name for value in EFFECTS.get(self.kind).values if value.unit == "px"}
        larger = {name: max(min(float(times) * one, MOST_PX), -MOST_PX) for name, one in self.values if name in px}
        return Effect(self.kind, tuple((name, larger.get(name, one)) for name, one in self.values))

    @property
    def reach(self) -> int:
        """How many px around a px count, whole."""
        return ceil(EFFECTS.get(self.kind).reach(dict(self.values)))


def parse_effects(told: Any) -> tuple[Effect, ...]:
    """The effects of a layer from JSON data; raises BadValue."""
    if not isinstance(told, list | tuple) or len(told) > MOST_EFFECTS:
        raise BadValue("effects", str(told)[:60], f"must be a list of at most {MOST_EFFECTS}")
    return tuple(Effect.parse(one) for one in told)


def reach_of(effects: Iterable[Effect]) -> int:
    """How many px around a px count for any of them."""
    return max((one.reach for one in effects), default=0)


def rendered(effects: Iterable[Effect], opacity: Plane, margin: int) -> tuple[Block | None, Block | None]:
    """What lies under a block of a layer and what lies atop it, for its effects in their order; None for nothing.

    opacity: float32 (BLOCK + 2 margin, BLOCK + 2 margin), of the layer, 0 to 1.
    """
    if not opacity.any():
        return None, None
    found: list[Block | None] = [None, None]
    inner = slice(margin, margin + BLOCK)
    for one in effects:
        kind, values = EFFECTS.get(one.kind), dict(one.values)
        for n, make in enumerate((kind.under, kind.over)):
            picture = make(opacity, values)
            if picture is None:
                continue
            cut = np.ascontiguousarray(picture[inner, inner])
            block = (np.clip(cut, 0, 1) * np.float32(65535) + np.float32(0.5)).astype(np.uint16)
            np.minimum(block[..., :3], block[..., 3:], out=block[..., :3])
            held = found[n]
            if held is None:
                found[n] = block
            else:
                lay_on(held, block)
    under, over = (None if one is None or not one.any() else one for one in found)
    return under, over


def _coloured(cover: Plane, values: Mapping[str, Any]) -> Picture:
    strength = np.clip(cover, 0, 1) * np.float32(values["strength"])
    out = np.empty((*cover.shape, 4), np.float32)
    out[..., :3] = colour_to_unit(values["colour"]) * strength[..., None]
    out[..., 3] = strength
    return out


def _distance(inside: NDArray[np.bool_]) -> Plane:
    """From each px outside a set to the nearest in it, px; far where there is none."""
    if not inside.any():
        return np.full(inside.shape, _FARTHEST, np.float32)
    away = cv2.distanceTransform((~inside).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    return np.asarray(away, np.float32)


def _soft(plane: Plane, size: float) -> Plane:
    """Blurred by a Gaussian of size / 2 px, cut off at three times it: so that nothing beyond `_blur_reach` counts."""
    side = 2 * ceil(1.5 * size) + 1
    return np.asarray(
        cv2.GaussianBlur(plane, (side, side), max(size / 2, 0.3), borderType=cv2.BORDER_REPLICATE), np.float32
    )


_COLOUR = Value("colour", "Colour", "colour", "#1c1e21", "Colour of the effect.")
_STRENGTH = Value("strength", "Strength", "number", 1.0, "Strength of the effect.", low=0, high=1)
OUTLINE = (
    Value("width", "Width", "number", 6.0, "Width of the line.", unit="px", low=0.5, high=MOST_PX),
    Value(
        "place",
        "Position",
        "choice",
        "outside",
        "Outside, on or inside the edge.",
        choices=("outside", "middle", "inside"),
    ),
    _COLOUR,
    _STRENGTH,
)
GLOW = (
    Value("size", "Size", "number", 24.0, "How far the effect reaches.", unit="px", low=1, high=MOST_PX),
    Value("place", "Position", "choice", "outside", "Outside or inside the edge.", choices=("outside", "inside")),
    Value("colour", "Colour", "colour", "#f5d07a", "Colour of the effect."),
    _STRENGTH,
)
SHADE = (
    Value("right", "Offset X", "number", 8.0, "Moves the shadow to the right.", unit="px", low=-MOST_PX, high=MOST_PX),
    Value("down", "Offset Y", "number", 10.0, "Moves the shadow down.", unit="px", low=-MOST_PX, high=MOST_PX),
    Value("size", "Softness", "number", 16.0, "Blurs the shadow.", unit="px", low=0.5, high=MOST_PX),
    _COLOUR,
    Value("strength", "Strength", "number", 0.5, "Strength of the effect.", low=0, high=1),
)
RELIEF = (
    Value("size", "Size", "number", 10.0, "Width of the raised edge.", unit="px", low=1, high=MOST_PX),
    Value(
        "from",
        "Light from",
        "number",
        315.0,
        "Direction of the light, clockwise from the top.",
        unit="°",
        low=0,
        high=360,
    ),
    Value("strength", "Strength", "number", 0.6, "Strength of the effect.", low=0, high=1),
)


def _outline_part(inside: bool) -> Callable[[Plane, Mapping[str, Any]], Picture | None]:
    def part(opacity: Plane, values: Mapping[str, Any]) -> Picture | None:
        place = values["place"]
        if place == ("outside" if inside else "inside"):
            return None
        width = values["width"] / (2 if place == "middle" else 1)
        solid = opacity >= 0.5
        return _coloured(np.clip(width + 0.5 - _distance(~solid if inside else solid), 0, 1), values)

    return part


def _glow_part(inside: bool) -> Callable[[Plane, Mapping[str, Any]], Picture | None]:
    def part(opacity: Plane, values: Mapping[str, Any]) -> Picture | None:
        if (values["place"] == "inside") != inside:
            return None
        soft = _soft(opacity, values["size"])
        return _coloured(2 * (1 - soft if inside else soft), values)

    return part


def _shade(opacity: Plane, values: Mapping[str, Any]) -> Picture:
    move = np.array([[1, 0, values["right"]], [0, 1, values["down"]]], np.float32)
    size = (opacity.shape[1], opacity.shape[0])
    moved = cv2.warpAffine(opacity, move, size, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return _coloured(_soft(np.asarray(moved, np.float32), values["size"]), values)


def _relief(opacity: Plane, values: Mapping[str, Any]) -> Picture:
    """Light and dark by how the blurred opacity slopes towards the light, over its steepest slope (size / 2 from 1)."""
    height = _soft(opacity, values["size"])
    across, down = cv2.Sobel(height, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(height, cv2.CV_32F, 0, 1, scale=1 / 8)
    angle = radians(values["from"])
    slope = -(across * sin(angle) - down * cos(angle)) * np.float32(values["size"] * 1.25)
    strength = np.clip(np.abs(slope), 0, 1) * np.float32(values["strength"])
    out = np.zeros((*opacity.shape, 4), np.float32)
    out[..., 3] = strength
    out[..., :3] = np.where(slope > 0, strength, 0)[..., None]
    return out


def _nothing(_: Plane, __: Mapping[str, Any]) -> None:
    return None


def _blur_reach(values: Mapping[str, Any]) -> float:
    return 1.5 * float(values["size"]) + 2


EFFECTS.add(
    "outline",
    EffectKind(
        "outline", "Outline", "Adds a line along the edge of the paint.", OUTLINE, lambda values: values["width"] + 2,
        _outline_part(False), _outline_part(True),
    ),
)  # fmt: skip
EFFECTS.add(
    "glow",
    EffectKind("glow", "Glow", "Adds a glow along the edge.", GLOW, _blur_reach, _glow_part(False), _glow_part(True)),
)
EFFECTS.add(
    "shade",
    EffectKind(
        "shade", "Shadow", "Adds a soft shadow.", SHADE,
        lambda values: _blur_reach(values) + max(abs(values["right"]), abs(values["down"])), _shade, _nothing,
    ),
)  # fmt: skip
EFFECTS.add(
    "relief",
    EffectKind(
        "relief", "Relief", "Shades the edge as if the paint were raised.", RELIEF, _blur_reach, _nothing, _relief
    ),
)
