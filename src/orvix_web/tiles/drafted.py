"""Tiles and grains as things that have drafts."""

from __future__ import annotations

from typing import Any

from orvix.errors import BadValue
from orvix.grains.tone import Tone
from orvix.tiles.recipe import Recipe
from orvix.tiles.repeats import parse_fraction
from orvix_web.drafts.kinds import Kind, register
from orvix_web.tiles.models import Grain, Tile, TileVersion
from orvix_web.tiles.services import GRAIN_SCALES


def _check_recipe(owner_id: int, value: Any) -> Any:
    return Recipe.parse(value).as_dict()


def grain_values(version: Any) -> dict[str, Any]:
    """What the grain bench changes, of one version of a grain."""
    return {
        "tone": Tone.parse(version.tone).as_dict(),
        "tile_version": version.tile_version_id,
        "scale": version.scale,
    }


def _check_grain(owner_id: int, value: Any) -> Any:
    told = value if isinstance(value, dict) else {}
    version = told.get("tile_version")
    if type(version) is not int or not TileVersion.objects.filter(tile__owner_id=owner_id, pk=version).exists():
        raise BadValue("tile", version, "This tile no longer exists.")
    scale = parse_fraction("scale", told.get("scale"), *GRAIN_SCALES)
    return {"tone": Tone.parse(told.get("tone", {})).as_dict(), "tile_version": version, "scale": str(scale)}


def register_all() -> None:
    """Register both kinds; called once, when Django starts."""
    register(Kind("tile", Tile, lambda tile: Recipe.parse(tile.latest.recipe).as_dict(), _check_recipe))
    register(Kind("grain", Grain, lambda grain: grain_values(grain.latest), _check_grain))
