"""Sharing with another account on the same server: it may look, or copy too. What is shared stays its owner's."""

from __future__ import annotations

from typing import Any

import numpy as np
from django.contrib.auth.models import AbstractBaseUser
from django.db import transaction

from orvix.errors import BadValue
from orvix.pictures.packing import flat_rgba8
from orvix.pictures.writing import contrasting_ground, png_bytes
from orvix.tiles.repeats import cloth
from orvix_web.accounts.people import account, may_sign_in
from orvix_web.brushes.loading import load_version
from orvix_web.brushes.trials import SheetOrder, best_factor, paint_sheet
from orvix_web.errors import NotYours
from orvix_web.live.notices import changed
from orvix_web.live.rooms import picture
from orvix_web.shelf.bundles import bundle_of, take_in
from orvix_web.shelf.models import Incoming, Share
from orvix_web.shelf.queries import shared_with
from orvix_web.shelf.services import MOST_AT_ONCE, owned_thing
from orvix_web.tiles.rendering import loaded_grain, tile_state

LONGEST_PX = 1200


def share(owner: AbstractBaseUser, keys: list[str], taker_name: str, *, may_copy: bool) -> int:
    """Share things with an account, all or none; what is shared with it already takes the new rule.

    Raises BadValue and NotYours.
    """
    if not 1 <= len(keys) <= MOST_AT_ONCE:
        raise BadValue("things", len(keys), f"choose 1 to {MOST_AT_ONCE} first")
    taker = account(taker_name)
    if taker.pk == owner.pk or not may_sign_in(taker):
        raise BadValue("account", taker_name, "must be another one that is open")
    with transaction.atomic():
        for key in dict.fromkeys(keys):
            kind, thing = owned_thing(owner, key)
            if kind not in PICTURES:
                raise BadValue("thing", thing.name, f"a {kind} is not shared; {', '.join(PICTURES)} are")
            at = {"taker": taker, "kind": kind, "number": thing.pk}
            Share.objects.update_or_create(**at, defaults={"owner": owner, "may_copy": may_copy})
        changed(taker.pk)
    return len(keys)


def unshare(who: AbstractBaseUser, pk: int) -> tuple[str, int]:
    """End a share, by its owner or its taker; the kind and number of its thing. Raises NotYours."""
    row = Share.objects.filter(pk=pk).first()
    if row is None or who.pk not in (row.owner_id, row.taker_id):
        raise NotYours(f"share={pk}: there is no such share of yours")
    row.delete()
    changed(row.taker_id)
    changed(row.owner_id)
    return row.kind, row.number


def shares_of(owner: AbstractBaseUser, kind: str, pk: int) -> Any:
    """With whom an owner shares one thing."""
    return Share.objects.filter(owner=owner, kind=kind, number=pk).select_related("taker").order_by("taker__username")


def find(taker: AbstractBaseUser, kind: str, pk: int) -> tuple[Share, Any]:
    """What is shared with somebody, and how; raises NotYours, also for what its owner has put in the trash."""
    row = Share.objects.filter(taker=taker, kind=kind, number=pk).select_related("owner").first()
    thing = shared_with(taker, kind).filter(pk=pk).first() if row is not None else None
    if row is None or thing is None:
        raise NotYours(f"{kind} {pk}: nobody shares such a thing with you now")
    return row, thing


def copy(taker: AbstractBaseUser, kind: str, pk: int) -> Incoming:
    """What is shared, and all it is made from, as a bundle to be looked at; raises NotYours and BadValue."""
    row, thing = find(taker, kind, pk)
    if not row.may_copy:
        raise BadValue("copy", thing.name, f"{row.owner.username} lets you look at it only")
    return take_in(taker, f"{thing.name} by {row.owner.username}", bundle_of(row.owner, [f"{kind}-{pk}"]))


# What there is to look at.


def _tile(thing: Any) -> Any:
    state = tile_state(thing.latest)
    rows, columns = state.pixels.shape[:2]
    flat = flat_rgba8(state.pixels, contrasting_ground(state.pixels))
    across, down = (max(1, min(3, LONGEST_PX // side)) for side in (columns, rows))
    return cloth(flat, state.repeat, 0, 0, rows * down, columns * across)[..., :3]


def _grain(thing: Any) -> Any:
    plane = loaded_grain(thing.latest).plane
    grey = (plane * 255 + 0.5).astype(np.uint8)
    return np.dstack([grey, grey, grey])


def _brush(thing: Any) -> Any:
    loaded = load_version(thing.owner_id, thing.latest.pk)
    return paint_sheet(loaded, SheetOrder(factor=best_factor(loaded.brush.size))).pixels[..., :3]


def _canvas(thing: Any) -> Any:
    canvas = picture(thing)
    level = 0
    while max(canvas.spec.width, canvas.spec.height) >> level > LONGEST_PX:
        level += 1
    return canvas.view(canvas.spec.box, level)[..., :3]


PICTURES = {"tile": _tile, "grain": _grain, "brush": _brush, "canvas": _canvas}


def picture_of(kind: str, thing: Any) -> bytes:
    """What there is to see of a thing, as PNG of about LONGEST_PX a side."""
    return png_bytes(np.ascontiguousarray(PICTURES[kind](thing)), level=4)


def facts_of(kind: str, thing: Any) -> list[tuple[str, str]]:
    """What there is to know of a thing without having it: rows of a word and a value."""
    told = [("version", str(thing.revision if kind == "canvas" else thing.latest.number))]
    if kind == "canvas":
        told += [("size", f"{thing.width} × {thing.height} px at {thing.ppi:g} ppi")]
    elif kind == "tile":
        width, height = thing.latest.recipe["size"]
        told += [("size", f"{width} × {height} px"), ("repeat", thing.latest.recipe.get("repeat", "straight"))]
    elif kind == "brush":
        told += [(name, text) for name, text in (("maker", thing.credit), ("about", thing.description)) if text]
    return told + ([("tags", thing.tags)] if thing.tags else [])
