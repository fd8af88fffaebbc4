"""Several queries that must agree with each other."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from django.db import connection, transaction


@contextmanager
def one_moment() -> Iterator[None]:
    """What is read inside is as it was at one moment, whatever is painted or deleted meanwhile.

    For reading. Inside another transaction it is what that one sees.
    """
    inside = connection.in_atomic_block
    with transaction.atomic():
        if not inside:
            with connection.cursor() as cursor:
                cursor.execute("set transaction isolation level repeatable read")
        yield
