"""Word to open pages that something of their owner's has changed. In this process only, and only that it changed."""

from __future__ import annotations

import asyncio
from collections import defaultdict
from threading import Lock

from django.db import transaction

_listeners: dict[int, set[tuple[asyncio.AbstractEventLoop, asyncio.Event]]] = defaultdict(set)
_lock = Lock()


def listen(owner_id: int) -> asyncio.Event:
    """An event, set at every change; called on the loop that will wait for it."""
    event = asyncio.Event()
    with _lock:
        _listeners[owner_id].add((asyncio.get_running_loop(), event))
    return event


def leave(owner_id: int, event: asyncio.Event) -> None:
    """Stop listening."""
    with _lock:
        _listeners[owner_id] = {pair for pair in _listeners[owner_id] if pair[1] is not event}


def changed(owner_id: int) -> None:
    """Tell the owner's open pages, once what changed is committed. Callable on any thread."""
    transaction.on_commit(lambda: _tell(owner_id))


def _tell(owner_id: int) -> None:
    with _lock:
        listeners = list(_listeners[owner_id])
    for loop, event in listeners:
        if not loop.is_closed():
            loop.call_soon_threadsafe(event.set)
