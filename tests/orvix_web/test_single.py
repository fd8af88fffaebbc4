"""One server on one database: the lock, who gets it, and what becomes of it where the database ends its connection."""

from __future__ import annotations

import threading

import pytest
from django.db import connection

from orvix_web.live.single import LOCK, OnlyServer

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture
def servers(monkeypatch):
    monkeypatch.setattr("orvix_web.live.single._LOOK_S", 0.05)
    lost = threading.Event()
    made = [OnlyServer(lost.set), OnlyServer(lost.set)]
    yield *made, lost
    for one in made:
        one.give()


def holders() -> list[int]:
    with connection.cursor() as asked:
        asked.execute(
            "SELECT pid FROM pg_locks WHERE locktype = 'advisory' AND granted "
            "AND database = (SELECT oid FROM pg_database WHERE datname = current_database()) "
            "AND (classid::bigint << 32 | objid::bigint) = %s",
            [LOCK],
        )
        return [row[0] for row in asked.fetchall()]


def test_a_second_server_is_refused_until_the_first_is_gone(servers):
    first, second, _ = servers
    assert first.take(0.0)
    assert not second.take(0.3)
    first.give()
    assert second.take(5.0)
    assert len(holders()) == 1


def test_a_lock_whose_connection_was_ended_is_taken_again(servers):
    first, _, lost = servers
    assert first.take(0.0)
    (pid,) = holders()
    with connection.cursor() as asked:
        asked.execute("SELECT pg_terminate_backend(%s)", [pid])
    for _ in range(200):
        now = holders()
        if now and now != [pid]:
            break
        threading.Event().wait(0.05)
    assert len(now) == 1
    assert now != [pid]
    assert not lost.is_set()


def test_a_server_that_lost_the_lock_to_another_is_told(servers, monkeypatch):
    first, second, lost = servers
    assert first.take(0.0)
    monkeypatch.setattr(first, "_try", lambda: False)
    (pid,) = holders()
    with connection.cursor() as asked:
        asked.execute("SELECT pg_terminate_backend(%s)", [pid])
    assert second.take(5.0)
    assert lost.wait(5.0)
