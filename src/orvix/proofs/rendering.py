"""A tile on a surface, as a picture: at its true scale, in the surface's light, with nothing around it."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from math import cos, radians, sin
from threading import Lock

import numpy as np
from numpy.typing import NDArray

from orvix.bands import in_bands
from orvix.canvases.compositing import colour_to_rgb
from orvix.errors import BadValue
from orvix.proofs.drawing import Drawn, draw
from orvix.proofs.sampling import Pyramid, sample
from orvix.proofs.surfaces import SURFACES, Scene
from orvix.proofs.surfaces.scene import LOOK_VALUES
from orvix.registry import check_values

MM_AN_INCH = 25.4
WIDTHS = (64, 4096)
KEPT_BYTES = 256 * 1024 * 1024
"""So much of scenes as they were drawn is kept, and the last one whatever it weighs."""
_lock = Lock()
_drawn: OrderedDict[tuple[str, int], tuple[Scene, Drawn]] = OrderedDict()


@dataclass(frozen=True)
class Look:
    """How a tile lies on a surface; see LOOK_VALUES."""

    scale: float = 1.0
    turn: float = 0.0
    x: float = 0.0
    y: float = 0.0
    cloth: str = "#f2efe6"

    @classmethod
    def parse(cls, told: dict[str, object]) -> Look:
        """From outside; raises BadValue and UnknownName."""
        return cls(**check_values(LOOK_VALUES, told, "look"))

    def to_px(self, ppi: float) -> NDArray[np.float64]:
        """From mm on the cloth to px of the tile, float64 (2, 3): moved back, turned back, then by ppi and scale."""
        per_mm = ppi / MM_AN_INCH / self.scale
        c, s = cos(radians(self.turn)) * per_mm, sin(radians(self.turn)) * per_mm
        return np.array([[c, s, -c * self.x - s * self.y], [-s, c, s * self.x - c * self.y]])


def scene_at(name: str, width: int) -> tuple[Scene, Drawn]:
    """A surface's scene and it drawn at a width; the last are kept. Raises UnknownName, BadValue."""
    surface = SURFACES.get(name)
    return drawn_scene(name, lambda: surface.scene, width)


def drawn_scene(key: str, scene_of: Callable[[], Scene], width: int) -> tuple[Scene, Drawn]:
    """A scene and it drawn at a width; the last are kept, by their key. Raises BadValue."""
    if type(width) is not int or not WIDTHS[0] <= width <= WIDTHS[1]:
        raise BadValue("width", width, f"must be {WIDTHS[0]} to {WIDTHS[1]} px")
    with _lock:
        found = _drawn.get((key, width))
    if found is None:
        scene = scene_of()
        found = scene, draw(scene, width)
        with _lock:
            _drawn[key, width] = found
            while len(_drawn) > 1 and sum(one.nbytes for _, one in _drawn.values()) > KEPT_BYTES:
                _drawn.popitem(last=False)
    return found


def on_surface(name: str, tile: Pyramid, ppi: float, look: Look, width: int) -> NDArray[np.uint8]:
    """A tile on a surface: straight RGBA uint8 (rows, width, 4), clear where there is nothing.

    ppi: of the tile. Raises UnknownName for the surface, BadValue for a width or ppi out of range.
    """
    return laid(*scene_at(name, width), tile, ppi, look)


def laid(scene: Scene, drawn: Drawn, tile: Pyramid, ppi: float, look: Look) -> NDArray[np.uint8]:
    """A tile on a scene as it was drawn, as `on_surface`; raises BadValue for a ppi out of range."""
    if not 1 <= ppi <= 10_000:
        raise BadValue("ppi", ppi, "must be 1 to 10000")
    rows, columns = drawn.sheet.shape
    colours = np.zeros((256, 3), np.float32)
    shows = np.zeros(256, np.bool_)
    for n, sheet in enumerate(scene.sheets):
        shows[n] = sheet.colour is None
        colours[n] = [255 * part for part in sheet.colour] if sheet.colour is not None else colour_to_rgb(look.cloth)
    out = np.empty((rows, columns, 4), np.uint8)
    on = (tile.px, tile.levels, tile.kind, look.to_px(ppi), 1 / drawn.px_per_mm)

    def band(top: int, bottom: int) -> None:
        sample(out, drawn.u, drawn.v, drawn.sheet, drawn.told, colours, shows, *on, top, bottom)

    in_bands(rows, columns, band)
    return out
