"""What all questions of benches share: the threads they run on, and what an answer is."""

from __future__ import annotations

import asyncio
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np
from django.db import close_old_connections
from numpy.typing import NDArray

Rgba = NDArray[np.uint8]
Answer = tuple[dict[str, Any], Rgba | None]
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
