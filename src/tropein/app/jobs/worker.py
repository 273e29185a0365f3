"""A worker process: takes tasks from the queue, rescues those whose worker died, and sweeps. A database that goes away is
waited for."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import os
import signal
import sys
import threading
import time
from concurrent.futures import ThreadPoolExecutor

from procrastinate import App, Blueprint
from procrastinate.exceptions import ConnectorException
from procrastinate.worker import Worker

from tropein.app.jobs import rescue, sweep
from tropein.app.jobs.context import WorkContext, here
from tropein.app.jobs.queue import NAMESPACE, SOON, WORK, worker_app
from tropein.app.jobs.tasks import tasks
from tropein.app.store import address
from tropein.app.store.database import is_gone, transaction
from tropein.app.store.settings import check_home
from tropein.core.errors import BadInput

STALLED_S = 30.0
HEARTBEAT_S = 10.0
RESCUE_EVERY_S = 5.0
STOP_S = 3.0  # what can be finished within that is
AGAIN_S = 2.0
PATIENT_S = 90.0
SOON_NICE, WORK_NICE = 3, 7  # whoever sits at the page goes before, then what they wait for
log = logging.getLogger(__name__)


async def run(slots: int, patient: bool = False) -> None:
    """Work until told to stop (SIGTERM, SIGINT, SIGHUP). BadInput when the database or the shared folder is not the right one; with
    `patient` a database that is just starting is waited for."""
    context = here()
    end = time.monotonic() + (PATIENT_S if patient else 0)
    while True:
        try:
            address.check(context.settings.database)
            break
        except BadInput:
            if time.monotonic() > end:
                raise
            time.sleep(AGAIN_S / 4)
    with transaction(context.engine) as session:
        check_home(session, context.settings.home)
    with contextlib.suppress(OSError):
        os.nice(SOON_NICE)
    soon, work = ThreadPoolExecutor(slots + 1, SOON), ThreadPoolExecutor(slots, WORK, _give_way)
    stop, loop = asyncio.Event(), asyncio.get_running_loop()
    for number in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
        loop.add_signal_handler(number, stop.set)
    while not stop.is_set():
        try:
            await _until(stop, slots, context, tasks(soon, work))
        except Exception as error:
            if not (is_gone(error) or isinstance(error, ConnectorException | OSError)):
                raise
            log.warning("the database is away (%s); trying again", " ".join(str(error).split())[:200])
        with contextlib.suppress(TimeoutError):
            await asyncio.wait_for(stop.wait(), AGAIN_S)


def _give_way() -> None:
    """Of a thread, and of all that it starts."""
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), os.getpriority(os.PRIO_PROCESS, 0) + WORK_NICE)
        os.sched_setscheduler(0, os.SCHED_BATCH, os.sched_param(0))


async def _until(stop: asyncio.Event, slots: int, context: WorkContext, known: Blueprint) -> None:
    stalled = float(os.environ.get("TROPEIN_STALLED_S", STALLED_S))
    app = worker_app(address.conninfo(context.settings.database))
    app.add_tasks_from(known, namespace=NAMESPACE)
    async with app.open_async():
        workers = [_taking(app, [SOON, WORK], slots, stalled), _taking(app, [SOON], 1, stalled)]
        working = [asyncio.create_task(worker.run()) for worker in workers]  # type: ignore[no-untyped-call]
        beside = [asyncio.create_task(_rescue(app, stalled, context)), asyncio.create_task(sweep.now_and_then(context))]
        asked = asyncio.create_task(stop.wait())
        try:
            await asyncio.wait([*working, asked, *beside], return_when=asyncio.FIRST_COMPLETED)
            if stop.is_set():
                await _leave(app, workers, working)
            for task in (*working, *beside):
                if task.done():
                    task.result()  # raises what ended it
        finally:
            for task in (*working, asked, *beside):
                task.cancel()
            await asyncio.wait([*working, asked, *beside], timeout=STOP_S)


def _taking(app: App, queues: list[str], slots: int, stalled: float) -> Worker:
    return Worker(
        app, queues=queues, concurrency=slots, wait=True, shutdown_graceful_timeout=STOP_S, delete_jobs="successful",
        update_heartbeat_interval=min(HEARTBEAT_S, stalled / 3), stalled_worker_timeout=stalled,
        fetch_job_polling_interval=2, install_signal_handlers=False,
    )  # fmt: skip


async def _leave(app: App, workers: list[Worker], working: list[asyncio.Task[None]]) -> None:
    """End in order; what is not finished soon is left to other workers, which take it up at once."""
    for worker in workers:
        worker.stop()  # type: ignore[no-untyped-call]
    _, busy = await asyncio.wait(working, timeout=STOP_S - 0.5)
    if busy:
        for worker in workers:
            with contextlib.suppress(Exception):
                if worker.worker_id is not None:
                    await asyncio.wait_for(app.job_manager.unregister_worker(worker.worker_id), 1.5)
        sys.stderr.flush()
        os._exit(0)  # threads of unfinished work would hold the process


async def _rescue(app: App, stalled: float, context: WorkContext) -> None:
    """Give the jobs of workers without a heartbeat back to the queue, and queue runs that no job is left for."""
    while True:
        for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=stalled):
            log.warning("job %s lost its worker and is queued again", job.id)
            await app.job_manager.retry_job(job)
        await asyncio.to_thread(rescue.forgotten, context, stalled)
        await asyncio.sleep(min(RESCUE_EVERY_S, stalled))
