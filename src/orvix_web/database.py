"""The database under threads that live long: a connection that died is renewed, a server that restarts waited for.

Django renews the connections of requests. The threads of an open canvas hold theirs for hours, and a killed backend or
a restarted server would leave them with one that never works again.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from typing import TypeVar

from django.db import InterfaceError, OperationalError, connection

PATIENCE_S = 30.0
"""How long a server that does not answer is waited for."""
_ENDED = ("57P01", "57P02", "57P03", "57P05")
"""What PostgreSQL says when it shuts down, crashed, is starting, or ends a session (PostgreSQL 15, appendix A)."""
_PAUSE_S, _LOOK_S = 0.25, 1.0
_looked = threading.local()
R = TypeVar("R")


def renew() -> None:
    """Look at this thread's connection where it failed or was not looked at for a second, and let go of it where it
    died: the next question opens another."""
    if connection.in_atomic_block or connection.connection is None:
        return
    now = time.monotonic()
    if connection.errors_occurred or now - getattr(_looked, "at", 0.0) > _LOOK_S:
        if connection.is_usable():
            connection.errors_occurred = False
        else:
            connection.close()
        _looked.at = now


def with_database(work: Callable[[], R]) -> R:
    """Do work that asks the database, on a thread that is not the event loop's, and give what it gives.

    Where the server went away meanwhile, wait until it answers, and do the work once more: it must be such that it may
    be done twice. Raises what the work raised where the server is there and refuses, within a transaction, and after
    PATIENCE_S.
    """
    renew()
    until = time.monotonic() + PATIENCE_S
    while True:
        try:
            return work()
        except (OperationalError, InterfaceError) as error:
            if connection.in_atomic_block or not _went_away(error) or time.monotonic() > until:
                raise
            connection.close()
            time.sleep(_PAUSE_S)


def _went_away(error: Exception) -> bool:
    """Whether the connection broke, or could not be made: else what was raised is the server's own word."""
    code = getattr(error.__cause__, "sqlstate", None)
    return code is None or code in _ENDED or code.startswith("08")
