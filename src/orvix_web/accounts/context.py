"""What every template knows of who is signed in."""

from __future__ import annotations

from functools import cache
from typing import Any

from django.conf import settings
from django.http import HttpRequest

from orvix_web.accounts.keys import keys_from
from orvix_web.accounts.preferences import preferences_from, stored


def signed_in(request: HttpRequest) -> dict[str, Any]:
    """sign_in: whether people sign in here. loopback, encrypted: how it was reached. theme, keys: the painter's."""
    host = request.get_host()
    bare = host if host.endswith("]") else host.rsplit(":", 1)[0]
    loopback = bare in settings.LOOPBACK
    told = {"sign_in": settings.SIGN_IN, "loopback": loopback, "encrypted": loopback or request.is_secure()}
    painter = getattr(request, "user", None)
    chosen = cache(lambda: stored(painter.pk if painter is not None else None))
    return told | {"theme": lambda: preferences_from(chosen())["theme"], "keys": cache(lambda: keys_from(chosen()))}
