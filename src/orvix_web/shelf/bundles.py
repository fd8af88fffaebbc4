"""Bundles of a painter's things, out and in: looked at before anything comes in, and nothing is made twice."""

from __future__ import annotations

import base64
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from orvix.brushes.definition import Brush as CoreBrush
from orvix.errors import BadValue
from orvix.formats import openraster
from orvix.formats.bundle import KINDS as BUNDLED
from orvix.formats.bundle import Bundle, Thing, digest_of, read, with_digests, write
from orvix.tiles.sources import SOURCES
from orvix_web.brushes.loading import owned_font, owned_grain_version, owned_tile_version
from orvix_web.brushes.models import BrushVersion
from orvix_web.brushes.services import create_from_definition, take_font
from orvix_web.canvases.models import Canvas, Palette, PathSet
from orvix_web.canvases.opening import keep_opened
from orvix_web.canvases.path_sets import keep_paths
from orvix_web.canvases.pictures import picture
from orvix_web.errors import or_404
from orvix_web.notices import changed
from orvix_web.proofs.models import OwnSurface
from orvix_web.proofs.own_surfaces import create_surface, keep_layer, keep_laying
from orvix_web.shelf import archive
from orvix_web.shelf.archive import archive_of, only_canvas, restore
from orvix_web.shelf.models import Digest, Incoming
from orvix_web.shelf.queries import KINDS, owned
from orvix_web.tiles.layouts import keep_file
from orvix_web.tiles.models import GrainVersion, TileVersion, Upload
from orvix_web.tiles.rendering import snapshot_source, tile_state
from orvix_web.tiles.services import create_grain, create_tile, keep_grain

VERSIONS: dict[str, Any] = {"tile": TileVersion, "grain": GrainVersion, "brush": BrushVersion}
"""What has versions of what bundles hold, in the order in which they are made of one another."""
KEPT_INCOMING = 3


def _thing_of(kind: str, version: Any) -> Any:
    """What a version is of; what has no versions is that itself."""
    return getattr(version, kind) if kind in VERSIONS else version


# Out.


def bundle_of(owner: User, keys: Iterable[str]) -> bytes:
    """The newest versions of things, with all that they are made from, as a bundle; raises BadValue."""
    gathering = _Gathering(owner)
    for key in keys:
        kind, _, pk = key.partition("-")
        if kind not in BUNDLED or not pk.isdecimal():
            raise BadValue("thing", key[:40], f"bundles hold {', '.join(BUNDLED)}")
        thing = or_404(KINDS[kind][0].objects.filter(owner=owner, pk=int(pk)).first())
        gathering.take(kind, thing.latest if kind in VERSIONS else thing)
    if not gathering.things:
        raise BadValue("things", 0, "No items are selected. Select some first.")
    things = with_digests(sorted(gathering.things.values(), key=lambda one: BUNDLED.index(one.kind)))
    for one in things:
        if one.kind not in VERSIONS:
            _remember(one, gathering.versions[one.id])
    return write(things)


class _Gathering:
    """Versions as things of a bundle, each once."""

    def __init__(self, owner: User) -> None:
        self._owner_id = owner.pk
        self.things: dict[str, Thing] = {}
        self.versions: dict[str, Any] = {}

    def take(self, kind: str, version: Any) -> str:
        """Take a version and what it is made from; its id in the bundle."""
        number = f"{kind}-{version.pk}"
        if number not in self.things:
            thing = _thing_of(kind, version)
            told, more = getattr(self, f"_{kind}")(version)
            more |= {name: getattr(thing, name, "") for name in ("credit", "description")}
            unknown = Digest.objects.filter(kind=kind, version=version.pk).exclude(unknown={}).first()
            named = (thing.name, told, thing.tags, thing.set_name)
            self.things[number] = Thing(number, kind, *named, unknown=unknown.unknown if unknown else {}, **more)
            self.versions[number] = version
        return number

    def _tile(self, version: TileVersion) -> tuple[dict[str, Any], dict[str, Any]]:
        if SOURCES.get(version.recipe["source"]["name"]).kind != "given":
            return {"recipe": version.recipe}, {}
        state = tile_state(version)
        told = {"repeat": state.repeat.kind, "stagger": str(state.repeat.stagger), "closes": state.proven}
        return told, {"pixels": state.pixels}

    def _grain(self, version: GrainVersion) -> tuple[dict[str, Any], dict[str, Any]]:
        of = self.take("tile", version.tile_version)
        return {"of": of, "tone": version.tone, "scale": version.scale}, {}

    def _brush(self, version: BrushVersion) -> tuple[dict[str, Any], dict[str, Any]]:
        def inside(what: str, source: Any) -> dict[str, Any]:
            if what == "font":
                return {"font": base64.b64encode(bytes(owned_font(self._owner_id, source).data)).decode()}
            if what == "grain":
                return {"thing": self.take("grain", owned_grain_version(self._owner_id, source))}
            return {"thing": self.take("tile", owned_tile_version(self._owner_id, source, what))}

        return {"brush": CoreBrush.parse(version.definition).renamed(inside).as_dict()}, {}

    def _canvas(self, row: Canvas) -> tuple[dict[str, Any], dict[str, Any]]:
        told = {"joined": row.joined, "repeat": row.repeat, "stagger": row.stagger, "neighbours": row.neighbours}
        files = {"file": openraster.write(picture(row))[0], "history": archive_of(row.owner, [row.pk])}
        return told, {"files": files}

    def _palette(self, row: Palette) -> tuple[dict[str, Any], dict[str, Any]]:
        return {"colours": row.colours}, {}

    def _motif(self, row: Upload) -> tuple[dict[str, Any], dict[str, Any]]:
        return {}, {"files": {"file": bytes(row.data)}}

    def _surface(self, row: OwnSurface) -> tuple[dict[str, Any], dict[str, Any]]:
        layers = {"picture": row.picture, "mask": row.mask, "shade": row.shade_picture}
        return {"laying": row.laying}, {"files": {part: bytes(data) for part, data in layers.items() if data}}

    def _paths(self, row: PathSet) -> tuple[dict[str, Any], dict[str, Any]]:
        return {"pieces": row.pieces}, {}


def _remember(thing: Thing, row: Any) -> None:
    """What this is, as the bundle says that it went out or came in with."""
    revision = _revision(thing.kind, row)
    at = {"kind": thing.kind, "version": row.pk, "digest": thing.digest}
    Digest.objects.update_or_create(**at, defaults={"revision": revision, "unknown": dict(thing.unknown)})


def _revision(kind: str, row: Any) -> int:
    """What counts the changes of a thing that has no versions."""
    return int(row.revision if kind == "canvas" else row.state if kind == "surface" else 0)


# In.


@dataclass(frozen=True)
class Coming:
    """One thing of a bundle: what it would be called, or the version that it is here already."""

    thing: Thing
    name: str
    here: Any = None

    @property
    def words(self) -> str:
        """What would become of it, in words."""
        if self.here is not None:
            return f"already on your shelf as {_thing_of(self.thing.kind, self.here).name}"
        if self.name == self.thing.name:
            return "new"
        return f"new, named {self.name} because {self.thing.name} exists"


@dataclass(frozen=True)
class Listed:
    """One thing of an archive, as its page lists it: whether it is here already is found when it comes in."""

    kind: str
    name: str
    here: None = None
    words: str = "comes in with its history, unless it is here already"

    @property
    def thing(self) -> Listed:
        """As of what comes with a bundle."""
        return self


def take_in(owner: User, name: str, data: bytes) -> Incoming:
    """Read a bundle and keep it to be looked at; raises UnreadableFile, and then nothing is kept."""
    archive.read(data, name) if archive.is_archive(data) else read(data, name)
    with transaction.atomic():
        row = Incoming.objects.create(owner=owner, name=name[:120], data=data)
        old = Incoming.objects.filter(owner=owner).order_by("-pk").values_list("pk", flat=True)[KEPT_INCOMING:]
        Incoming.objects.filter(pk__in=list(old)).delete()
    return row


def plan(owner: User, incoming: Incoming) -> tuple[list[Coming] | list[Listed], list[str]]:
    """What would come in, and what of the bundle is not known here."""
    data = bytes(incoming.data)
    if archive.is_archive(data):
        return [Listed(kind, name) for kind, name in archive.things_of(archive.read(data, incoming.name))], []
    bundle = read(data, incoming.name)
    return _plan(owner, bundle), bundle.notes


def _plan(owner: User, bundle: Bundle) -> list[Coming]:
    here = _digests(owner)
    taken = {kind: set(KINDS[kind][0].objects.filter(owner=owner).values_list("name", flat=True)) for kind in BUNDLED}
    out = []
    for thing in bundle.things:
        known = here.get((thing.kind, thing.digest))
        name = thing.name if known is not None else _free(thing.name, taken[thing.kind])
        taken[thing.kind].add(name)
        out.append(Coming(thing, name, known))
    return out


def _free(name: str, taken: set[str]) -> str:
    number, out = 1, name
    while out in taken:
        number += 1
        out = f"{name[:112]} {number}"
    return out


def _digests(owner: User) -> dict[tuple[str, str], Any]:
    """All that an owner has, by kind and digest; that of a version is worked out once. What has no versions is known by
    the bundles that it went out and came in with, as long as it is what they say."""
    gathering = _Gathering(owner)
    versions = {
        f"{kind}-{one.pk}": (kind, one)
        for kind, model in VERSIONS.items()
        for one in model.objects.select_related(kind).filter(**{f"{kind}__owner": owner}).order_by("pk")
    }
    kept = {f"{one.kind}-{one.version}": one.digest for one in Digest.objects.filter(kind__in=VERSIONS)}

    def digest(number: str) -> str:
        if number not in kept:
            kind, version = versions[number]
            thing = gathering.things[gathering.take(kind, version)]
            kept[number] = digest_of(thing, digest)
            Digest.objects.get_or_create(kind=kind, version=version.pk, defaults={"digest": kept[number]})
        return kept[number]

    found = {(kind, digest(number)): version for number, (kind, version) in versions.items()}
    for kind in set(BUNDLED) - set(VERSIONS):
        rows = {one.pk: one for one in owned(owner, kind)}
        for told in Digest.objects.filter(kind=kind, version__in=rows):
            row = rows[told.version]
            if kind in VERSIONS or told.revision == _revision(kind, row):
                found[kind, told.digest] = row
    return found


def bring_in(owner: User, incoming: Incoming) -> list[Coming]:
    """Make all of a bundle that is not here yet, or nothing; raises BadValue and the like."""
    data = bytes(incoming.data)
    if archive.is_archive(data):
        with transaction.atomic():
            restore(owner, archive.read(data, incoming.name))
            incoming.delete()
            changed(owner.pk)
        return []
    bundle = read(data, incoming.name)
    with transaction.atomic():
        coming = _plan(owner, bundle)
        made: dict[str, Any] = {}
        for one in coming:
            made[one.thing.id] = one.here if one.here is not None else _make(owner, one, made)
        incoming.delete()
        changed(owner.pk)
    return coming


def _make(owner: User, coming: Coming, made: dict[str, Any]) -> Any:
    thing = coming.thing
    version = _MAKERS[thing.kind](owner, coming, made)
    row = _thing_of(thing.kind, version)
    row.tags, row.set_name = thing.tags, thing.set_name
    if thing.kind == "brush":
        row.credit, row.description = thing.credit, thing.description
    row.save()
    _remember(thing, version)
    return version


def _make_tile(owner: User, coming: Coming, made: dict[str, Any]) -> Any:
    told, pixels = coming.thing.told, coming.thing.pixels
    if pixels is None:
        return create_tile(owner, coming.name, told["recipe"]).latest
    repeat, stagger = told.get("repeat", "straight"), str(told.get("stagger", "1/2"))
    source = snapshot_source(owner.pk, pixels, repeat, stagger, bool(told.get("closes")))
    recipe = {"size": [pixels.shape[1], pixels.shape[0]], "repeat": repeat, "stagger": stagger, "source": source}
    return create_tile(owner, coming.name, recipe).latest


def _make_grain(owner: User, coming: Coming, made: dict[str, Any]) -> Any:
    told = coming.thing.told
    of, tone, scale = made[told["of"]].pk, told.get("tone", {}), told.get("scale", "1/2")
    grain = create_grain(owner, of, coming.name, tone)
    return grain.latest if scale == grain.latest.scale else keep_grain(owner, grain.pk, of, tone, scale)


def _make_brush(owner: User, coming: Coming, made: dict[str, Any]) -> Any:
    def outside(what: str, source: Any) -> dict[str, Any]:
        if what == "font":
            return {"font_file": take_font(owner, f"{coming.name} font", base64.b64decode(source["font"])).pk}
        return {f"{'grain' if what == 'grain' else 'tile'}_version": made[source["thing"]].pk}

    definition = CoreBrush.parse(coming.thing.told["brush"]).renamed(outside).as_dict()
    return create_from_definition(owner, coming.name, definition | {"name": coming.name}).latest


def _make_canvas(owner: User, coming: Coming, made: dict[str, Any]) -> Any:
    thing = coming.thing
    if "history" not in thing.files:
        return keep_opened(owner, coming.name, openraster.read(thing.files["file"], thing.name), dict(thing.told))
    row = only_canvas(restore(owner, archive.read(thing.files["history"], thing.name)))
    row.name = coming.name
    return row


def _make_palette(owner: User, coming: Coming, made: dict[str, Any]) -> Any:
    return Palette.objects.create(owner=owner, name=coming.name, colours=coming.thing.told["colours"])


def _make_paths(owner: User, coming: Coming, made: dict[str, Any]) -> Any:
    return keep_paths(owner, coming.name, coming.thing.told["pieces"])


def _make_motif(owner: User, coming: Coming, made: dict[str, Any]) -> Any:
    return keep_file(owner, coming.name, coming.thing.files["file"])


def _make_surface(owner: User, coming: Coming, made: dict[str, Any]) -> Any:
    files = coming.thing.files
    row = create_surface(owner, coming.name, files["picture"])
    for what in ("mask", "shade"):
        if what in files:
            keep_layer(owner, row.pk, what, coming.name, files[what])
    return keep_laying(owner, row.pk, coming.thing.told["laying"], coming.name)


_MAKERS: dict[str, Any] = {
    "tile": _make_tile,
    "grain": _make_grain,
    "brush": _make_brush,
    "canvas": _make_canvas,
    "palette": _make_palette,
    "paths": _make_paths,
    "motif": _make_motif,
    "surface": _make_surface,
}
