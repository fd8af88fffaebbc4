"""One server on one database: open canvases live in its memory, and a second server would paint over them.

An advisory lock of PostgreSQL says who serves. It is held by a connection of its own, so it goes where the process
goes, by whatever end; where the database restarts it is taken again.
"""

from __future__ import annotations

import hashlib
import logging
import time
from collections.abc import Callable
from threading import Event, Thread
from typing import Any

import psycopg
from django.db import connection

logger = logging.getLogger(__name__)

LOCK = int.from_bytes(hashlib.sha256(b"orvix: the process that serves").digest()[:8], "big", signed=True)
PATIENCE_S = 10.0
"""How long the lock of a server that was just killed is waited for."""
_LOOK_S = 2.0
IN_THE_WAY = (
    "Another Orvix server uses this database, and two servers would overwrite each other. Stop the other one, or use "
    "another database."
)


class OnlyServer:
    """The lock of this process. lost: called, on a thread of this one, where another server has it."""

    def __init__(self, lost: Callable[[], None]) -> None:
        self._lost = lost
        self._held: psycopg.Connection[Any] | None = None
        self._done = Event()
        self._thread = Thread(target=self._keep, name="only-server", daemon=True)

    def take(self, patience_s: float = PATIENCE_S) -> bool:
        """Take the lock and hold it until `give`; whether it could be had."""
        until = time.monotonic() + patience_s
        while not self._try():
            if time.monotonic() > until:
                return False
            time.sleep(0.2)
        self._thread.start()
        return True

    def give(self) -> None:
        """Let go of it."""
        self._done.set()
        if self._thread.is_alive():
            self._thread.join()
        self._drop()

    def _try(self) -> bool:
        told = connection.settings_dict
        asked = {"host": told["HOST"], "port": told["PORT"], "dbname": told["NAME"], "user": told["USER"]}
        self._held = psycopg.connect(**asked, password=told["PASSWORD"] or None, autocommit=True, connect_timeout=5)
        got = self._held.execute("SELECT pg_try_advisory_lock(%s)", [LOCK]).fetchone()
        if got is not None and got[0]:
            return True
        self._drop()
        return False

    def _drop(self) -> None:
        if self._held is not None:
            self._held.close()
            self._held = None

    def _keep(self) -> None:
        while not self._done.wait(_LOOK_S):
            try:
                if self._held is not None:
                    self._held.execute("SELECT 1")
                elif not self._try():
                    logger.error(IN_THE_WAY)
                    self._lost()
                    return
            except psycopg.OperationalError:
                self._drop()  # the server went away; it is asked again until it answers
