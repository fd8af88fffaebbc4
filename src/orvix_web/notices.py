"""Word to open pages that something of their owner's has changed. In this process only.

A change is only told as such; pages fetch what they show again. News of a draft says which draft, and which revision of
it is the newest, so that windows on the same thing follow each other.
"""

from __future__ import annotations

import asyncio
from collections import defaultdict
from threading import Lock
from typing import Any

from django.db import transaction


class Listener:
    """One who waits for word. `event` is set when there is any; made and read on the loop that waits.

    drafts: whether news of drafts is wanted too.
    """

    def __init__(self, *, drafts: bool = False) -> None:
        self.event = asyncio.Event()
        self.wants_drafts = drafts
        self._loop = asyncio.get_running_loop()
        self._changed = False
        self._drafts: dict[tuple[str, int], dict[str, Any]] = {}

    def take(self) -> tuple[bool, list[dict[str, Any]]]:
        """Whether anything has changed since the last call, and the newest word of each draft."""
        with _lock:
            told = self._changed, list(self._drafts.values())
            self._changed, self._drafts = False, {}
            self.event.clear()
        return told

    def _tell(self, news: dict[str, Any] | None) -> None:
        if self._loop.is_closed() or (news is not None and not self.wants_drafts):
            return
        with _lock:
            if news is None:
                self._changed = True
            else:
                self._drafts[news["of"], news["number"]] = news
        self._loop.call_soon_threadsafe(self.event.set)


_listeners: dict[int, set[Listener]] = defaultdict(set)
_lock = Lock()


def listen(owner_id: int, *, drafts: bool = False) -> Listener:
    """Begin to listen; called on the loop that will wait."""
    listener = Listener(drafts=drafts)
    with _lock:
        _listeners[owner_id].add(listener)
    return listener


def leave(owner_id: int, listener: Listener) -> None:
    """Stop listening."""
    with _lock:
        _listeners[owner_id].discard(listener)


def changed(owner_id: int) -> None:
    """Tell the owner's open pages, once what changed is committed. Callable on any thread."""
    transaction.on_commit(lambda: _tell(owner_id, None))


def told(owner_id: int, news: dict[str, Any]) -> None:
    """Tell the owner's open pages about a draft, once it is committed. Callable on any thread.

    news: `of` and `number`, the thing; `revision`; `window`, who wrote it.
    """
    transaction.on_commit(lambda: _tell(owner_id, news))


def _tell(owner_id: int, news: dict[str, Any] | None) -> None:
    with _lock:
        listeners = list(_listeners[owner_id])
    for listener in listeners:
        listener._tell(news)
