"""Brushes from rows, ready to paint with, and as files that paint without a database."""

from __future__ import annotations

import base64
from typing import Any

from orvix.brushes.definition import Brush
from orvix.canvases.strokes import LoadedBrush
from orvix.errors import BadValue
from orvix.pictures.writing import png_bytes, straight_8bit
from orvix.tiles.sources import SOURCES
from orvix_web.brushes.models import BrushVersion
from orvix_web.errors import NotYours
from orvix_web.tiles.models import GrainVersion
from orvix_web.tiles.rendering import Recent, loaded_grain, tile_state

_BRUSHES = Recent(24)


def owned_grain_version(owner_id: int, source: Any) -> GrainVersion:
    """The grain version that a definition's source names, if it is the owner's; raises BadValue."""
    number = source.get("grain_version") if isinstance(source, dict) else None
    if isinstance(number, int) and not isinstance(number, bool):
        related = GrainVersion.objects.select_related("grain", "tile_version__tile")
        version = related.filter(grain__owner_id=owner_id, pk=number).first()
        if version is not None:
            return version
    raise BadValue("grain", number, "there is no such grain of yours")


def load_definition(owner_id: int, definition: Any) -> LoadedBrush:
    """A definition (kept or not) as a brush that can paint."""
    brush = Brush.parse(definition)
    if brush.grain is None:
        return LoadedBrush(brush)
    return LoadedBrush(brush, loaded_grain(owned_grain_version(owner_id, brush.grain.source)))


def load_version(owner_id: int, version_id: int) -> LoadedBrush:
    """A kept brush that can paint; raises NotYours for one that is not the owner's."""
    version = BrushVersion.objects.filter(brush__owner_id=owner_id, pk=version_id).first()
    if version is None:
        raise NotYours(f"brush={version_id}: there is no such brush of yours")
    return _BRUSHES.get(version.pk, lambda: load_definition(owner_id, version.definition))


def as_file(owner_id: int, definition: Any) -> dict[str, Any]:
    """A definition as BRUSH.json: its grain as a recipe inside, or as a picture where it came from one."""
    brush = Brush.parse(definition)
    data = brush.as_dict()
    if brush.grain is None:
        return data
    version = owned_grain_version(owner_id, brush.grain.source)
    recipe = version.tile_version.recipe
    source: dict[str, Any] = {"tone": version.tone}
    if SOURCES.get(recipe["source"]["name"]).kind == "given":
        state = tile_state(version.tile_version)
        source |= {"png": base64.b64encode(png_bytes(straight_8bit(state.pixels))).decode()}
        source |= {"repeat": state.repeat.kind, "stagger": str(state.repeat.stagger)}
    else:
        source |= {"recipe": recipe}
    data["coats"][0]["grain"]["source"] = source
    return data
