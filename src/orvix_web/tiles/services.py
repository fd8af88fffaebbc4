"""What a painter does to tiles and grains.

Each service checks whose things are touched and writes in one transaction.
"""

from __future__ import annotations

import hashlib
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from django.http import Http404

from orvix.devices.photo_tray import PHOTOS, develop
from orvix.errors import BadValue
from orvix.grains.tone import Tone, grain_plane
from orvix.pictures.reading import read_with_notes
from orvix.pictures.writing import png_bytes
from orvix.progress import Watch
from orvix.readings.report import read_state
from orvix.tiles.recipe import MOST_PIXELS, Recipe
from orvix.tiles.repeats import parse_fraction
from orvix.tiles.state import TileState
from orvix_web.accounts.models import next_number
from orvix_web.drafts import services as drafts
from orvix_web.errors import NotYours
from orvix_web.jobs.models import Job
from orvix_web.jobs.services import ask_for
from orvix_web.notices import changed
from orvix_web.tiles.models import Grain, GrainVersion, Tile, TileVersion, Upload
from orvix_web.tiles.rendering import outside_of, pack_pixels, rendered, tile_pixels, upload_reader
from orvix_web.tiles.thumbnails import plane_thumbnail, tile_thumbnail

NEW_TILE: dict[str, Any] = {"size": [512, 512], "seed": 1, "source": {"name": "noise", "values": {}}}
_UPLOADED_SIDE = 1024
GRAIN_SCALES = (0.02, 16)


def check_name(name: Any) -> str:
    """A name of 1 to 120 characters, trimmed; raises BadValue."""
    text = str(name or "").strip()
    if not 1 <= len(text) <= 120:
        raise BadValue("name", text, "must be 1 to 120 characters")
    return text


def create_tile(owner: User, name: str, recipe: Any = None, *, of_brush: bool = False) -> Tile:
    """Make a tile with its first version. of_brush: it comes with a brush."""
    checked = Recipe.parse(NEW_TILE if recipe is None else recipe)
    with transaction.atomic():
        tile = Tile.objects.create(owner=owner, name=check_name(name), of_brush=of_brush)
        _add_tile_version(tile, checked)
    return tile


def keep_tile(owner: User, tile_id: int, recipe: Any) -> TileVersion:
    """Keep a recipe as the tile's next version; raises Http404 for a tile that is not the owner's."""
    checked = Recipe.parse(recipe)
    with transaction.atomic():
        return _add_tile_version(Tile.objects.locked(owner, tile_id), checked)


def split_off(owner: User, tile_id: int, name: str, recipe: Any) -> Tile:
    """A tile of its own from a changed recipe; the tile it came from stays as it was last published."""
    with transaction.atomic():
        drafts.step(owner.pk, "tile", tile_id, "discard")
        return create_tile(owner, name, recipe)


def keep_or_queue(owner: User, tile_id: int, recipe: Any, follow: list[str] | None = None) -> TileVersion | Job:
    """Keep a recipe at once, or where that takes long ask for it to be made and kept.

    follow: what is to follow the tile when it was made by a job, as `chain.following` names it.
    """
    checked = Recipe.parse(recipe)
    if not checked.takes_long:
        return keep_tile(owner, tile_id, recipe)
    tile = Tile.objects.filter(owner=owner, pk=tile_id).first()
    if tile is None:
        raise Http404
    width, height, _ = checked.shape
    title = f"Publish {tile.name}, {width} × {height} px"
    return ask_for(owner, "keep-tile", title, {"tile": tile_id, "recipe": checked.as_dict(), "follow": follow})


def keep_whole(owner: User, tile_id: int, recipe: Any, watch: Watch) -> TileVersion:
    """Make a tile, however long it takes, and keep it with its pixels; raises Stopped where `watch` says so."""
    checked = Recipe.parse(recipe)
    state = checked.run(upload_reader(owner.pk), watch.part(0.0, 0.75), outside=outside_of(owner.pk))
    watch.tell(0.78, "reading")
    read = read_state(state)
    watch.stop_if_asked()
    watch.tell(0.9, "storing")
    stored = pack_pixels(state.pixels)
    watch.stop_if_asked()
    with transaction.atomic():
        tile = Tile.objects.select_for_update().filter(owner=owner, pk=tile_id).first()
        if tile is None:
            raise NotYours("This tile no longer exists.")
        return _add_version(tile, checked, read, state, stored)


def _add_tile_version(tile: Tile, recipe: Recipe) -> TileVersion:
    state = rendered(tile.owner_id, recipe)
    return _add_version(tile, recipe, read_state(state), state, None)


def _add_version(
    tile: Tile, recipe: Recipe, read: dict[str, Any], state: TileState, stored: bytes | None
) -> TileVersion:
    version = TileVersion.objects.create(
        tile=tile,
        number=next_number(tile),
        recipe=recipe.as_dict(),
        readings=read,
        thumbnail=tile_thumbnail(state.pixels),
        stored=stored,
    )
    tile.of_brush = tile.of_brush and version.number == 1
    tile.save(update_fields=["touched", "of_brush"])
    drafts.saved(tile.owner_id, "tile", tile)
    changed(tile.owner_id)
    return version


def take_upload(owner: User, name: str, data: bytes) -> Tile:
    """Take a picture from outside and make a tile of it; raises UnreadablePicture, and then nothing is changed."""
    read = read_with_notes(data, name)
    height, width = read.pixels.shape[:2]
    upload_name = (name or "picture")[:120]
    scale = min(1.0, _UPLOADED_SIDE / max(width, height), (MOST_PIXELS / (width * height)) ** 0.5)
    size = [max(round(width * scale), 8), max(round(height * scale), 8)]
    with transaction.atomic():
        digest = hashlib.sha256(data).hexdigest()
        upload = Upload.objects.create(
            owner=owner, name=upload_name, data=data, sha256=digest, width=width, height=height, convert=True,
            notes=list(read.notes),
        )  # fmt: skip
        source = {"name": "photo", "values": {"file": f"upload:{upload.pk}"}}
        stem = upload_name.rsplit(".", 1)[0] or "Picture"
        return create_tile(owner, stem, {"size": size, "source": source})


def take_photo(owner: User, name: str) -> Tile:
    """Take a photo from the tray and make a tile of it; raises UnknownName."""
    photo = PHOTOS.get(name)
    return take_upload(owner, f"{photo.title}.png", png_bytes(develop(name)))


def create_grain(
    owner: User, tile_version_id: int, name: str | None = None, tone: Any = None, *, of_brush: bool = False
) -> Grain:
    """Make a grain from one version of a tile; raises Http404 for one that is not the owner's."""
    tile_version = TileVersion.objects.select_related("tile").filter(tile__owner=owner, pk=tile_version_id).first()
    if tile_version is None:
        raise Http404
    checked = Tone.parse(tone or {})
    with transaction.atomic():
        called = check_name(name or f"{tile_version.tile.name} grain"[:120])
        grain = Grain.objects.create(owner=owner, name=called, of_brush=of_brush)
        _add_grain_version(grain, tile_version, checked)
    return grain


def keep_grain(owner: User, grain_id: int, tile_version_id: int, tone: Any, scale: Any = "1/2") -> GrainVersion:
    """Keep a tone and a scale (over a version of a tile) as the grain's next version."""
    checked, size = Tone.parse(tone), parse_fraction("scale", scale, *GRAIN_SCALES)
    with transaction.atomic():
        grain = Grain.objects.locked(owner, grain_id)
        tile_version = TileVersion.objects.filter(tile__owner=owner, pk=tile_version_id).first()
        if tile_version is None:
            raise Http404
        return _add_grain_version(grain, tile_version, checked, str(size))


def name_grain(owner: User, grain_id: int, name: str, set_name: str) -> Grain:
    """Give a grain another name and put it in a set; an empty set is none."""
    with transaction.atomic():
        grain = Grain.objects.locked(owner, grain_id)
        grain.name = check_name(name)
        grain.set_name = check_name(set_name)[:60] if set_name.strip() else ""
        grain.save()
        changed(grain.owner_id)
    return grain


def duplicate_grain(owner: User, grain_id: int) -> Grain:
    """Another grain like the newest version of one, free to be changed."""
    with transaction.atomic():
        grain = Grain.objects.locked(owner, grain_id)
        latest = grain.latest
        name = f"{grain.name[:110]} copy"
        other = Grain.objects.create(owner=owner, name=name, set_name=grain.set_name)
        _add_grain_version(other, latest.tile_version, Tone.parse(latest.tone), latest.scale)
    return other


def _add_grain_version(grain: Grain, tile_version: TileVersion, tone: Tone, scale: str = "1/2") -> GrainVersion:
    version = GrainVersion.objects.create(
        grain=grain,
        tile_version=tile_version,
        number=next_number(grain),
        tone=tone.as_dict(),
        scale=scale,
        thumbnail=plane_thumbnail(grain_plane(tile_pixels(tile_version), tone)),
    )
    grain.save(update_fields=["touched"])
    drafts.saved(grain.owner_id, "grain", grain)
    changed(grain.owner_id)
    return version
