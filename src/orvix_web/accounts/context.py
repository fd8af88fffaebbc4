"""What every template knows of who is signed in."""

from __future__ import annotations

from functools import cache
from typing import Any

from django.conf import settings
from django.http import HttpRequest

from orvix_web.accounts.preferences import preferences_of


def signed_in(request: HttpRequest) -> dict[str, Any]:
    """sign_in: whether people sign in here. loopback, encrypted: how the page was reached. theme: the painter's."""
    host = request.get_host()
    bare = host if host.endswith("]") else host.rsplit(":", 1)[0]
    loopback = bare in settings.LOOPBACK
    told = {"sign_in": settings.SIGN_IN, "loopback": loopback, "encrypted": loopback or request.is_secure()}
    painter = getattr(request, "user", None)
    return told | {"theme": cache(lambda: preferences_of(painter.pk if painter is not None else None)["theme"])}
