"""Brushes from rows, ready to paint with, and as files that paint without a database."""

from __future__ import annotations

import base64
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from orvix.brushes.definition import Brush
from orvix.brushes.tips.picture import tip_picture
from orvix.brushes.tips.registry import Rgba
from orvix.errors import BadValue
from orvix.lettering.fonts import Font
from orvix.pictures.writing import png_bytes, straight_8bit
from orvix.strokes.loaded import LoadedBrush, LoadedCoat, LoadedGrain, load_brush
from orvix.tiles.sources import SOURCES
from orvix_web.brushes.models import BrushVersion, FontFile
from orvix_web.errors import NotYours
from orvix_web.tiles.models import GrainVersion, TileVersion
from orvix_web.tiles.rendering import Recent, loaded_grain, tile_pixels, tile_state

_BRUSHES = Recent(24)
_COATS = Recent(48)
_PICTURES = Recent(32)
_FONTS = Recent(8)


def owned_grain_version(owner_id: int, source: Any) -> GrainVersion:
    """The grain version that a definition's source names, if it is the owner's; raises BadValue."""
    number = source.get("grain_version") if isinstance(source, dict) else None
    if isinstance(number, int) and not isinstance(number, bool):
        related = GrainVersion.objects.select_related("grain", "tile_version__tile")
        version = related.filter(grain__owner_id=owner_id, pk=number).first()
        if version is not None:
            return version
    raise BadValue("grain", number, "This grain no longer exists.")


def owned_tile_version(owner_id: int, source: Any, what: str = "tip") -> TileVersion:
    """The tile version that a tip's or a ribbon's source names, if it is the owner's; raises BadValue."""
    number = source.get("tile_version") if isinstance(source, dict) else None
    if isinstance(number, int) and not isinstance(number, bool):
        version = TileVersion.objects.select_related("tile").filter(tile__owner_id=owner_id, pk=number).first()
        if version is not None:
            return version
    raise BadValue(what, number, "This tile no longer exists.")


def owned_font(owner_id: int, source: Any) -> FontFile:
    """The font that a lettering's source names, if it is the owner's; raises BadValue."""
    number = source.get("font_file") if isinstance(source, dict) else None
    if isinstance(number, int) and not isinstance(number, bool):
        file = FontFile.objects.filter(owner_id=owner_id, pk=number).first()
        if file is not None:
            return file
    raise BadValue("font", number, "This font no longer exists.")


def load_font(owner_id: int, number: int) -> Font:
    """A font of the owner's own; raises BadValue."""
    return _font(owned_font(owner_id, {"font_file": number}))


def _font(file: FontFile) -> Font:
    return _FONTS.get(file.pk, lambda: Font(bytes(file.data), file.name))


class _Owned:
    """What a definition names, from the rows of its owner."""

    def __init__(self, owner_id: int) -> None:
        self._owner_id = owner_id

    def tip(self, source: Any, values: Mapping[str, Any]) -> Rgba:
        """See `orvix.strokes.loaded.Pictures`."""
        version = owned_tile_version(self._owner_id, source)
        key = ("tip", version.pk, *(str(values[name]) for name in sorted(values)))
        return _PICTURES.get(key, lambda: tip_picture(tile_pixels(version), values))

    def grain(self, source: Any) -> LoadedGrain:
        """See `orvix.strokes.loaded.Pictures`."""
        return loaded_grain(owned_grain_version(self._owner_id, source))

    def font(self, source: Any) -> Font:
        """See `orvix.strokes.loaded.Pictures`."""
        return _font(owned_font(self._owner_id, source))

    def tile(self, source: Any) -> Rgba:
        """See `orvix.strokes.loaded.Pictures`."""
        version = owned_tile_version(self._owner_id, source, "ribbon")
        return _PICTURES.get(("tile", version.pk), lambda: tile_pixels(version).astype(np.float32) / np.float32(65535))


def load_definition(owner_id: int, definition: Any) -> LoadedBrush:
    """A definition (kept or not) as a brush that can paint. Pictures of tips are kept ready from one to the next."""
    loaded = load_brush(Brush.parse(definition), _Owned(owner_id))
    return LoadedBrush(loaded.brush, tuple(_ready(coat) for coat in loaded.coats))


def _ready(loaded: LoadedCoat) -> LoadedCoat:
    """The same coat over dabs that were made before from the same tip, if they are still at hand."""
    tip = loaded.coat.tip
    if tip.name == "round":
        return loaded
    key = (tip.name, *(id(one) for one in loaded.pictures), *(str(tip.values[name]) for name in sorted(tip.values)))
    kept: LoadedCoat = _COATS.get(key, lambda: loaded)
    return replace(loaded, pictures=kept.pictures, kept=kept.kept)


def load_version(owner_id: int, version_id: int) -> LoadedBrush:
    """A kept brush that can paint; raises NotYours for one that is not the owner's."""
    version = BrushVersion.objects.filter(brush__owner_id=owner_id, pk=version_id).first()
    if version is None:
        raise NotYours("This brush no longer exists.")
    return _BRUSHES.get(version.pk, lambda: load_definition(owner_id, version.definition))


def as_file(owner_id: int, definition: Any) -> dict[str, Any]:
    """A definition as BRUSH.json: grains, tips and tiles as recipes inside, or as pictures where they came from one."""

    def inside(what: str, source: Any) -> dict[str, Any]:
        if what == "grain":
            version = owned_grain_version(owner_id, source)
            return _tile_source(version.tile_version, closing=True) | {"tone": version.tone}
        if what == "font":
            return {"font": base64.b64encode(bytes(owned_font(owner_id, source).data)).decode()}
        return _tile_source(owned_tile_version(owner_id, source, what), closing=False)

    return Brush.parse(definition).renamed(inside).as_dict()


def _tile_source(version: TileVersion, *, closing: bool) -> dict[str, Any]:
    """A tile as a brush file holds it; closing: with its repeat, where it is held as a picture."""
    if SOURCES.get(version.recipe["source"]["name"]).kind != "given":
        return {"recipe": version.recipe}
    state = tile_state(version)
    source = {"png": base64.b64encode(png_bytes(straight_8bit(state.pixels))).decode()}
    repeat = {"repeat": state.repeat.kind, "stagger": str(state.repeat.stagger)}
    return source | (repeat if closing else {})
