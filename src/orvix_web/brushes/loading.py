"""Brushes from rows, ready to paint with, and as files that paint without a database."""

from __future__ import annotations

import base64
from typing import Any

from orvix.brushes.definition import Brush
from orvix.brushes.tips import Tip, tip_mask
from orvix.canvases.strokes import LoadedBrush
from orvix.errors import BadValue
from orvix.pictures.writing import png_bytes, straight_8bit
from orvix.strokes.dabs import PictureDabs
from orvix.tiles.sources import SOURCES
from orvix_web.brushes.models import BrushVersion
from orvix_web.errors import NotYours
from orvix_web.tiles.models import GrainVersion, TileVersion
from orvix_web.tiles.rendering import Recent, loaded_grain, tile_pixels, tile_state

_BRUSHES = Recent(24)
_PICTURES = Recent(12)


def owned_grain_version(owner_id: int, source: Any) -> GrainVersion:
    """The grain version that a definition's source names, if it is the owner's; raises BadValue."""
    number = source.get("grain_version") if isinstance(source, dict) else None
    if isinstance(number, int) and not isinstance(number, bool):
        related = GrainVersion.objects.select_related("grain", "tile_version__tile")
        version = related.filter(grain__owner_id=owner_id, pk=number).first()
        if version is not None:
            return version
    raise BadValue("grain", number, "there is no such grain of yours")


def owned_tip_version(owner_id: int, source: Any) -> TileVersion:
    """The tile version that a picture tip's source names, if it is the owner's; raises BadValue."""
    number = source.get("tile_version") if isinstance(source, dict) else None
    if isinstance(number, int) and not isinstance(number, bool):
        version = TileVersion.objects.select_related("tile").filter(tile__owner_id=owner_id, pk=number).first()
        if version is not None:
            return version
    raise BadValue("tip", number, "there is no such tile of yours")


def load_definition(owner_id: int, definition: Any) -> LoadedBrush:
    """A definition (kept or not) as a brush that can paint."""
    brush = Brush.parse(definition)
    grain = loaded_grain(owned_grain_version(owner_id, brush.grain.source)) if brush.grain else None
    return LoadedBrush(brush, grain, _load_picture(owner_id, brush.tip))


def _load_picture(owner_id: int, tip: Tip) -> PictureDabs | None:
    if tip.name == "round":
        return None
    version, paints = owned_tip_version(owner_id, tip.source), tip.values["paints"]
    return _PICTURES.get((version.pk, paints), lambda: PictureDabs(tip_mask(tile_pixels(version), paints)))


def load_version(owner_id: int, version_id: int) -> LoadedBrush:
    """A kept brush that can paint; raises NotYours for one that is not the owner's."""
    version = BrushVersion.objects.filter(brush__owner_id=owner_id, pk=version_id).first()
    if version is None:
        raise NotYours(f"brush={version_id}: there is no such brush of yours")
    return _BRUSHES.get(version.pk, lambda: load_definition(owner_id, version.definition))


def as_file(owner_id: int, definition: Any) -> dict[str, Any]:
    """A definition as BRUSH.json: its grain and its tip as recipes inside, or as pictures where they came from one."""
    brush = Brush.parse(definition)
    data = brush.as_dict()
    coat = data["coats"][0]
    if brush.grain is not None:
        version = owned_grain_version(owner_id, brush.grain.source)
        coat["grain"]["source"] = _tile_source(version.tile_version, closing=True) | {"tone": version.tone}
    if brush.tip.name == "picture":
        coat["tip"]["source"] = _tile_source(owned_tip_version(owner_id, brush.tip.source), closing=False)
    return data


def _tile_source(version: TileVersion, *, closing: bool) -> dict[str, Any]:
    """A tile as a brush file holds it; closing: with its repeat, where it is held as a picture."""
    if SOURCES.get(version.recipe["source"]["name"]).kind != "given":
        return {"recipe": version.recipe}
    state = tile_state(version)
    source = {"png": base64.b64encode(png_bytes(straight_8bit(state.pixels))).decode()}
    repeat = {"repeat": state.repeat.kind, "stagger": str(state.repeat.stagger)}
    return source | (repeat if closing else {})
