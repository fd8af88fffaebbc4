"""The looks of a proof wall: the repeat so many times by so many, the same from a distance, and on surfaces.

All looks of one wall are drawn at one scale, px a mm, so that sizes can be compared by eye.

From a distance of d mm an eye of one arc minute tells nothing apart that is closer than d tan(1/60 degree); the blur is
that of `orvix.readings.squint`. What is s mm wide is seen under an angle of 2 atan(s / 2d); whoever sits at b mm from a
screen sees it as large where it is drawn s b / d mm wide.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass, field
from math import atan, degrees, pi, tan
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from orvix.bands import in_bands
from orvix.canvases.compositing import colour_to_rgb
from orvix.colour.colourways import Colourway, parse_colourways
from orvix.errors import BadValue, UnknownName
from orvix.pictures.writing import eight_bit
from orvix.proofs.own import OwnSurface
from orvix.proofs.rendering import MM_AN_INCH, Look, on_surface
from orvix.proofs.sampling import Pyramid, sample
from orvix.proofs.surfaces import SURFACES
from orvix.proofs.vision import AS_IT_IS, VISIONS, seen_by
from orvix.readings.squint import blur_px
from orvix.registry import Value, check_colour, check_values
from orvix.tiles.repeats import Repeat

MOST_PANELS = 24
MOST_SIDE, MOST_SURFACE_SIDE = 4096, 2400
"""Larger looks are drawn at so many px a side; the page enlarges them."""
KINDS = ("repeat", "distance", "surface")
OWN = "own:"
"""How the name of a painter's own surface begins; its number follows."""
COUNTS = (
    Value("columns", "Columns", "whole", 4, "Number of repeats across.", low=1, high=12),
    Value("rows", "Rows", "whole", 3, "Number of repeats down.", low=1, high=12),
)
METRES = Value("metres", "Distance", "number", 4.0, "Viewing distance.", unit="m", low=0.1, high=100)
PPI = Value("ppi", "Print resolution", "number", 300.0, "Tile pixels per inch of print.", unit="ppi", low=10, high=2400)
DISTANCES = (("arm's length", 0.6), ("across a room", 4.0), ("across a street", 12.0))


OwnOf = Callable[[int], OwnSurface]


@dataclass(frozen=True)
class Cloth:
    """What a proof is of: one tile as a pyramid, (width, height) in px, its repeat and its px an inch."""

    pyramid: Pyramid
    size: tuple[int, int]
    ppi: float

    @classmethod
    def of(cls, pixels: NDArray[np.uint16] | NDArray[np.uint8], repeat: Repeat, ppi: float) -> Cloth:
        """pixels: premultiplied, (rows, columns, 4), of 8 or 16 bits."""
        eight = (
            eight_bit(pixels.astype(np.uint16, copy=False)) if pixels.dtype == np.uint16 else pixels.astype(np.uint8)
        )
        return cls(Pyramid.of(eight, repeat), (pixels.shape[1], pixels.shape[0]), ppi)

    @property
    def size_mm(self) -> tuple[float, float]:
        """One repeat, when printed at its own resolution."""
        return self.size[0] / self.ppi * MM_AN_INCH, self.size[1] / self.ppi * MM_AN_INCH


@dataclass(frozen=True)
class Shown:
    """What of a thing is looked at. version: a kept version or state by its number, 0: as it is now. layer: one of a
    canvas, over nothing, 0: all. colours: the name of a colourway of the wall, empty: its own."""

    version: int = 0
    layer: int = 0
    colours: str = ""

    @classmethod
    def parse(cls, told: Mapping[str, Any]) -> Shown:
        """From outside; raises BadValue."""
        for name in ("version", "layer"):
            if type(told.get(name, 0)) is not int or not 0 <= told.get(name, 0) < 2**31:
                raise BadValue(name, str(told[name])[:40], "must be the number of one, or 0")
        if not isinstance(told.get("colours", ""), str):
            raise BadValue("colours", str(told["colours"])[:40], "must be the name of a colourway")
        return cls(**{name: told[name] for name in SHOWN if name in told})

    def as_dict(self) -> dict[str, Any]:
        """As `parse` reads it; what is not usual."""
        return {name: value for name, value in asdict(self).items() if value}


SHOWN = ("version", "layer", "colours")


@dataclass(frozen=True)
class Panel:
    """One look on a wall: `columns` by `rows` of the repeat, from `metres` away where the kind is "distance"; or how it
    lies on a surface. shown: of what."""

    kind: str = "repeat"
    columns: int = 4
    rows: int = 3
    metres: float = 4.0
    surface: str = ""
    look: Look = field(default_factory=Look)
    shown: Shown = Shown()
    own: OwnSurface | None = field(default=None, compare=False)
    """The painter's own surface, where it is one."""

    @classmethod
    def parse(cls, told: Any, own_of: OwnOf | None = None) -> Panel:
        """From outside; raises BadValue and UnknownName. own_of: gives a painter's own surfaces by their number."""
        if not isinstance(told, Mapping):
            raise BadValue("look", str(told)[:60], "must be an object with a kind")
        kind = told.get("kind")
        if kind not in KINDS:
            raise UnknownName("kind", kind, list(KINDS))
        shown = Shown.parse(told)
        rest = {name: value for name, value in told.items() if name != "kind" and name not in SHOWN}
        if kind == "surface":
            named = rest.pop("surface", None)
            if own_of is not None and isinstance(named, str) and named.startswith(OWN):
                own = own_of(int(named[len(OWN) :]) if named[len(OWN) :].isdecimal() else 0)
                return cls(kind, surface=named, look=Look.parse(rest), shown=shown, own=own)
            return cls(kind, surface=SURFACES.get(named).name, look=Look.parse(rest), shown=shown)
        values = (*COUNTS, METRES) if kind == "distance" else COUNTS
        return cls(kind, **check_values(values, rest, "look"), shown=shown)

    def as_dict(self) -> dict[str, Any]:
        """As `parse` reads it."""
        if self.kind == "surface":
            return {"kind": self.kind, "surface": self.surface, **asdict(self.look), **self.shown.as_dict()}
        told = {"kind": self.kind, "columns": self.columns, "rows": self.rows, **self.shown.as_dict()}
        return told | ({"metres": self.metres} if self.kind == "distance" else {})

    def size_mm(self, cloth: Cloth) -> tuple[float, float]:
        """What it shows, (width, height)."""
        if self.own is not None:
            return self.own.size_mm
        if self.kind == "surface":
            return SURFACES.get(self.surface).scene.size_mm
        return cloth.size_mm[0] * self.columns, cloth.size_mm[1] * self.rows

    @property
    def blur_mm(self) -> float:
        """The width that an eye of one arc minute tells nothing apart within; 0 for what is not seen from away."""
        return 1000 * self.metres * tan(pi / 10800) if self.kind == "distance" else 0.0

    def angle_deg(self, cloth: Cloth) -> tuple[float, float] | None:
        """The angles under which it is seen from away, (across, down), in degrees."""
        if self.kind != "distance":
            return None
        across, down = (degrees(2 * atan(side / (2000 * self.metres))) for side in self.size_mm(cloth))
        return across, down


@dataclass(frozen=True)
class Wall:
    """Looks side by side, at how many px an inch the tile is printed, by whose eyes they are seen, what lies under
    a tile that is clear, and the colourways that looks may be in."""

    panels: tuple[Panel, ...] = (Panel(),)
    ppi: float = 300.0
    vision: str = AS_IT_IS
    cloth: str = "#f2efe6"
    colourways: tuple[Colourway, ...] = ()

    @classmethod
    def parse(cls, told: Any, own_of: OwnOf | None = None) -> Wall:
        """From outside; raises BadValue and UnknownName. own_of: as `Panel.parse` takes it."""
        if not isinstance(told, Mapping) or not isinstance(told.get("panels"), list):
            raise BadValue("wall", str(told)[:60], "must be an object with a list of panels")
        if not 1 <= len(told["panels"]) <= MOST_PANELS:
            raise BadValue("panels", len(told["panels"]), f"must be 1 to {MOST_PANELS}")
        vision = told.get("vision", AS_IT_IS)
        if vision not in VISIONS:
            raise UnknownName("vision", vision, list(VISIONS))
        panels = tuple(Panel.parse(one, own_of) for one in told["panels"])
        ppi = PPI.check(told.get("ppi", cls.ppi))
        colourways = parse_colourways(told.get("colourways", []))
        for panel in panels:
            swaps_of(colourways, panel.shown)
        return cls(panels, ppi, vision, check_colour("cloth", told.get("cloth", cls.cloth)), colourways)

    def as_dict(self) -> dict[str, Any]:
        """As `parse` reads it."""
        told = {"panels": [one.as_dict() for one in self.panels], "ppi": self.ppi}
        told |= {"vision": self.vision, "cloth": self.cloth}
        return told | ({"colourways": [one.as_dict() for one in self.colourways]} if self.colourways else {})


def swaps_of(colourways: tuple[Colourway, ...], shown: Shown) -> tuple[tuple[str, str], ...]:
    """The colours that are swapped in what is shown; raises UnknownName."""
    if not shown.colours:
        return ()
    known = {one.name: one.swaps for one in colourways}
    if shown.colours not in known:
        raise UnknownName("colours", shown.colours, list(known))
    return known[shown.colours]


def drawn(
    panel: Panel, cloth: Cloth, px_per_mm: Any, vision: str = AS_IT_IS, ground: str = "#f2efe6"
) -> NDArray[np.uint8]:
    """One look at a scale, straight RGBA (rows, columns, 4); at most 4096 px a side (a surface 2400), then at
    a smaller scale.

    ground: what lies under a tile that is clear, where it is not the surface's own. Raises BadValue for a scale that is
    none, UnknownName for eyes that are not known.
    """
    if not isinstance(px_per_mm, int | float) or isinstance(px_per_mm, bool) or not 1e-4 <= px_per_mm <= 1000:
        raise BadValue("px_per_mm", px_per_mm, "must be 0.0001 to 1000")
    size = panel.size_mm(cloth)
    px_per_mm = min(px_per_mm, (MOST_SURFACE_SIDE if panel.kind == "surface" else MOST_SIDE) / max(size))
    width, height = (max(round(side * px_per_mm), 1) for side in size)
    if panel.own is not None:
        out = panel.own.drawn(cloth.pyramid, cloth.ppi, panel.look, max(width, 64))
    elif panel.kind == "surface":
        out = on_surface(panel.surface, cloth.pyramid, cloth.ppi, panel.look, max(width, 64))
    else:
        sigma = blur_px(1000 * panel.metres, px_per_mm * MM_AN_INCH) if panel.kind == "distance" else 0.0
        out = _laid_flat(cloth, Look(cloth=ground), px_per_mm, width, height, int(3 * sigma + 1) if sigma > 0.05 else 0)
        if sigma > 0.05:
            out = _blurred(out, sigma, width, height)
    return seen_by(out, vision)


def _blurred(out: NDArray[np.uint8], sigma: float, width: int, height: int) -> NDArray[np.uint8]:
    edge = (out.shape[0] - height) // 2
    soft = cv2.GaussianBlur(out, (0, 0), sigma)
    return np.ascontiguousarray(soft[edge : edge + height, edge : edge + width])


def _laid_flat(cloth: Cloth, look: Look, px_per_mm: float, width: int, height: int, edge: int) -> NDArray[np.uint8]:
    """The repeat seen straight from above, `edge` px wider on every side."""
    columns, rows = width + 2 * edge, height + 2 * edge
    across = ((np.arange(columns) + 0.5 - edge) / px_per_mm).astype(np.float32)
    down = ((np.arange(rows) + 0.5 - edge) / px_per_mm).astype(np.float32)
    colours = np.tile(np.array(colour_to_rgb(look.cloth), np.float32), (256, 1))
    shows, pyramid = np.ones(256, np.bool_), cloth.pyramid
    on = (pyramid.px, pyramid.levels, pyramid.kind, look.to_px(cloth.ppi), 1 / px_per_mm)
    out = np.empty((rows, columns, 4), np.uint8)

    def band(top: int, bottom: int) -> None:
        # Its planes are made for the band alone: whole ones would weigh many times what is shown.
        shape = bottom - top, columns
        u, v = np.tile(across, (shape[0], 1)), np.repeat(down[top:bottom, None], columns, axis=1)
        told = np.zeros((4, *shape), np.float32)
        told[[0, 2]] = 1
        sample(out[top:bottom], u, v, np.zeros(shape, np.uint8), told, colours, shows, *on, 0, shape[0])

    in_bands(rows, columns, band)
    return out
