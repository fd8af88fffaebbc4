"""Only this application's own pages may open a socket: the Origin must be the host that was asked."""

from __future__ import annotations

import logging
from collections.abc import Awaitable, Callable
from typing import Any
from urllib.parse import urlsplit

from django.conf import settings
from django.http.request import validate_host

Asgi = Callable[[dict[str, Any], Any, Any], Awaitable[None]]
logger = logging.getLogger(__name__)


class SameOrigin:
    """Closes a handshake from another site's page, or from no page at all, before anything is looked up."""

    def __init__(self, inner: Any) -> None:
        self._inner = inner

    async def __call__(self, scope: dict[str, Any], receive: Any, send: Any) -> None:
        """Let the handshake through, or close it (the server answers 403)."""
        headers = {name: value.decode("latin-1") for name, value in scope["headers"]}
        host, origin = headers.get(b"host", ""), urlsplit(headers.get(b"origin", ""))
        bare = host.rsplit(":", 1)[0] if not host.endswith("]") else host
        if origin.scheme in ("http", "https") and origin.netloc == host and validate_host(bare, settings.ALLOWED_HOSTS):
            await self._inner(scope, receive, send)
            return
        logger.warning("refused a socket asked for by a page of %s", origin.geturl()[:200] or "no origin")
        await send({"type": "websocket.close", "code": 4403})
