"""The queue's tasks: thin, each calls the function that does the work and records how it ended."""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import Any

from procrastinate import Blueprint

from tropein.app.jobs import cutout, ingest, render, track
from tropein.app.jobs.context import WorkContext, here
from tropein.app.jobs.outcome import Ended, Outcome, State, conclude
from tropein.app.jobs.queue import RETRY
from tropein.app.store import runs
from tropein.app.store.database import is_gone, transaction
from tropein.app.store.models import RunRow
from tropein.core.errors import Cancelled, TropeinError

log = logging.getLogger(__name__)
tasks = Blueprint()
Work = Callable[[WorkContext, str, dict[str, Any]], Outcome]


def whole_run(run_id: str, work: Work, tidy: Callable[[WorkContext, str, dict[str, Any]], None] | None = None) -> None:
    """Do a run that is one piece. `tidy` is called once the run has ended for good, however it ended."""
    context = here()
    with transaction(context.engine) as session:
        started, row = runs.start(session, run_id), session.get(RunRow, run_id)
        params, ended = (dict(row.params), row.state in runs.ENDED) if row else ({}, False)
    if started:
        closing(run_id, lambda: work(context, run_id, params))
    if tidy is not None and (started or ended):
        tidy(context, run_id, params)


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


@tasks.task(name="ingest", retry=RETRY)
def ingest_task(run_id: str) -> None:
    whole_run(run_id, ingest.run_ingest, ingest.tidy)


@tasks.task(name="track", retry=RETRY)
def track_task(run_id: str) -> None:
    whole_run(run_id, track.run_track)


@tasks.task(name="cutout", retry=RETRY)
def cutout_task(run_id: str) -> None:
    whole_run(run_id, cutout.run_cutout)


@tasks.task(name="guess", retry=RETRY)
def guess_task(run_id: str) -> None:
    whole_run(run_id, cutout.run_guess)


@tasks.task(name="render_chunk", retry=RETRY)
def render_chunk_task(run_id: str, number: int) -> None:
    closing(run_id, lambda: render.run_chunk(here(), run_id, number))


@tasks.task(name="finish_render", retry=RETRY)
def finish_render_task(run_id: str) -> None:
    closing(run_id, lambda: render.run_finish(here(), run_id))
