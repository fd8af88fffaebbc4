"""What a painter does to brushes."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction
from django.http import Http404

from orvix.brushes.definition import Brush as CoreBrush
from orvix.brushes.starters import STARTERS
from orvix.brushes.tips import likely_paints
from orvix_web.brushes.loading import load_definition, owned_grain_version, owned_tip_version
from orvix_web.brushes.models import Brush, BrushVersion
from orvix_web.brushes.trials import brush_thumbnail
from orvix_web.live.notices import changed
from orvix_web.tiles.models import GrainVersion, TileVersion
from orvix_web.tiles.rendering import tile_pixels
from orvix_web.tiles.services import check_name

NEW_BRUSH: dict[str, Any] = {
    "tip": {"name": "round", "values": {"hardness": 0.8}},
    "values": {"size": 48, "flow": 0.6},
    "leads": {"size": {"driver": "pressure", "response": [0.3, 1.0, 0.0]}},
}

TIP_SIZE = 160
"""The size in px at which a brush starts whose tip is a larger picture."""


def new_definition(name: str, grain_version: GrainVersion | None) -> dict[str, Any]:
    """A plain round brush, with a grain under it where there is one."""
    coat = {**NEW_BRUSH, "grain": None}
    if grain_version is not None:
        source = {"grain_version": grain_version.pk}
        coat["grain"] = {"source": source, "scale": grain_version.scale, "strength": 0.9, "hold": "canvas"}
    return CoreBrush.parse({"name": name, "coats": [coat]}).as_dict()


def create_tip_brush(owner: AbstractBaseUser, tile_version_id: int) -> Brush:
    """Make a brush whose tip is a tile's picture, its stamps side by side; raises Http404 for another's tile."""
    version = TileVersion.objects.select_related("tile").filter(tile__owner=owner, pk=tile_version_id).first()
    if version is None:
        raise Http404
    pixels = tile_pixels(version)
    size = min(max(pixels.shape[:2]), TIP_SIZE)
    tip = {"name": "picture", "source": {"tile_version": version.pk}, "values": {"paints": likely_paints(pixels)}}
    values = {"size": size, "smallest": 2, "largest": max(size, 512), "spacing": 1.0, "flow": 1.0}
    coat = {"tip": tip, "values": values, "leads": NEW_BRUSH["leads"], "grain": None}
    name = f"{version.tile.name} stamps"[:120]
    return create_from_definition(owner, name, CoreBrush.parse({"name": name, "coats": [coat]}).as_dict())


def create_brush(owner: AbstractBaseUser, name: str, grain_version_id: int | None = None) -> Brush:
    """Make a brush, with that grain under it; raises Http404 for a grain that is not the owner's."""
    grain_version = None
    if grain_version_id is not None:
        grain_version = GrainVersion.objects.filter(grain__owner=owner, pk=grain_version_id).first()
        if grain_version is None:
            raise Http404
    return create_from_definition(owner, name, new_definition(check_name(name), grain_version))


def create_from_definition(owner: AbstractBaseUser, name: str, definition: Any) -> Brush:
    """Make a brush from a definition whose grain, if any, is the owner's."""
    with transaction.atomic():
        brush = Brush.objects.create(owner=owner, name=check_name(name))
        _add_version(brush, definition)
    return brush


def keep_brush(owner: AbstractBaseUser, brush_id: int, definition: Any) -> BrushVersion:
    """Keep a definition as the brush's next version; raises Http404 for a brush that is not the owner's."""
    with transaction.atomic():
        brush = Brush.objects.select_for_update().filter(owner=owner, pk=brush_id).first()
        if brush is None:
            raise Http404
        return _add_version(brush, definition)


def starter_definition(name: str, grain_version_id: int | None) -> dict[str, Any]:
    """A starter brush as a definition, its grain replaced by a kept one."""
    data = CoreBrush.parse(STARTERS.get(name).data).as_dict()
    if data["coats"][0]["grain"] is not None:
        data["coats"][0]["grain"]["source"] = {"grain_version": grain_version_id}
    return data


def _add_version(brush: Brush, definition: Any) -> BrushVersion:
    loaded = load_definition(brush.owner_id, definition)
    grain, tip = loaded.brush.grain, loaded.brush.tip
    latest = brush.latest
    version = BrushVersion.objects.create(
        brush=brush,
        number=latest.number + 1 if latest else 1,
        definition=loaded.brush.as_dict() | {"name": brush.name},
        grain_version=owned_grain_version(brush.owner_id, grain.source) if grain else None,
        tip_version=owned_tip_version(brush.owner_id, tip.source) if tip.name == "picture" else None,
        thumbnail=brush_thumbnail(loaded),
    )
    brush.save(update_fields=["touched"])
    changed(brush.owner_id)
    return version
