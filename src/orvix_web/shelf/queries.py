"""What is on the shelf: all that a painter owns, found by words, kinds, tags and sets; what uses it; what it weighs."""

from __future__ import annotations

import hashlib
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import Any

from django.contrib.auth.models import User
from django.db.models import Q, Sum, TextField
from django.db.models.functions import Cast, Length
from django.urls import reverse

from orvix_web.brushes.models import Brush, BrushUse, BrushVersion
from orvix_web.canvases.history import brushes_used
from orvix_web.canvases.models import Canvas, KeptBlock, Operation, Palette, PathSet, StoredBlock, UndoBlock
from orvix_web.chain.following import showing
from orvix_web.chain.queries import picture_href
from orvix_web.drafts.models import Draft
from orvix_web.jobs.models import Piece
from orvix_web.proofs.models import Order, OwnSurface, Proof
from orvix_web.proofs.own_surfaces import FILES, proofs_on
from orvix_web.shelf.models import Share
from orvix_web.tiles.models import Grain, GrainVersion, Tile, TileVersion, Upload

KINDS: dict[str, tuple[Any, str]] = {
    "tile": (Tile, "Tiles"),
    "grain": (Grain, "Grains"),
    "brush": (Brush, "Brushes"),
    "canvas": (Canvas, "Canvases"),
    "proof": (Proof, "Proofs"),
    "palette": (Palette, "Palettes"),
    "paths": (PathSet, "Paths"),
    "motif": (Upload, "Imported"),
    "surface": (OwnSurface, "Surfaces"),
}
_HEAVY = {"motif": ("data",), "surface": FILES}
"""Files as they came, tens of MB each, which no list shows."""
TIPS = "tip"
"""Tiles that brushes stamp, which may be looked for alone."""
MOST_SHOWN = 600


@dataclass(frozen=True)
class Asked:
    """What is looked for: words, all of which are in a name, its tags or its set; and what else narrows it down."""

    words: str = ""
    kind: str = ""
    tag: str = ""
    set_name: str = ""
    favourites: bool = False
    trash: bool = False
    shared: bool = False


@dataclass(frozen=True)
class Entry:
    """One thing on the shelf, as its page shows it."""

    kind: str
    thing: Any
    about: str
    href: str
    picture: str

    @property
    def key(self) -> str:
        """How a form names it."""
        return f"{self.kind}-{self.thing.pk}"

    @property
    def tags(self) -> list[str]:
        """Its tags, one by one."""
        return tags_of(self.thing)


def tags_of(thing: Any) -> list[str]:
    """The tags of a thing, one by one."""
    return [one.strip() for one in thing.tags.split(",") if one.strip()]


def owned(owner: User, kind: str, *, trash: bool = False) -> Any:
    """What an owner has of a kind, on the shelf or in the trash. Drawings belong to their tiles."""
    model = KINDS[kind][0]
    found = model.objects.in_trash(owner) if trash else model.objects.of(owner)
    found = found.defer(*_HEAVY.get(kind, ()))
    return found.filter(tile=None) if kind == "canvas" else found


def shelf(owner: User, asked: Asked) -> list[Entry]:
    """What is found, the last touched first."""
    entries: list[Entry] = []
    only = "tile" if asked.kind == TIPS else asked.kind
    for kind in [only] if only in KINDS else KINDS:
        found = shared_with(owner, kind) if asked.shared else owned(owner, kind, trash=asked.trash)
        for word in asked.words.split():
            found = found.filter(Q(name__icontains=word) | Q(tags__icontains=word) | Q(set_name__icontains=word))
        if asked.kind == TIPS:
            found = found.filter(pk__in=_tips())
        if asked.set_name:
            found = found.filter(set_name=asked.set_name)
        if asked.favourites:
            found = found.filter(favourite=True)
        things = [one for one in found[:MOST_SHOWN] if not asked.tag or asked.tag in tags_of(one)]
        entries += _entries(kind, things, shared=asked.shared)
    entries.sort(key=lambda one: one.thing.trashed or one.thing.touched, reverse=True)
    return entries[:MOST_SHOWN]


def shared_with(taker: User, kind: str) -> Any:
    """What others of a kind share with somebody; what is in their trash is not shown."""
    keys = Share.objects.filter(taker=taker, kind=kind, owner__is_active=True).values("number")
    return KINDS[kind][0].objects.filter(pk__in=keys, trashed=None).select_related("owner").order_by("-touched", "-pk")


def _entries(kind: str, things: list[Any], *, shared: bool = False) -> Iterator[Entry]:
    newest = _newest(kind, [one.pk for one in things])
    for thing in things:
        if kind in _PLAIN:
            about, href, picture = _PLAIN[kind](thing)
            yield Entry(kind, thing, about, href, picture)
            continue
        shown = thing if kind == "canvas" else newest.get(thing.pk)
        if shown is not None:
            about = _about(kind, thing, shown) + (f", shared by {thing.owner.get_username()}" if shared else "")
            href = reverse("shared", args=[kind, thing.pk]) if shared else reverse(f"{kind}-page", args=[thing.pk])
            yield Entry(kind, thing, about, href, picture_href(kind, shown))


def _plain_paths(thing: Any) -> tuple[str, str, str]:
    many = len(thing.pieces)
    return f"{many} path{'' if many == 1 else 's'}", reverse("canvases"), ""


def _plain_palette(thing: Any) -> tuple[str, str, str]:
    mark = hashlib.blake2s(repr(thing.colours).encode(), digest_size=6).hexdigest()
    picture = reverse("thumbnail", args=["palette", thing.pk, mark])
    return f"{len(thing.colours)} colours", reverse("palette-file", args=[thing.pk]), picture


def _plain_motif(thing: Any) -> tuple[str, str, str]:
    picture = reverse("thumbnail", args=["motif", thing.pk, thing.sha256[:12]])
    return f"{thing.width} × {thing.height} px", reverse("outside-file", args=[thing.pk]), picture


def _plain_surface(thing: Any) -> tuple[str, str, str]:
    picture = reverse("thumbnail", args=["surface", thing.pk, thing.mark])
    size = " × ".join(f"{thing.laying[side]:g}" for side in ("width_mm", "height_mm"))
    return f"{size} mm", reverse("own-surface", args=[thing.pk]), picture


_PLAIN = {"surface": _plain_surface, "paths": _plain_paths, "palette": _plain_palette, "motif": _plain_motif}
"""What has no versions and no page of its own: words about it, where a press leads, and its picture."""


def _newest(kind: str, keys: list[int]) -> dict[int, Any]:
    """The newest versions of things, by the number of the thing."""
    models: dict[str, Any] = {
        "tile": TileVersion,
        "grain": GrainVersion,
        "brush": BrushVersion,
        "proof": Proof.versions.rel.related_model,
    }
    if kind not in models:
        return {}
    found = (
        models[kind].objects.filter(**{f"{kind}__in": keys}).order_by(f"{kind}_id", "-number").distinct(f"{kind}_id")
    )
    if kind == "brush":
        found = found.select_related("brush")
    return {getattr(one, f"{kind}_id"): one for one in found}


def _about(kind: str, thing: Any, shown: Any) -> str:
    if kind == "canvas":
        return f"v{thing.revision}, {thing.width} × {thing.height} px"
    if kind == "tile":
        width, height = shown.recipe["size"]
        return f"v{shown.number}, {width} × {height} px"
    if kind == "proof":
        return f"v{shown.number}, {len(shown.wall.get('panels', []))} looks"
    return f"v{shown.number}"


def _tips() -> Any:
    return BrushUse.objects.filter(what="tip").values("tile_version__tile")


def counts(owner: User) -> list[tuple[str, str, int]]:
    """Each kind, its title, and how many there are; tips, which are tiles, beside them."""
    told = [(kind, title, owned(owner, kind).count()) for kind, (_, title) in KINDS.items()]
    tips = owned(owner, "tile").filter(pk__in=_tips()).count()
    return [*told[:3], (TIPS, "Tips", tips), *told[3:]]


def words_used(owner: User) -> tuple[list[tuple[str, int]], list[str]]:
    """All tags with how often each is used, the most used first; and all sets."""
    tags: Counter[str] = Counter()
    sets: set[str] = set()
    for kind in KINDS:
        for thing in owned(owner, kind).exclude(tags="", set_name="").only("tags", "set_name"):
            tags.update(tags_of(thing))
            sets |= {thing.set_name} - {""}
    return tags.most_common(), sorted(sets)


def uses(kind: str, thing: Any) -> tuple[list[Entry], list[Entry]]:
    """What a thing was made from, and what is made from it."""
    made_from, into = _USES[kind](thing)

    def told(pairs: Iterable[tuple[str, Any]]) -> list[Entry]:
        by_kind: dict[str, dict[int, Any]] = {}
        for one, other in pairs:
            if other is not None:
                by_kind.setdefault(one, {})[other.pk] = other
        return [entry for one, found in by_kind.items() for entry in _entries(one, list(found.values()))]

    return told(made_from), told(into)


Pairs = list[tuple[str, Any]]


def _tile_uses(tile: Tile) -> tuple[Pairs, Pairs]:
    grains = Grain.objects.filter(versions__tile_version__tile=tile).distinct()
    brushes = Brush.objects.filter(versions__uses__tile_version__tile=tile).distinct()
    into: Pairs = [("grain", one) for one in grains] + [("brush", one) for one in brushes]
    into += [("canvas", one) for one in showing(tile) if one.tile_id is None]
    return [], into + [("proof", one) for one in tile.proofs.all()]


def _grain_uses(grain: Grain) -> tuple[Pairs, Pairs]:
    tiles = Tile.objects.filter(versions__grain_versions__grain=grain).distinct()
    brushes = Brush.objects.filter(versions__uses__grain_version__grain=grain).distinct()
    return [("tile", one) for one in tiles], [("brush", one) for one in brushes]


def _brush_uses(brush: Brush) -> tuple[Pairs, Pairs]:
    tiles = Tile.objects.filter(versions__brush_uses__version__brush=brush).distinct()
    grains = Grain.objects.filter(versions__brush_uses__version__brush=brush).distinct()
    painted = Operation.objects.filter(brush_version__brush=brush, state="done", canvas__tile=None)
    canvases = Canvas.objects.filter(pk__in=painted.values("canvas_id"))
    return [("tile", one) for one in tiles] + [("grain", one) for one in grains], [("canvas", one) for one in canvases]


def _canvas_uses(canvas: Canvas) -> tuple[Pairs, Pairs]:
    brushes = Brush.objects.filter(versions__in=[version for version, _ in brushes_used(canvas)]).distinct()
    fills = {one["fill"].get("tile") for one in canvas.layers if one.get("fill")} - {None, 0}
    tiles = Tile.objects.filter(owner=canvas.owner, pk__in=fills)
    made_from: Pairs = [("brush", one) for one in brushes] + [("tile", one) for one in tiles]
    return made_from, [("proof", one) for one in canvas.proofs.all()]


def _proof_uses(proof: Proof) -> tuple[Pairs, Pairs]:
    return [("canvas", proof.canvas), ("tile", proof.tile)], []


def _nothing(thing: Any) -> tuple[Pairs, Pairs]:
    return [], []


def _motif_uses(upload: Upload) -> tuple[Pairs, Pairs]:
    """A file from outside is named in recipes, of kept versions and of drafts."""
    told, text = f'"upload:{upload.pk}"', TextField()
    kept = TileVersion.objects.annotate(told=Cast("recipe", text)).filter(told__contains=told).values("tile_id")
    changed = Draft.objects.filter(owner=upload.owner, kind="tile").annotate(told=Cast("value", text))
    drafts = changed.filter(told__contains=told).values("number")
    using = Tile.objects.filter(Q(pk__in=kept) | Q(pk__in=drafts), owner=upload.owner)
    return [], [("tile", one) for one in using]


_USES: dict[str, Callable[[Any], tuple[Any, Any]]] = {
    "tile": _tile_uses,
    "grain": _grain_uses,
    "brush": _brush_uses,
    "canvas": _canvas_uses,
    "proof": _proof_uses,
    "palette": _nothing,
    "paths": _nothing,
    "motif": _motif_uses,
    "surface": lambda surface: ([], [("proof", one) for one in proofs_on(surface)]),
}


def space(owner: User) -> list[tuple[str, int]]:
    """What the owner's things weigh in the database, in octets, the heaviest first."""
    weights = {
        "canvases": (StoredBlock.objects.filter(canvas__owner=owner), "pixels"),
        "saved states": (KeptBlock.objects.filter(state__canvas__owner=owner), "pixels"),
        "undo": (UndoBlock.objects.filter(operation__canvas__owner=owner), "pixels"),
        "tiles": (TileVersion.objects.filter(tile__owner=owner), "stored"),
        "imported pictures": (Upload.objects.filter(owner=owner), "data"),
        "exported files": (Piece.objects.filter(product__job__owner=owner), "data"),
        "orders": (Order.objects.filter(owner=owner), "file"),
    }
    told = {name: rows.aggregate(all=Sum(Length(column)))["all"] or 0 for name, (rows, column) in weights.items()}
    return sorted(((name, octets) for name, octets in told.items() if octets), key=lambda one: -one[1])
