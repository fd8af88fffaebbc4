"""Sharing with another account on the same server: it may look, or copy too. What is shared stays its owner's."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from orvix.errors import BadValue
from orvix_web.accounts.people import account, may_sign_in
from orvix_web.errors import NotYours
from orvix_web.notices import changed
from orvix_web.shelf.bundles import bundle_of, take_in
from orvix_web.shelf.models import Incoming, Share
from orvix_web.shelf.pictures import PICTURES
from orvix_web.shelf.queries import shared_with
from orvix_web.shelf.services import MOST_AT_ONCE, owned_thing


def share(owner: User, keys: list[str], taker_name: str, *, may_copy: bool) -> int:
    """Share things with an account, all or none; what is shared with it already takes the new rule.

    Raises BadValue and NotYours.
    """
    if not 1 <= len(keys) <= MOST_AT_ONCE:
        raise BadValue("things", len(keys), f"choose 1 to {MOST_AT_ONCE} first")
    taker = account(taker_name)
    if taker.pk == owner.pk or not may_sign_in(taker):
        raise BadValue("account", taker_name, "is not an open account. Choose another.")
    with transaction.atomic():
        for key in dict.fromkeys(keys):
            kind, thing = owned_thing(owner, key)
            if kind not in PICTURES:
                raise BadValue("thing", thing.name, f"a {kind} is not shared; {', '.join(PICTURES)} are")
            at = {"taker": taker, "kind": kind, "number": thing.pk}
            Share.objects.update_or_create(**at, defaults={"owner": owner, "may_copy": may_copy})
        changed(taker.pk)
    return len(keys)


def unshare(who: User, pk: int) -> tuple[str, int]:
    """End a share, by its owner or its taker; the kind and number of its thing. Raises NotYours."""
    row = Share.objects.filter(pk=pk).first()
    if row is None or who.pk not in (row.owner_id, row.taker_id):
        raise NotYours("This item is no longer shared.")
    row.delete()
    changed(row.taker_id)
    changed(row.owner_id)
    return row.kind, row.number


def shares_of(owner: User, kind: str, pk: int) -> Any:
    """With whom an owner shares one thing."""
    return Share.objects.filter(owner=owner, kind=kind, number=pk).select_related("taker").order_by("taker__username")


def find(taker: User, kind: str, pk: int) -> tuple[Share, Any]:
    """What is shared with somebody, and how; raises NotYours, also for what its owner has put in the trash."""
    row = Share.objects.filter(taker=taker, kind=kind, number=pk).select_related("owner").first()
    thing = shared_with(taker, kind).filter(pk=pk).first() if row is not None else None
    if row is None or thing is None:
        raise NotYours(f"{kind} {pk}: is no longer shared with you")
    return row, thing


def copy(taker: User, kind: str, pk: int) -> Incoming:
    """What is shared, and all it is made from, as a bundle to be looked at; raises NotYours and BadValue."""
    row, thing = find(taker, kind, pk)
    if not row.may_copy:
        raise BadValue("copy", thing.name, f"{row.owner.username} allows viewing only.")
    return take_in(taker, f"{thing.name} by {row.owner.username}", bundle_of(row.owner, [f"{kind}-{pk}"]))
