"""The request of a view that only a painter reaches."""

from __future__ import annotations

from django.contrib.auth.models import User
from django.http import HttpRequest


class PainterRequest(HttpRequest):
    """A request whose painter is known, as the middleware makes sure for every view but those for signing in."""

    user: User
