"""What a proof is of, as one tile with its repeat and its resolution. The last ones are held in memory."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

from django.contrib.auth.models import AbstractBaseUser

from orvix.canvases.canvas import Canvas as CoreCanvas
from orvix.proofs.looks import Cloth
from orvix.proofs.rendering import MM_AN_INCH
from orvix.tiles.joining import Joining
from orvix_web.canvases.drawings import joining_of
from orvix_web.canvases.models import Canvas
from orvix_web.live.rooms import picture
from orvix_web.proofs.models import Proof
from orvix_web.tiles.models import Tile
from orvix_web.tiles.rendering import Recent, tile_state

LARGEST_BITS = 12
"""No side of what is repeated has more than 2^this px: a larger canvas is looked at at half its size, or less."""
_CLOTHS = Recent(3)


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

    def cloth(self, ppi: float) -> Cloth:
        """Its pixels; ppi: of a tile. For threads, never for the event loop."""
        key = (self.kind, self.thing.pk, self.number)
        made = _CLOTHS.get(key, self._canvas_cloth if self.kind == "canvas" else self._tile_cloth)
        return made if self.kind == "canvas" else replace(made, ppi=ppi)

    def _tile_cloth(self) -> Cloth:
        state = tile_state(self.thing.latest)
        return Cloth.of(state.pixels, state.repeat, 300.0)

    def _canvas_cloth(self) -> Cloth:
        return canvas_cloth(picture(self.thing))


def canvas_cloth(canvas: CoreCanvas) -> Cloth:
    """A canvas as what repeats: with its alpha where it has no ground and is not too large for that."""
    spec = canvas.spec
    joined = spec.joined or Joining()
    level = spec.level_within(LARGEST_BITS)
    pixels = canvas.pixels() if spec.ground is None and not level else canvas.view(spec.box, level)
    return Cloth.of(joined.unfold(pixels), joined.repeat, spec.ppi / (1 << level))


def find(owner: AbstractBaseUser | int, kind: Any, pk: Any) -> Of | None:
    """A canvas or tile of the owner's, or None."""
    models = {"canvas": Canvas, "tile": Tile}
    if kind not in models or type(pk) is not int:
        return None
    thing = models[kind].objects.filter(owner=owner, pk=pk).first()
    return Of(kind, thing) if thing is not None else None
