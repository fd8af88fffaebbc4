"""What all tests share: a database cluster of their own, people, and brushes at hand."""

from __future__ import annotations

import os
from collections.abc import Iterator

import numpy as np
import postgres
import pytest

from orvix.brushes.definition import Brush
from orvix.canvases.strokes import LoadedBrush, LoadedGrain
from orvix.tiles.repeats import Repeat

os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Browser tests run last: their event loop stays open until the run ends."""
    items.sort(key=lambda item: "browser" in item.nodeid)


@pytest.fixture(scope="session")
def django_db_modify_db_settings() -> Iterator[None]:
    from django.db import connections

    cluster = postgres.ensure("test-cluster", durable=False)
    connections["default"].settings_dict["PORT"] = str(cluster.port)
    connections.settings["default"]["PORT"] = str(cluster.port)
    yield
    if cluster.started:
        connections.close_all()
        postgres.stop(cluster)


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

    def make(*, hardness: float = 0.6, leads=None, grain: bool = False, hold: str = "canvas", scale="3/2", **values):
        coat = {"tip": {"name": "round", "values": {"hardness": hardness}}, "values": values, "leads": leads or {}}
        if grain:
            coat["grain"] = {"source": {"file": "g.png"}, "scale": scale, "strength": 0.9, "hold": hold}
        brush = Brush.parse({"name": "test", "coats": [coat]})
        plane = np.random.default_rng(3).random((30, 40), np.float32)
        return LoadedBrush(brush, LoadedGrain(plane, Repeat("straight")) if grain else None)

    return make


@pytest.fixture
def wavy():
    """Samples of an uneven wave across about 300 px, with pressure from light to full and back."""
    n = np.arange(60)
    t = np.cumsum(np.where(n % 3 == 0, 4.0, 13.0))
    x, y = 20 + 4.5 * n + np.sin(n * 1.7), 90 + 50 * np.sin(n / 7)
    press = np.clip(0.2 + np.sin(n / 60 * np.pi) * 0.8, 0, 1)
    return np.stack([t, x, y, press, n * 0, n * 0, n * 0], axis=1).astype(np.float32).astype(np.float64)
