"""Bundles of a painter's things, out and in: looked at before anything comes in, and nothing is made twice."""

from __future__ import annotations

import base64
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any

from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction

from orvix.brushes.definition import Brush as CoreBrush
from orvix.errors import BadValue
from orvix.formats.bundle import Bundle, Thing, digest_of, read, write
from orvix.tiles.sources import SOURCES
from orvix_web.brushes.loading import owned_font, owned_grain_version, owned_tile_version
from orvix_web.brushes.models import BrushVersion
from orvix_web.brushes.services import create_from_definition, take_font
from orvix_web.errors import or_404
from orvix_web.live.notices import changed
from orvix_web.shelf.models import Digest, Incoming
from orvix_web.shelf.queries import KINDS
from orvix_web.tiles.models import GrainVersion, TileVersion
from orvix_web.tiles.rendering import snapshot_source, tile_state
from orvix_web.tiles.services import create_grain, create_tile, keep_grain

VERSIONS: dict[str, Any] = {"tile": TileVersion, "grain": GrainVersion, "brush": BrushVersion}
"""What bundles hold, in the order in which they are made of one another."""
KEPT_INCOMING = 3


# Out.


def bundle_of(owner: AbstractBaseUser, keys: Iterable[str]) -> bytes:
    """The newest versions of things, with all that they are made from, as a bundle; raises BadValue."""
    gathering = _Gathering(owner)
    for key in keys:
        kind, _, pk = key.partition("-")
        if kind not in VERSIONS or not pk.isdecimal():
            raise BadValue("thing", key[:40], "bundles hold tiles, grains and brushes")
        thing = or_404(KINDS[kind][0].objects.filter(owner=owner, pk=int(pk)).first())
        gathering.take(kind, thing.latest)
    if not gathering.things:
        raise BadValue("things", 0, "choose some first")
    return write(sorted(gathering.things.values(), key=lambda one: list(VERSIONS).index(one.kind)))


class _Gathering:
    """Versions as things of a bundle, each once."""

    def __init__(self, owner: AbstractBaseUser) -> None:
        self._owner_id = owner.pk
        self.things: dict[str, Thing] = {}

    def take(self, kind: str, version: Any) -> str:
        """Take a version and what it is made from; its id in the bundle."""
        number = f"{kind}-{version.pk}"
        if number not in self.things:
            thing = getattr(version, kind)
            told, pixels = getattr(self, f"_{kind}")(version)
            more = {name: getattr(thing, name, "") for name in ("credit", "description")}
            named = (thing.name, told, thing.tags, thing.set_name)
            self.things[number] = Thing(number, kind, *named, pixels=pixels, **more)
        return number

    def _tile(self, version: TileVersion) -> tuple[dict[str, Any], Any]:
        if SOURCES.get(version.recipe["source"]["name"]).kind != "given":
            return {"recipe": version.recipe}, None
        state = tile_state(version)
        told = {"repeat": state.repeat.kind, "stagger": str(state.repeat.stagger), "closes": state.proven}
        return told, state.pixels

    def _grain(self, version: GrainVersion) -> tuple[dict[str, Any], Any]:
        of = self.take("tile", version.tile_version)
        return {"of": of, "tone": version.tone, "scale": version.scale}, None

    def _brush(self, version: BrushVersion) -> tuple[dict[str, Any], Any]:
        def inside(what: str, source: Any) -> dict[str, Any]:
            if what == "font":
                return {"font": base64.b64encode(bytes(owned_font(self._owner_id, source).data)).decode()}
            if what == "grain":
                return {"thing": self.take("grain", owned_grain_version(self._owner_id, source))}
            return {"thing": self.take("tile", owned_tile_version(self._owner_id, source, what))}

        return {"brush": CoreBrush.parse(version.definition).renamed(inside).as_dict()}, None


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
            return f"is here already, as {getattr(self.here, self.thing.kind).name}"
        if self.name == self.thing.name:
            return "comes in"
        return f"comes in as {self.name}: another {self.thing.name} is here"


def take_in(owner: AbstractBaseUser, name: str, data: bytes) -> Incoming:
    """Read a bundle and keep it to be looked at; raises UnreadableFile, and then nothing is kept."""
    read(data, name)
    with transaction.atomic():
        row = Incoming.objects.create(owner=owner, name=name[:120], data=data)
        old = Incoming.objects.filter(owner=owner).order_by("-pk").values_list("pk", flat=True)[KEPT_INCOMING:]
        Incoming.objects.filter(pk__in=list(old)).delete()
    return row


def plan(owner: AbstractBaseUser, incoming: Incoming) -> tuple[list[Coming], list[str]]:
    """What would come in, and what of the bundle is not known here."""
    bundle = read(bytes(incoming.data), incoming.name)
    return _plan(owner, bundle), bundle.notes


def _plan(owner: AbstractBaseUser, bundle: Bundle) -> list[Coming]:
    here = _digests(owner)
    taken = {kind: set(KINDS[kind][0].objects.filter(owner=owner).values_list("name", flat=True)) for kind in VERSIONS}
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


def _digests(owner: AbstractBaseUser) -> dict[tuple[str, str], Any]:
    """All versions of an owner's things, by kind and digest; each digest is worked out once."""
    gathering = _Gathering(owner)
    versions = {
        f"{kind}-{one.pk}": (kind, one)
        for kind, model in VERSIONS.items()
        for one in model.objects.select_related(kind).filter(**{f"{kind}__owner": owner}).order_by("pk")
    }
    kept = {f"{one.kind}-{one.version}": one.digest for one in Digest.objects.all()}

    def digest(number: str) -> str:
        if number not in kept:
            kind, version = versions[number]
            thing = gathering.things[gathering.take(kind, version)]
            kept[number] = digest_of(kind, thing.told, thing.pixels, digest)
            Digest.objects.get_or_create(kind=kind, version=version.pk, defaults={"digest": kept[number]})
        return kept[number]

    return {(kind, digest(number)): version for number, (kind, version) in versions.items()}


def bring_in(owner: AbstractBaseUser, incoming: Incoming) -> list[Coming]:
    """Make all of a bundle that is not here yet, or nothing; raises BadValue and the like."""
    bundle = read(bytes(incoming.data), incoming.name)
    with transaction.atomic():
        coming = _plan(owner, bundle)
        made: dict[str, Any] = {}
        for one in coming:
            made[one.thing.id] = one.here if one.here is not None else _make(owner, one, made)
        incoming.delete()
        changed(owner.pk)
    return coming


def _make(owner: AbstractBaseUser, coming: Coming, made: dict[str, Any]) -> Any:
    thing = coming.thing
    version = _MAKERS[thing.kind](owner, coming, made)
    owned = getattr(version, thing.kind)
    owned.tags, owned.set_name = thing.tags, thing.set_name
    if thing.kind == "brush":
        owned.credit, owned.description = thing.credit, thing.description
    owned.save()
    Digest.objects.get_or_create(kind=thing.kind, version=version.pk, defaults={"digest": thing.digest})
    return version


def _make_tile(owner: AbstractBaseUser, coming: Coming, made: dict[str, Any]) -> Any:
    told, pixels = coming.thing.told, coming.thing.pixels
    if pixels is None:
        return create_tile(owner, coming.name, told["recipe"]).latest
    repeat, stagger = told.get("repeat", "straight"), str(told.get("stagger", "1/2"))
    source = snapshot_source(owner.pk, pixels, repeat, stagger, bool(told.get("closes")))
    recipe = {"size": [pixels.shape[1], pixels.shape[0]], "repeat": repeat, "stagger": stagger, "source": source}
    return create_tile(owner, coming.name, recipe).latest


def _make_grain(owner: AbstractBaseUser, coming: Coming, made: dict[str, Any]) -> Any:
    told = coming.thing.told
    of, tone, scale = made[told["of"]].pk, told.get("tone", {}), told.get("scale", "1/2")
    grain = create_grain(owner, of, coming.name, tone)
    return grain.latest if scale == grain.latest.scale else keep_grain(owner, grain.pk, of, tone, scale)


def _make_brush(owner: AbstractBaseUser, coming: Coming, made: dict[str, Any]) -> Any:
    def outside(what: str, source: Any) -> dict[str, Any]:
        if what == "font":
            return {"font_file": take_font(owner, f"{coming.name} font", base64.b64decode(source["font"])).pk}
        return {f"{'grain' if what == 'grain' else 'tile'}_version": made[source["thing"]].pk}

    definition = CoreBrush.parse(coming.thing.told["brush"]).renamed(outside).as_dict()
    return create_from_definition(owner, coming.name, definition | {"name": coming.name}).latest


_MAKERS: dict[str, Any] = {"tile": _make_tile, "grain": _make_grain, "brush": _make_brush}
