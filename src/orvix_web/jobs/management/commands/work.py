"""The worker: takes up what a killed one left, then runs jobs until it is told to stop."""

from __future__ import annotations

import asyncio
from typing import Any

from django.core.management.base import BaseCommand
from procrastinate.contrib.django import app
from procrastinate.utils import utcnow

from orvix_web.jobs.services import QUEUE


class Command(BaseCommand):
    help = "Run long work. One worker runs for each clone: ./start keeps it."

    def handle(self, *args: Any, **options: Any) -> None:
        with app.replace_connector(app.connector.get_worker_connector()):
            asyncio.run(work())


async def work() -> None:
    """Run until SIGTERM or SIGINT. Nobody else works here: what is marked as being done was left by a dead one."""
    async with app.open_async():
        for left in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=0):
            await app.job_manager.retry_job(left, retry_at=utcnow())
        await app.run_worker_async(
            queues=[QUEUE], concurrency=1, delete_jobs="always", fetch_job_polling_interval=2.0,
            update_heartbeat_interval=2.0, stalled_worker_timeout=10.0, shutdown_graceful_timeout=4.0,
        )  # fmt: skip
