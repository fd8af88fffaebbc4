"""What all tests share: a database cluster of their own, people, and brushes at hand."""

from __future__ import annotations

import fcntl
import hashlib
import os
from collections.abc import Iterator
from pathlib import Path
from typing import IO, Any

import django
import numpy as np
import postgres
import procrastinate
import pytest
from hypothesis import settings

from orvix.brushes import grain_use
from orvix.brushes.definition import Brush
from orvix.brushes.values import COAT_VALUES
from orvix.strokes.loaded import LoadedBrush, LoadedCoat, LoadedGrain
from orvix.tiles.repeats import Repeat

os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
settings.register_profile("orvix", deadline=None)  # the first call of a kernel compiles it
settings.load_profile("orvix")


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Browser tests run last: their event loop stays open until the run ends."""
    items.sort(key=lambda item: "browser" in item.nodeid)


CLUSTER = os.environ.get("ORVIX_TEST_CLUSTER", "test-cluster")
_whole_run: list[postgres.Cluster] = []
"""The cluster that all processes of a run share, in the process that began them."""


def pytest_configure(config: pytest.Config) -> None:
    """Where several processes share the tests, the one that begins them starts the cluster and stops it."""
    if not hasattr(config, "workerinput") and config.getoption("numprocesses", None):
        _whole_run.append(postgres.ensure(CLUSTER, durable=False))


def pytest_unconfigure(config: pytest.Config) -> None:
    for cluster in _whole_run:
        if cluster.started:
            postgres.stop(cluster)


@pytest.fixture(scope="session")
def django_db_modify_db_settings(django_db_modify_db_settings_parallel_suffix, django_db_blocker) -> Iterator[None]:
    """A database that is copied from one with all migrations done; no other process may use that one meanwhile."""
    from django.db import connections

    cluster = postgres.ensure(CLUSTER, durable=False)
    for told in (connections["default"].settings_dict, connections.settings["default"]):
        told["PORT"] = str(cluster.port)
    with (postgres.VAR / f"{CLUSTER}.lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        with django_db_blocker.unblock():
            template = _migrated(cluster)
        connections["default"].settings_dict["TEST"] |= {"TEMPLATE": template, "MIGRATE": False}
        _copying.append(lock)
        yield
    if cluster.started:
        connections.close_all()
        postgres.stop(cluster)


_copying: list[IO[str]] = []


@pytest.fixture(scope="session")
def django_db_setup(django_db_setup) -> None:
    fcntl.flock(_copying.pop(), fcntl.LOCK_UN)


def _migrated(cluster: postgres.Cluster) -> str:
    """The name of a database with all migrations done, made where there is none for just these migrations."""
    from django.core.management import call_command
    from django.db import connections

    apps = Path(django.__file__).parent, Path(procrastinate.__file__).parent, Path(__file__).parents[1] / "src"
    files = sorted(str(path) for folder in apps for path in folder.glob("**/migrations/*.py"))
    marks = [f"{path} {hashlib.sha256(Path(path).read_bytes()).hexdigest()}" for path in files]
    name = f"migrated_{hashlib.sha256(' '.join(marks).encode()).hexdigest()[:16]}"
    connection = connections["default"]
    usual = connection.settings_dict["NAME"]
    with connection._nodb_cursor() as cursor:
        cursor.execute("select datname from pg_database where datname like 'migrated\\_%%'")
        known = {row[0] for row in cursor.fetchall()}
    if name not in known:
        half = f"half_{name}"
        with connection._nodb_cursor() as cursor:
            for old in [*known, half]:
                cursor.execute(f'drop database if exists "{old}"')
            cursor.execute(f'create database "{half}"')
        connection.settings_dict["NAME"] = half
        call_command("migrate", verbosity=0, interactive=False)
        connection.close()
        connection.settings_dict["NAME"] = usual
        with connection._nodb_cursor() as cursor:
            cursor.execute(f'alter database "{half}" rename to "{name}"')
    return name


@pytest.fixture(scope="session", autouse=True)
def _emptied_quickly() -> None:
    """After a test that writes for good its rows are deleted, which is quicker than emptying tables one by one."""
    from django.db import connection
    from django.test import TransactionTestCase

    def empty(self) -> None:
        with connection.cursor() as cursor:
            tables = [name for name in connection.introspection.table_names(cursor) if not name.startswith("django_")]
            cursor.execute("; ".join(f'delete from "{name}"' for name in tables))

    TransactionTestCase._fixture_teardown = empty


@pytest.fixture
def painter(db):
    from orvix_web.accounts.people import local_painter

    return local_painter()


@pytest.fixture
def stranger(db):
    from django.contrib.auth import get_user_model

    return get_user_model().objects.create(username="stranger")


@pytest.fixture
def brush_with():
    """A loaded brush with changed values; `grain` adds a random grain of 40 x 30 px."""

    def make(*, leads=None, grain: bool | dict[str, Any] = False, tip=None, ribbon=None, brush=None, **values):
        names = {value.name for value in grain_use.VALUES} - {value.name for value in COAT_VALUES} | {"scale"}
        use = {name: values.pop(name) for name in sorted(names & set(values))}
        coat = {"tip": tip or {"name": "round"}, "values": {"hardness": 0.6, **values}, "leads": leads or {}}
        if grain:
            coat["grain"] = {"source": {"file": "g.png"}, "scale": "3/2", "strength": 0.9, **use}
            coat["grain"] |= grain if isinstance(grain, dict) else {}
        found = Brush.parse({"name": "test", "coats": [coat], **(brush or {})})
        plane = np.random.default_rng(3).random((30, 40), np.float32)
        loaded = LoadedGrain(plane, Repeat("straight")) if grain else None
        return LoadedBrush(found, (LoadedCoat(found.coats[0], loaded),))

    return make


@pytest.fixture
def wavy():
    """Samples of an uneven wave across about 300 px, with pressure from light to full and back."""
    n = np.arange(60)
    t = np.cumsum(np.where(n % 3 == 0, 4.0, 13.0))
    x, y = 20 + 4.5 * n + np.sin(n * 1.7), 90 + 50 * np.sin(n / 7)
    press = np.clip(0.2 + np.sin(n / 60 * np.pi) * 0.8, 0, 1)
    return np.stack([t, x, y, press, n * 0, n * 0, n * 0], axis=1).astype(np.float32).astype(np.float64)


class LiveServer:
    """The application in a thread of this process, on a socket of its own."""

    def __init__(self) -> None:
        import asyncio
        import socket
        import threading

        import uvicorn

        from orvix_web.asgi import application

        self.socket = socket.socket()
        self.socket.bind(("127.0.0.1", 0))
        self.socket.listen(64)  # what connects before the server runs waits for it
        self.port = self.socket.getsockname()[1]
        self.url = f"http://127.0.0.1:{self.port}"
        config = uvicorn.Config(
            application, lifespan="off", log_level="error", ws="websockets-sansio", ws_per_message_deflate=False,
            ws_max_size=1 << 20,
        )  # fmt: skip
        self._server = uvicorn.Server(config)
        self.loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._run, daemon=True)
        self._thread.start()

    def _run(self) -> None:
        self.loop.run_until_complete(self._server.serve(sockets=[self.socket]))

    def close_canvases(self) -> None:
        """Store and close every open canvas, as stopping the server does, once the last page has left."""
        import asyncio

        from orvix_web.live import rooms

        async def close() -> None:
            from uvicorn.protocols.websockets.websockets_sansio_impl import WebSocketsSansIOProtocol

            state = self._server.server_state
            for _ in range(200):
                sockets = [one for one in state.connections if isinstance(one, WebSocketsSansIOProtocol)]
                if not sockets and not state.tasks:  # a connection that only waits for another request may stay
                    break
                await asyncio.sleep(0.05)
            await rooms.close_all()

        asyncio.run_coroutine_threadsafe(close(), self.loop).result(60)
        self._be_answered()

    def _be_answered(self) -> None:
        """Wait for what a page asked the core before it left: after the test it may not ask the database any more."""
        from threading import Barrier

        from orvix_web.benches import questions

        free = Barrier(2)
        for one in [questions.threads.submit(free.wait, 60) for _ in range(2)]:
            one.result(60)

    def _still_open(self) -> str:
        """What the server waits for: its connections, and where its tasks stand."""
        import asyncio
        import io

        said = io.StringIO()
        for task in asyncio.all_tasks(self.loop):
            task.print_stack(file=said)
        return f"{self._server.server_state.connections}\n{said.getvalue()}"

    def stop(self) -> None:
        """Stop, and let the thread that runs views finish what pages asked for and then left."""
        from asgiref.sync import SyncToAsync
        from django.db import connections

        self._server.should_exit = True
        self._thread.join(60)
        assert not self._thread.is_alive(), self._still_open()
        self._be_answered()
        SyncToAsync.single_thread_executor.submit(connections.close_all).result(20)


@pytest.fixture(scope="session")
def _server(django_db_setup, django_db_blocker) -> Iterator[LiveServer]:
    from orvix.warming import warm

    warm()
    server = LiveServer()
    yield server
    server.stop()
    from django.db import connection

    with django_db_blocker.unblock():
        left = _end_other_sessions()
        connection.close()  # while the browser's event loop runs, this thread has a second connection
    assert not left, left


def _end_other_sessions() -> list[str]:
    """Give threads that end a moment, then end what is left of their sessions and say what those last asked.

    A page that leaves while its answer is being closed leaves its session to the garbage collector.
    """
    import gc

    from django.db import connection

    own = "datname = current_database() and pid <> pg_backend_pid()"
    with connection.cursor() as cursor:
        for _ in range(30):
            gc.collect()
            cursor.execute(f"select state || ': ' || query from pg_stat_activity where {own}")
            left = [row[0] for row in cursor.fetchall()]
            if not left:
                return []
            cursor.execute("select pg_sleep(0.1)")
        cursor.execute(f"select pg_terminate_backend(pid) from pg_stat_activity where {own}")
    return left


@pytest.fixture
def live(_server, transactional_db) -> Iterator[LiveServer]:
    yield _server
    _server.close_canvases()


@pytest.fixture
def kit(request):
    """A tile, a grain, a brush over it and a canvas, made through the services."""
    from types import SimpleNamespace

    from orvix_web.accounts.people import local_painter
    from orvix_web.brushes.services import create_brush
    from orvix_web.canvases.services import create_canvas
    from orvix_web.tiles.services import create_grain, create_tile

    request.getfixturevalue("live" if "live" in request.fixturenames else "db")
    owner = local_painter()
    recipe = {"size": [128, 128], "source": {"name": "noise", "values": {"cells": 8}}}
    tile = create_tile(owner, "Cloth", recipe)
    grain = create_grain(owner, tile.latest.pk, "Cloth grain")
    brush = create_brush(owner, "Chalk", grain.latest.pk)
    told = {"width": 640, "height": 384, "joined": True, "ground": "#f2efe6"}
    return SimpleNamespace(owner=owner, tile=tile, grain=grain, brush=brush, canvas=create_canvas(owner, "Page", told))
