"""The worker: takes up what a killed one left, then runs jobs until it is told to stop."""

from __future__ import annotations

import asyncio
import os
import signal
from typing import Any

from django.core.management.base import BaseCommand
from django.db import connection
from procrastinate.contrib.django import app
from procrastinate.utils import utcnow

from orvix_web.jobs.services import QUEUE

ONE_WORKER = 7_240_113


class Command(BaseCommand):
    help = "Run jobs. One worker runs for each clone: ./start keeps it."

    def handle(self, *args: Any, **options: Any) -> None:
        # Held by this process until it ends, however it ends: a second worker waits here.
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_advisory_lock(%s)", [ONE_WORKER])
        with app.replace_connector(app.connector.get_worker_connector()):  # type: ignore[attr-defined]
            asyncio.run(work())


async def work() -> None:
    """Run until SIGTERM or SIGINT. Nobody else works here: what is marked as being done was left by a dead one."""
    parent = asyncio.create_task(leave_with(os.getppid()))
    async with app.open_async():
        for left in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=0):
            await app.job_manager.retry_job(left, retry_at=utcnow())
        await app.run_worker_async(
            queues=[QUEUE], concurrency=1, delete_jobs="always", fetch_job_polling_interval=2.0,
            update_heartbeat_interval=2.0, stalled_worker_timeout=10.0, shutdown_graceful_timeout=4.0,
        )  # fmt: skip
    parent.cancel()


async def leave_with(parent: int) -> None:
    """Stop when the process that began this one is gone, which may have been killed."""
    while os.getppid() == parent:
        await asyncio.sleep(1.0)
    os.kill(os.getpid(), signal.SIGTERM)
