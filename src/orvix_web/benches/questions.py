"""What all questions of benches share: the threads they run on, and what an answer is."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np
from django.db import close_old_connections
from numpy.typing import NDArray

from orvix.errors import BadValue

Rgba = NDArray[np.uint8]
Answer = tuple[dict[str, Any], Rgba | None]
MOST_SHOWN_PX = 2048 * 2048
threads = ThreadPoolExecutor(2, "bench")


async def on_bench(work: Callable[[], Any]) -> Any:
    """Run work that may read rows on a bench thread."""

    def run() -> Any:
        close_old_connections()
        try:
            return work()
        finally:
            close_old_connections()

    return await asyncio.get_running_loop().run_in_executor(threads, run)


def number_of(told: Mapping[str, Any], name: str, rule: str) -> float:
    """A number that a question tells; raises BadValue with its rule."""
    value = told.get(name)
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise BadValue(name, str(value)[:40], rule)
    return float(value)


def whole_of(told: Mapping[str, Any], name: str) -> int:
    """A whole number that a question tells; raises BadValue."""
    value = told.get(name)
    if isinstance(value, bool) or not isinstance(value, int):
        raise BadValue(name, str(value)[:40], "must be a whole number")
    return value


def level_of(told: dict[str, Any], width: int, height: int) -> int:
    """The level that is asked for, or the first that has no more px than are shown at once; raises BadValue."""
    level = told.get("level", 0)
    if isinstance(level, bool) or not isinstance(level, int) or not 0 <= level <= 8:
        raise BadValue("level", level, "must be a whole number from 0 to 8")
    while (width >> level) * (height >> level) > MOST_SHOWN_PX:
        level += 1
    return level
