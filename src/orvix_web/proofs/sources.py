"""What a proof is of, as one tile with its repeat and its resolution. The last ones are held in memory."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from django.contrib.auth.models import User

from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.canvases.layers import parse_stack
from orvix.canvases.operations.chosen import chosen_layers
from orvix.canvases.taking import only
from orvix.colour.colourways import recoloured
from orvix.proofs.looks import Cloth, Shown
from orvix.proofs.rendering import MM_AN_INCH
from orvix.tiles.joining import Joining
from orvix.tiles.repeats import Repeat
from orvix_web.canvases.drawings import joining_of
from orvix_web.canvases.models import Canvas
from orvix_web.canvases.pictures import picture
from orvix_web.canvases.rows import load_kept
from orvix_web.errors import NotYours
from orvix_web.proofs.models import Proof
from orvix_web.tiles.models import Tile, TileVersion
from orvix_web.tiles.rendering import Recent, tile_state

Swaps = tuple[tuple[str, str], ...]
LARGEST_BITS = 12
"""No side of what is repeated has more than 2^this px: a larger canvas is looked at at half its size, or less."""
MOST_VERSIONS = 40
AS_IT_IS = Shown()
_CLOTHS = Recent(12, 360 * 1024 * 1024, lambda cloth: cloth.pyramid.px.nbytes)


@dataclass(frozen=True)
class Of:
    """The canvas or tile that a proof is of."""

    kind: str
    thing: Any

    @classmethod
    def proof(cls, proof: Proof) -> Of:
        """What this proof is of."""
        return cls("canvas", proof.canvas) if proof.canvas is not None else cls("tile", proof.tile)

    @property
    def number(self) -> int:
        """Its revision or version now."""
        return self.thing.revision if self.kind == "canvas" else self.thing.latest.number

    @property
    def ppi(self) -> float | None:
        """Its own resolution, where it has one; a tile is printed as is asked."""
        return float(self.thing.ppi) if self.kind == "canvas" else None

    def size_px(self) -> tuple[int, int]:
        """One repeat, (width, height)."""
        if self.kind == "tile":
            width, height = self.thing.latest.recipe["size"]
            return width, height
        joined = joining_of(self.thing)
        return joined.whole_size(self.thing.width, self.thing.height)

    def size_mm(self, ppi: float) -> tuple[float, float]:
        """One repeat printed; ppi: of a tile."""
        width, height = (side / (self.ppi or ppi) * MM_AN_INCH for side in self.size_px())
        return width, height

    def cloth(self, ppi: float, shown: Shown = AS_IT_IS, swaps: Swaps = ()) -> Cloth:
        """What is shown of it, its colours swapped; ppi: of a tile. For threads, never for the event loop.

        Raises NotYours for a version or layer that is not there.
        """
        key = (self.kind, self.thing.pk, self.number, shown.version, shown.layer, swaps)
        made = _CLOTHS.get(key, lambda: self._cloth(shown, swaps))
        return made if self.kind == "canvas" else replace(made, ppi=ppi)

    def _cloth(self, shown: Shown, swaps: Swaps) -> Cloth:
        pixels, repeat, ppi = self.laid_out(shown, swaps)
        return Cloth.of(pixels, repeat, ppi)

    def laid_out(self, shown: Shown = AS_IT_IS, swaps: Swaps = ()) -> tuple[Any, Repeat, float]:
        """One repeat of what is shown: premultiplied pixels of 8 or 16 bits, how it repeats and its px an inch (300 for
        a tile). A canvas with sides of over 4096 px is halved. Raises NotYours."""
        if self.kind == "tile":
            state = tile_state(self._version(shown.version))
            pixels, repeat, ppi = state.pixels, state.repeat, 300.0
        else:
            pixels, repeat, ppi = canvas_laid_out(self._canvas(shown))
        if swaps:
            pixels = recoloured(deep(pixels), swaps)
        return pixels, repeat, ppi

    def _version(self, number: int) -> TileVersion:
        found = self.thing.versions.filter(number=number).first() if number else self.thing.latest
        if found is None:
            raise NotYours(f"version={number}: {self.thing.name} has no such version")
        return found

    def _canvas(self, shown: Shown) -> CoreCanvas:
        canvas = load_kept(self.thing, shown.version) if shown.version else picture(self.thing)
        if canvas is None:
            raise NotYours(f"version={shown.version}: {self.thing.name} has no such saved state")
        return only(canvas, chosen_layers(canvas, [shown.layer])) if shown.layer else canvas

    def versions(self) -> list[tuple[int, str]]:
        """The kept versions or states there are to look at, the newest first: a number and words."""
        if self.kind == "tile":
            return [(one.number, f"v{one.number}") for one in self.thing.versions.order_by("-number")[1:MOST_VERSIONS]]
        states = self.thing.kept_states.order_by("-number")[:MOST_VERSIONS]
        return [(one.number, f"state {one.number}, {one.created:%d %b %H:%M}") for one in states]

    def layers(self) -> list[tuple[int, str]]:
        """The layers of a canvas, the topmost first: a number and a name."""
        if self.kind == "tile":
            return []
        return [(one.id, one.name) for one in reversed(parse_stack(self.thing.layers))]


def deep(pixels: Any) -> Any:
    """Pixels of 8 or 16 bits as those of 16."""
    return pixels if pixels.dtype == np.uint16 else pixels.astype(np.uint16) * np.uint16(257)


def canvas_laid_out(canvas: CoreCanvas) -> tuple[Any, Repeat, float]:
    """A canvas as what repeats, see `Of.laid_out`; with its alpha where it has no ground and is not too large."""
    spec = canvas.spec
    joined = spec.joined or Joining()
    level = spec.level_within(LARGEST_BITS)
    pixels = canvas.pixels() if spec.ground is None and not level else canvas.view(spec.box, level)
    return joined.unfold(pixels), joined.repeat, spec.ppi / (1 << level)


def find(owner: User | int, kind: Any, pk: Any) -> Of | None:
    """A canvas or tile of the owner's, or None."""
    models = {"canvas": Canvas, "tile": Tile}
    if kind not in models or type(pk) is not int:
        return None
    thing = models[kind].objects.filter(owner=owner, pk=pk).first()
    return Of(kind, thing) if thing is not None else None
