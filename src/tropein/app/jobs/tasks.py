"""The queue's tasks: thin, each finds the work that a run's row tells of, and records how it ended."""

from __future__ import annotations

import asyncio
import logging
from collections.abc import Callable, Coroutine
from concurrent.futures import Executor
from functools import partial
from typing import Any

from procrastinate import Blueprint

from tropein.app.jobs.context import here
from tropein.app.jobs.kind import WORKS, WorkBase, of_row
from tropein.app.jobs.outcome import Ended, Outcome, State, conclude
from tropein.app.jobs.queue import RETRY
from tropein.app.store import runs
from tropein.app.store.database import is_gone, transaction
from tropein.app.store.models import RunRow
from tropein.core.errors import Cancelled, TropeinError

log = logging.getLogger(__name__)


def whole_run(run_id: str) -> None:
    """Do a run that is one piece, and tidy up once it has ended for good."""
    context = here()
    with transaction(context.engine) as session:
        started, row = runs.start(session, run_id), session.get(RunRow, run_id)
        work, ended = (of_row(row), row.state in runs.ENDED) if row else (None, False)
    if work is not None and started:
        closing(run_id, lambda: work.run(context, run_id))
    if work is not None and (started or ended):
        work.tidy(context, run_id)


def closing(run_id: str, work: Callable[[], Outcome | None]) -> None:
    """Expected failures end the run with their message; when the database is away the queue tries again."""
    context = here()
    try:
        outcome = work()
    except Cancelled as stop:
        outcome = _ended("cancelled", note=stop.message)
    except TropeinError as error:
        outcome = _ended("failed", error=error.message)
    except Exception as error:
        if is_gone(error):
            raise
        log.exception("run %s failed", run_id)
        outcome = _ended("failed", error=f"Something unexpected went wrong ({type(error).__name__}: {error}).")
    if outcome is not None:
        conclude(context, run_id, outcome)


def _ended(state: State, error: str = "", note: str = "") -> Outcome:
    return Outcome(lambda session: Ended(state=state, error=error, note=note), kept_when_cancelled=True)


def work_of(run_id: str) -> WorkBase | None:
    """The work of a run; None where the run is gone."""
    with transaction(here().engine) as session:
        row = session.get(RunRow, run_id)
        return None if row is None else of_row(row)


def part_task(run_id: str, number: int) -> None:
    work = work_of(run_id)
    if work is not None:
        closing(run_id, lambda: work.part(here(), run_id, number))


def finish_task(run_id: str) -> None:
    work = work_of(run_id)
    if work is not None:
        closing(run_id, lambda: work.finish(here(), run_id))


def tasks(soon: Executor | None = None, work: Executor | None = None) -> Blueprint:
    """All of them, what someone waits for and what takes its time each in threads of their own. An application takes them for itself and gives them
    its own names: one that comes after a lost connection needs others."""
    made = Blueprint()
    for name, kind in WORKS.known().items():
        made.task(name=name, retry=RETRY)(_within(soon if kind.soon else work, whole_run))
    made.task(name="part", retry=RETRY)(_within(work, part_task))
    made.task(name="finish", retry=RETRY)(_within(soon, finish_task))
    return made


def _within(threads: Executor | None, task: Callable[..., None]) -> Callable[..., Coroutine[Any, Any, None]]:
    async def run(**arguments: Any) -> None:
        await asyncio.get_running_loop().run_in_executor(threads, partial(task, **arguments))

    return run
