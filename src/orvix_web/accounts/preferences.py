"""What a painter chooses once for all pages: the theme, and what is closed for good."""

from __future__ import annotations

from typing import Any

from django.contrib.auth.models import User
from django.db import transaction

from orvix.errors import UnknownName
from orvix.registry import Value
from orvix_web.accounts.models import Preferences

THEMES = ("light", "dim")
VALUES = {
    value.name: value
    for value in (
        Value("theme", "Theme", "choice", "light", "Dim is for evenings. It never changes a picture.", choices=THEMES),
    )
}


def stored(owner_id: int | None) -> dict[str, Any]:
    """What a painter chose, by the names of the preferences; empty without a painter."""
    if not owner_id:
        return {}
    return Preferences.objects.filter(owner_id=owner_id).values_list("values", flat=True).first() or {}


def preferences_of(owner_id: int | None) -> dict[str, Any]:
    """Every preference of a painter, the default where nothing was chosen; without a painter, all defaults."""
    return preferences_from(stored(owner_id))


def preferences_from(chosen: dict[str, Any]) -> dict[str, Any]:
    """Every preference, from what is stored of a painter."""
    return {name: chosen.get(name, value.default) for name, value in VALUES.items()}


def prefer(owner: User, name: str, given: Any) -> None:
    """Store one preference; raises UnknownName and BadValue."""
    if name not in VALUES:
        raise UnknownName("preference", name, list(VALUES))
    store(owner, name, VALUES[name].check(given))


def store(owner: User, name: str, value: Any) -> None:
    """Store a choice that is checked already."""
    with transaction.atomic():
        Preferences.objects.get_or_create(owner=owner)
        row = Preferences.objects.select_for_update().get(owner=owner)
        row.values = {**row.values, name: value}
        row.save(update_fields=["values"])
