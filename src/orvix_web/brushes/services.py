"""What a painter does to brushes."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any

import cv2
import numpy as np
from django.contrib.auth.models import User
from django.db import transaction
from django.http import Http404

from orvix.brushes.definition import Brush as CoreBrush
from orvix.brushes.starters import STARTERS
from orvix.brushes.tips.picture import likely_paints
from orvix.errors import BadValue
from orvix.lettering.drawing import draw_whole
from orvix.lettering.fonts import Font, Shipped, shipped_font
from orvix.pictures.packing import flat_rgba8
from orvix.pictures.reading import read_picture
from orvix.pictures.writing import contrasting_ground, png_bytes
from orvix_web.accounts.models import next_number
from orvix_web.brushes.loading import load_definition, owned_font, owned_grain_version, owned_tile_version
from orvix_web.brushes.models import Brush, BrushUse, BrushVersion, FontFile
from orvix_web.brushes.trials import SWATCH, brush_thumbnail
from orvix_web.drafts import services as drafts
from orvix_web.notices import changed
from orvix_web.tiles.models import Grain, GrainVersion, TileVersion
from orvix_web.tiles.rendering import tile_pixels
from orvix_web.tiles.services import check_name, create_grain, create_tile, take_upload
from orvix_web.tiles.thumbnails import thumbnail

NEW_BRUSH: dict[str, Any] = {
    "values": {"size": 48, "flow": 0.6, "hardness": 0.8},
    "leads": {"size": {"pressure": {"response": [[0, 0.3], [1, 1]]}}},
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


def create_tip_brush(owner: User, tile_version_id: int) -> Brush:
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


def create_brush(owner: User, name: str, grain_version_id: int | None = None) -> Brush:
    """Make a brush, with that grain under it; raises Http404 for a grain that is not the owner's."""
    grain_version = None
    if grain_version_id is not None:
        grain_version = GrainVersion.objects.filter(grain__owner=owner, pk=grain_version_id).first()
        if grain_version is None:
            raise Http404
    return create_from_definition(owner, name, new_definition(check_name(name), grain_version))


def create_from_definition(owner: User, name: str, definition: Any) -> Brush:
    """Make a brush from a definition whose grain, if any, is the owner's."""
    with transaction.atomic():
        brush = Brush.objects.create(owner=owner, name=check_name(name))
        _add_version(brush, definition)
    return brush


def describe_brush(owner: User, brush_id: int, told: Mapping[str, str]) -> Brush:
    """Give a brush another name, description, credit, tags and set; raises BadValue for a text that is too long."""
    with transaction.atomic():
        brush = Brush.objects.locked(owner, brush_id)
        brush.name = check_name(told.get("name", ""))
        for part in ("description", "credit", "tags", "set_name"):
            field = Brush._meta.get_field(part)
            text, most = told.get(part, "").strip(), getattr(field, "max_length", None)
            if len(text) > (most or 0):
                raise BadValue(part.replace("_", " "), text[:40], f"must be at most {most} characters")
            setattr(brush, part, text)
        brush.save()
        changed(brush.owner_id)
    return brush


def give_picture(owner: User, brush_id: int, name: str, data: bytes) -> Brush:
    """Give a brush a picture of its own to be shown by; no octets: its versions show their strokes again.

    Raises UnreadablePicture.
    """
    small = b""
    if data:
        pixels = read_picture(data, name)
        small = thumbnail(flat_rgba8(pixels, contrasting_ground(pixels)), *SWATCH)
    with transaction.atomic():
        brush = Brush.objects.locked(owner, brush_id)
        brush.picture = small
        brush.save(update_fields=["picture", "touched"])
        changed(brush.owner_id)
    return brush


def duplicate_brush(owner: User, brush_id: int, definition: Any = None) -> Brush:
    """Another brush like one, or with a definition as it is on the bench: the change is made on a copy."""
    with transaction.atomic():
        brush = Brush.objects.locked(owner, brush_id)
        latest = brush.latest
        other = create_from_definition(owner, f"{brush.name[:110]} copy", definition or latest.definition)
        for part in ("description", "credit", "tags", "set_name"):
            setattr(other, part, getattr(brush, part))
        other.save()
    return other


def take_apart(owner: User, brush_id: int, definition: Any) -> list[Brush]:
    """Each coat of a brush as a brush of its own; raises BadValue where it has one coat only."""
    core = CoreBrush.parse(definition)
    if len(core.coats) < 2:
        raise BadValue("coats", 1, "A brush with one coat cannot be split.")
    with transaction.atomic():
        brush = Brush.objects.locked(owner, brush_id)
        return [
            create_from_definition(owner, f"{brush.name[:105]}, coat {n}", replace(core, coats=(coat,)).as_dict())
            for n, coat in enumerate(core.coats, 1)
        ]


def fit_grain(owner: User, version_id: int, coat: int, scale: str, turn: float | None = None) -> BrushVersion:
    """Keep a brush's next version, with the grain of one of its coats at another scale, and turn, if one is given.

    Raises BadValue.
    """
    with transaction.atomic():
        version = BrushVersion.objects.filter(brush__owner=owner, pk=version_id).first()
        if version is None:
            raise Http404
        core = CoreBrush.parse(version.definition)
        if not 0 <= coat < len(core.coats) or core.coats[coat].grain is None:
            raise BadValue("coat", coat, "must be a coat with a grain")
        told = core.as_dict()
        told["coats"][coat]["grain"] |= {"scale": scale} | ({} if turn is None else {"turn": turn})
        return _add_version(Brush.objects.locked(owner, version.brush_id), told)


def lay_set_alike(owner: User, brush_id: int, definition: Any, coat: int) -> list[BrushVersion]:
    """Let a set's brushes have a grain lie as it does on the bench of one of them: one scale, one turn, one origin.

    Every coat that uses the same grain, in whatever version, is held to the canvas so, as its brush's next version; the
    brush of the bench is kept with what is on it, where that is new. Returns the versions that were kept. Raises
    BadValue where there is no set, no grain, or nobody else in the set uses it.
    """
    core = CoreBrush.parse(definition)
    use = core.coats[coat].grain if 0 <= coat < len(core.coats) else None
    if use is None:
        raise BadValue("coat", coat, "must be a coat with a grain")
    with transaction.atomic():
        brush = Brush.objects.locked(owner, brush_id)
        if not brush.set_name:
            raise BadValue("set", brush.name, "is not in a set. Open Details and choose a set first.")
        grain = owned_grain_version(brush.owner_id, use.source).grain
        lies = {name: use.values[name] for name in ("turn", "offset_x", "offset_y", "offset_chance")}
        lies |= {"scale": str(use.scale), "hold": "canvas"}
        told = core.as_dict()
        told["coats"][coat]["grain"] |= lies
        kept: list[BrushVersion] = []
        others = Brush.objects.of(owner).filter(set_name=brush.set_name).exclude(pk=brush.pk)
        users = [other for other in others if _lay(other, grain, lies, kept)]
        if not users:
            raise BadValue("set", brush.set_name, f"has no other brush that uses the grain {grain.name}.")
        latest = brush.latest
        if latest.definition != CoreBrush.parse(told).as_dict() | {"name": brush.name}:
            kept.append(_add_version(brush, told))
        return kept


def _lay(brush: Brush, grain: Grain, lies: dict[str, Any], kept: list[BrushVersion]) -> bool:
    """Lay a grain so in every coat of a brush that uses it, kept where that is new; whether any does."""
    version = brush.latest
    if version is None:
        return False
    coats = [one.coat for one in version.uses.filter(what="grain", grain_version__grain=grain)]
    told = CoreBrush.parse(version.definition).as_dict()
    for n in coats:
        told["coats"][n]["grain"] |= lies
    if coats and CoreBrush.parse(told) != CoreBrush.parse(version.definition):
        kept.append(_add_version(brush, told))
    return bool(coats)


def keep_brush(owner: User, brush_id: int, definition: Any) -> BrushVersion:
    """Keep a definition as the brush's next version; raises Http404 for a brush that is not the owner's."""
    with transaction.atomic():
        return _add_version(Brush.objects.locked(owner, brush_id), definition)


def take_tips(owner: User, files: list[tuple[str, bytes]]) -> list[tuple[TileVersion, str]]:
    """Make a tile of each picture (name, octets), and say how each most likely paints; all of them or none.

    Raises UnreadablePicture, naming the file.
    """
    with transaction.atomic():
        versions = [take_upload(owner, name, data).latest for name, data in files]
        return [(version, likely_paints(tile_pixels(version))) for version in versions]


def take_font(owner: User, name: str, data: bytes) -> FontFile:
    """Keep a font of one's own; raises UnreadableFile for what is none."""
    Font(data, name[:120])
    return FontFile.objects.create(owner=owner, name=name[:120], data=data)


def sample_png(font: Shipped) -> bytes:
    """A font's sample, dark on nothing, 40 px high."""
    picture = draw_whole(font.sample, shipped_font(font.name)).pictures[0]
    alpha = picture[..., 3]
    rows, columns = (np.flatnonzero(alpha.max(axis=axis) > 0.02) for axis in (1, 0))
    cut = alpha[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    high = 30
    wide = max(round(cut.shape[1] * high / cut.shape[0]), 1)
    small = cv2.resize(np.ascontiguousarray(cut), (min(wide, 220), high), interpolation=cv2.INTER_AREA)
    rgba = np.zeros((*small.shape, 4), np.uint8)
    rgba[..., :3], rgba[..., 3] = (28, 30, 33), np.round(np.clip(small, 0, 1) * 255)
    return png_bytes(rgba)


def starter_definition(owner: User, name: str, grain_version_id: int | None = None) -> dict[str, Any]:
    """A starter brush as a definition: its tips and grains made the owner's, or its grain replaced by a kept one."""
    data = STARTERS.get(name).data
    return adopted(owner, data, None if grain_version_id is None else {"grain_version": grain_version_id})


def adopted(owner: User, data: Any, grain: dict[str, Any] | None = None) -> dict[str, Any]:
    """A brush file's data as a definition: every recipe in it becomes a tile of the owner's, grains grains over them.

    grain: a source in place of its grains. Raises BadValue for a source that is no recipe.
    """
    brush = CoreBrush.parse(data)
    made: dict[str, Any] = {}

    def keep(what: str, source: Any) -> Any:
        if what == "grain" and grain is not None:
            return grain
        if not isinstance(source, dict) or "recipe" not in source:
            raise BadValue("source", sorted(source) if isinstance(source, dict) else source, "must be a recipe")
        key = f"{what} {json.dumps(source, sort_keys=True)}"
        if key not in made:
            number = sum(one.startswith(f"{what} ") for one in made) + 1
            words = f"{brush.name} {'band' if what == 'tile' else what}"[:110] + (f" {number}" if number > 1 else "")
            tile = create_tile(owner, words, source["recipe"], of_brush=True)
            made[key] = {"tile_version": tile.latest.pk}
            if what == "grain":
                read = create_grain(owner, tile.latest.pk, words, source.get("tone"), of_brush=True)
                made[key] = {"grain_version": read.latest.pk}
        return made[key]

    with transaction.atomic():
        return brush.renamed(keep).as_dict()


def _add_version(brush: Brush, definition: Any) -> BrushVersion:
    loaded = load_definition(brush.owner_id, definition)
    uses = list(uses_of(brush.owner_id, loaded.brush))
    version = BrushVersion.objects.create(
        brush=brush,
        number=next_number(brush),
        definition=loaded.brush.as_dict() | {"name": brush.name},
        grain_version=next((use.grain_version for use in uses if use.grain_version), None),
        tip_version=next((use.tile_version for use in uses if use.tile_version), None),
        thumbnail=brush_thumbnail(loaded),
    )
    for use in uses:
        use.version = version
    BrushUse.objects.bulk_create(uses)
    brush.save(update_fields=["touched"])
    drafts.saved(brush.owner_id, "brush", brush)
    changed(brush.owner_id)
    return version


def uses_of(owner_id: int, brush: CoreBrush) -> Iterator[BrushUse]:
    """What a definition names, as rows without a version yet; raises BadValue for what is not the owner's."""
    for coat, what, source in brush.sources():
        if what == "font":
            yield BrushUse(coat=coat, what=what, font_file=owned_font(owner_id, source))
        elif what == "grain":
            yield BrushUse(coat=coat, what=what, grain_version=owned_grain_version(owner_id, source))
        else:
            yield BrushUse(coat=coat, what=what, tile_version=owned_tile_version(owner_id, source, what))
