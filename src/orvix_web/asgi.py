"""The application as the server runs it: pages, sockets, and what happens when it starts and stops."""

from __future__ import annotations

import asyncio
import os
import signal
import sys
import warnings
from threading import Event, Thread
from typing import Any

import django

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "orvix_web.settings.local")
django.setup()

from channels.routing import ProtocolTypeRouter, URLRouter  # noqa: E402
from django.core.asgi import get_asgi_application  # noqa: E402

from orvix.warming import warm  # noqa: E402
from orvix_web.live import rooms  # noqa: E402
from orvix_web.live.single import IN_THE_WAY, OnlyServer  # noqa: E402
from orvix_web.sockets.origin import SameOrigin  # noqa: E402
from orvix_web.sockets.routing import SOCKETS  # noqa: E402

# Static files are small and read whole; Django's advice about streaming them does not apply.
warnings.filterwarnings("ignore", message="StreamingHttpResponse must consume synchronous iterators")

SWITCH_SECONDS = 0.0005
"""How long a page being rendered may hold the interpreter while a painter's stroke waits for it."""


def _stop_unstored() -> None:
    """Another server has this database: stop, and write nothing more."""
    rooms.write_nothing_more()
    os.kill(os.getpid(), signal.SIGTERM)


async def lifespan(scope: dict[str, Any], receive: Any, send: Any) -> None:
    """Be the only server of this database; warm the kernels beside the first pages; store every canvas at the end."""
    stopping = Event()
    only = OnlyServer(_stop_unstored)
    warming = Thread(target=warm, args=(lambda: not stopping.is_set(),), name="warming", daemon=True)
    while True:
        message = await receive()
        if message["type"] == "lifespan.startup":
            sys.setswitchinterval(SWITCH_SECONDS)
            if not await asyncio.to_thread(only.take):
                await send({"type": "lifespan.startup.failed", "message": IN_THE_WAY})
                return
            warming.start()
            await send({"type": "lifespan.startup.complete"})
        else:
            stopping.set()
            await rooms.close_all()
            await asyncio.to_thread(only.give)
            # A process that ends while a kernel is being compiled is aborted by the compiler.
            await asyncio.to_thread(warming.join, 20)
            await send({"type": "lifespan.shutdown.complete"})
            return


application = ProtocolTypeRouter(
    {"http": get_asgi_application(), "websocket": SameOrigin(URLRouter(SOCKETS)), "lifespan": lifespan}
)
