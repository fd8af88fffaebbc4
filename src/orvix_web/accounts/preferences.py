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


def preferences_of(owner_id: int | None) -> dict[str, Any]:
    """Every preference of a painter, the default where nothing was chosen; without a painter, all defaults."""
    chosen = Preferences.objects.filter(owner_id=owner_id).values_list("values", flat=True).first() if owner_id else {}
    return {name: (chosen or {}).get(name, value.default) for name, value in VALUES.items()}


def prefer(owner: User, name: str, given: Any) -> None:
    """Store one preference; raises UnknownName and BadValue."""
    if name not in VALUES:
        raise UnknownName("preference", name, list(VALUES))
    value = VALUES[name].check(given)
    with transaction.atomic():
        Preferences.objects.get_or_create(owner=owner)
        row = Preferences.objects.select_for_update().get(owner=owner)
        row.values = {**row.values, name: value}
        row.save(update_fields=["values"])
