"""A worker process: takes tasks from the queue, and rescues those whose worker died."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import os

from procrastinate import App

from tropein.app.jobs.queue import NAMESPACE, worker_app
from tropein.app.jobs.tasks import tasks
from tropein.app.settings import Settings

STALLED_S = 30.0
HEARTBEAT_S = 10.0
RESCUE_EVERY_S = 5.0
log = logging.getLogger(__name__)


async def run(slots: int) -> None:
    """Work until told to stop (SIGTERM, SIGINT); then finish what can be finished within 3 s."""
    stalled = float(os.environ.get("TROPEIN_STALLED_S", STALLED_S))
    app = worker_app(Settings().database.replace("postgresql+psycopg", "postgresql"))
    app.add_tasks_from(tasks, namespace=NAMESPACE)
    async with app.open_async():
        rescuer = asyncio.create_task(_rescue(app, stalled))
        try:
            await app.run_worker_async(
                queues=["work"], concurrency=slots, wait=True, shutdown_graceful_timeout=3, delete_jobs="successful",
                update_heartbeat_interval=min(HEARTBEAT_S, stalled / 3), stalled_worker_timeout=stalled,
                fetch_job_polling_interval=2,
            )  # fmt: skip
        finally:
            rescuer.cancel()
            with contextlib.suppress(asyncio.CancelledError):
                await rescuer


async def _rescue(app: App, stalled: float) -> None:
    """Give the jobs of workers without a heartbeat back to the queue."""
    while True:
        for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=stalled):
            log.warning("job %s lost its worker and is queued again", job.id)
            await app.job_manager.retry_job(job)
        await asyncio.sleep(min(RESCUE_EVERY_S, stalled))
