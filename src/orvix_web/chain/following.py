"""What follows a tile when a change of it is published: grains read from it, brushes that paint through or stamp it.

A follower gets a new version of its own; its versions so far, and what was painted with them, stay as they are.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from django.db.models import Prefetch

from orvix.brushes.definition import Brush as CoreBrush
from orvix.errors import BadValue
from orvix_web.brushes.models import Brush, BrushUse, BrushVersion
from orvix_web.brushes.services import keep_brush
from orvix_web.canvases.models import Canvas
from orvix_web.jobs.models import Job
from orvix_web.tiles.models import Grain, GrainVersion, Tile, TileVersion
from orvix_web.tiles.services import keep_grain, keep_or_queue


@dataclass(frozen=True)
class Follower:
    """A thing that follows a tile: its kind, itself, its newest version, and why it does, in words."""

    kind: str
    thing: Grain | Brush
    version: GrainVersion | BrushVersion
    why: str

    @property
    def key(self) -> str:
        """How a form names it."""
        return f"{self.kind}:{self.thing.pk}"


def followers(tile: Tile) -> list[Follower]:
    """What would follow a tile: everything whose newest version uses one of the tile's, grains first."""
    related = GrainVersion.objects.filter(grain__owner=tile.owner).select_related("grain", "tile_version")
    newest = related.order_by("grain_id", "-number").distinct("grain_id")
    grains = {one.grain_id: one for one in newest if _of(one.tile_version, tile)}
    found = [Follower("grain", one.grain, one, "made from it") for one in grains.values()]
    found += _brushes(tile, grains)
    return sorted(found, key=lambda one: (one.kind != "grain", -one.thing.touched.timestamp()))


def showing(tile: Tile) -> list[Canvas]:
    """The canvases whose fills show a tile, by name: they always show its newest version."""
    fills = Canvas.objects.of(tile.owner).filter(layers__contains=[{"fill": {"tile": tile.pk}}])
    return list(fills.order_by("name"))


def _brushes(tile: Tile, grains: Mapping[int, GrainVersion]) -> Iterator[Follower]:
    owned = BrushVersion.objects.filter(brush__owner=tile.owner).order_by("brush_id", "-number").distinct("brush_id")
    uses = Prefetch("uses", BrushUse.objects.select_related("tile_version", "grain_version"))
    for latest in owned.select_related("brush").prefetch_related(uses):
        named = latest.uses.all()
        through = [grains[one.grain_version.grain_id] for one in named if one.grain_version and _grain_of(one, grains)]
        if any(_of(one.tile_version, tile) for one in named):
            yield Follower("brush", latest.brush, latest, "uses it as a tip")
        elif through:
            yield Follower("brush", latest.brush, latest, f"uses grain {through[0].grain.name}")


def _grain_of(use: BrushUse, grains: Mapping[int, GrainVersion]) -> bool:
    return use.grain_version is not None and use.grain_version.grain_id in grains


def _of(version: TileVersion | None, tile: Tile) -> bool:
    return version is not None and version.tile_id == tile.pk


def publish(owner: User, tile_id: int, recipe: Any, keys: list[str] | None = None) -> TileVersion | Job:
    """Keep a recipe as the tile's next version, and take along those followers that `keys` names; None: all.

    Where making the tile takes long, a job does both. Raises Http404 and BadValue; then nothing is changed.
    """
    with transaction.atomic():
        kept = keep_or_queue(owner, tile_id, recipe, keys)
        if isinstance(kept, TileVersion):
            follow(owner, kept, keys)
    return kept


def follow(owner: User, version: TileVersion, keys: Collection[str] | None) -> list[str]:
    """Give followers of a tile a version that uses this one of it; returns what they are called now."""
    with transaction.atomic():
        known = followers(version.tile)
        unknown = set(keys or ()) - {one.key for one in known}
        if unknown:
            raise BadValue("follow", sorted(unknown)[0][:40], "This item does not use the tile.")
        chosen = [one for one in known if keys is None or one.key in keys]
        grains = {one.thing.pk: _follow_grain(owner, one, version) for one in chosen if isinstance(one.thing, Grain)}
        brushes = [_follow_brush(owner, one, version, grains) for one in chosen if isinstance(one.thing, Brush)]
        names = [f"{one.grain.name} v{one.number}" for one in grains.values()]
        return names + [f"{one.brush.name} v{one.number}" for one in brushes if one is not None]


def _follow_grain(owner: User, one: Follower, version: TileVersion) -> GrainVersion:
    latest: Any = one.version
    return keep_grain(owner, one.thing.pk, version.pk, latest.tone, latest.scale)


def _follow_brush(
    owner: User, one: Follower, version: TileVersion, grains: dict[int, GrainVersion]
) -> BrushVersion | None:
    latest: Any = one.version
    named = latest.uses.select_related("tile_version", "grain_version")
    tiles = {use.tile_version_id: version.pk for use in named if _of(use.tile_version, version.tile)}
    read = {use.grain_version_id: grains[use.grain_version.grain_id].pk for use in named if _grain_of(use, grains)}
    if not tiles and not read:
        return None

    def rename(what: str, source: Any) -> Any:
        key, table = ("grain_version", read) if what == "grain" else ("tile_version", tiles)
        return {key: table.get(source[key], source[key])}

    return keep_brush(owner, one.thing.pk, CoreBrush.parse(latest.definition).renamed(rename).as_dict())
