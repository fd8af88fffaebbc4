"""What every template knows of who is signed in."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.http import HttpRequest


def signed_in(request: HttpRequest) -> dict[str, Any]:
    """sign_in: whether people sign in here. loopback, encrypted: how the page was reached."""
    host = request.get_host()
    bare = host if host.endswith("]") else host.rsplit(":", 1)[0]
    loopback = bare in settings.LOOPBACK
    return {"sign_in": settings.SIGN_IN, "loopback": loopback, "encrypted": loopback or request.is_secure()}
