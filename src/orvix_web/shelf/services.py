"""What a painter does to things on the shelf, several at once."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from django.contrib.auth.models import User
from django.db import transaction
from django.utils import timezone

from orvix.errors import BadValue, UnknownName
from orvix_web.drafts import services as drafts
from orvix_web.errors import InUse, NotYours
from orvix_web.notices import changed
from orvix_web.shelf.models import Share
from orvix_web.shelf.queries import KINDS, tags_of
from orvix_web.shelf.users import users_of
from orvix_web.tiles.services import check_name

MOST_AT_ONCE = 500


def do(owner: User, what: str, keys: list[str], value: str = "") -> int:
    """Do one thing to all that are named, or to none; returns to how many. Raises NotYours, BadValue, UnknownName."""
    if what not in (*_DEEDS, "delete"):
        raise UnknownName("what to do on the shelf", what, sorted([*_DEEDS, "delete"]))
    if not 1 <= len(keys) <= MOST_AT_ONCE:
        raise BadValue("things", len(keys), f"choose 1 to {MOST_AT_ONCE} first")
    with transaction.atomic():
        things = [owned_thing(owner, key, lock=True) for key in dict.fromkeys(keys)]
        if what == "delete":
            _delete(things)
        else:
            for kind, thing in things:
                _DEEDS[what](kind, thing, value.strip())
        changed(owner.pk)
    return len(things)


def owned_thing(owner: User, key: str, *, lock: bool = False) -> tuple[str, Any]:
    """A thing of the shelf and its kind, by how a form names it; raises NotYours. lock: to be changed."""
    kind, _, pk = key.partition("-")
    model = KINDS.get(kind, (None,))[0]
    rows = model.objects.select_for_update() if model and lock else model.objects if model else None
    found = rows.filter(owner=owner, pk=int(pk)).first() if rows is not None and pk.isdecimal() else None
    if found is None:
        raise NotYours("This item no longer exists.")
    return kind, found


def _set(thing: Any, **values: Any) -> None:
    for name, value in values.items():
        most = thing._meta.get_field(name).max_length
        if most and len(value) > most:
            raise BadValue(name.replace("_", " "), str(value)[:40], f"must be at most {most} characters")
        setattr(thing, name, value)
    # What is done on the shelf does not make a thing the last that was worked on.
    type(thing).objects.filter(pk=thing.pk).update(**values)


def _tag(kind: str, thing: Any, value: str) -> None:
    fresh = [one.strip() for one in value.split(",") if one.strip()]
    if not fresh:
        raise BadValue("tag", value, "Enter a tag, or several separated by commas.")
    _set(thing, tags=", ".join(dict.fromkeys([*tags_of(thing), *fresh])))


def _untag(kind: str, thing: Any, value: str) -> None:
    _set(thing, tags=", ".join(one for one in tags_of(thing) if one != value))


def _rename(kind: str, thing: Any, value: str) -> None:
    _set(thing, name=check_name(value))


def _delete(things: list[tuple[str, Any]]) -> None:
    """Delete things for good, what uses others first, so that a whole chain goes at once; raises InUse."""
    for _, thing in things:
        if thing.trashed is None:
            raise BadValue("item", thing.name, "is not in the trash. Move it there first")
    order = list(KINDS)
    left = sorted(things, key=lambda one: (-order.index(one[0]), -one[1].pk))
    while left:
        held = []
        for kind, thing in left:
            users = users_of(kind, thing)
            if users:
                held.append((kind, thing, users))
            else:
                _delete_one(kind, thing)
        if len(held) == len(left):
            _, thing, users = held[0]
            raise InUse(thing.name, users)
        left = [(kind, thing) for kind, thing, _ in held]  # what they were used by may be gone now


def _delete_one(kind: str, thing: Any) -> None:
    number = thing.pk
    thing.delete()
    # Numbers are not given again, but what is gone is neither shared nor here.
    Share.objects.filter(kind=kind, number=number).delete()
    drafts.forget(kind, number)


_DEEDS: Mapping[str, Callable[[str, Any, str], None]] = {
    "tag": _tag,
    "untag": _untag,
    "set": lambda kind, thing, value: _set(thing, set_name=value),
    "rename": _rename,
    "favourite": lambda kind, thing, value: _set(thing, favourite=True),
    "unfavourite": lambda kind, thing, value: _set(thing, favourite=False),
    "trash": lambda kind, thing, value: _set(thing, trashed=timezone.now()),
    "restore": lambda kind, thing, value: _set(thing, trashed=None),
}
