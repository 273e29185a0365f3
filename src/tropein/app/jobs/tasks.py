"""The queue's tasks: thin, each calls the function that does the work and records how it ended."""

from __future__ import annotations

import logging
from collections.abc import Callable
from typing import Any

from procrastinate import Blueprint
from sqlalchemy.exc import OperationalError

from tropein.app.jobs import cutout, ingest, render, track
from tropein.app.jobs.context import WorkContext, here
from tropein.app.jobs.queue import RETRY
from tropein.app.store import runs
from tropein.app.store.database import transaction
from tropein.core.errors import Cancelled, TropeinError

log = logging.getLogger(__name__)
tasks = Blueprint()
Work = Callable[[WorkContext, str, dict[str, Any]], dict[str, Any]]


def whole_run(run_id: str, work: Work) -> None:
    """Do a run that is one piece; expected failures end it with their message, others are retried by the queue."""
    context = here()
    with transaction(context.engine) as session:
        if not runs.start(session, run_id):
            return
        params = dict(runs.get(session, run_id).params)
    closing(run_id, lambda: work(context, run_id, params))


def closing(run_id: str, work: Callable[[], dict[str, Any] | None]) -> None:
    context = here()
    try:
        result = work()
    except Cancelled as stop:
        with transaction(context.engine) as session:
            runs.end(session, run_id, "cancelled", note=stop.message)
        return
    except TropeinError as error:
        with transaction(context.engine) as session:
            runs.end(session, run_id, "failed", error=error.message)
        return
    except OperationalError:
        raise  # the database went away: the queue tries again
    except Exception as error:
        log.exception("run %s failed", run_id)
        with transaction(context.engine) as session:
            runs.end(
                session, run_id, "failed", error=f"Something unexpected went wrong ({type(error).__name__}: {error})."
            )
        return
    if result is not None:
        with transaction(context.engine) as session:
            runs.end(session, run_id, "done", result=result)


@tasks.task(name="ingest", retry=RETRY)
def ingest_task(run_id: str) -> None:
    whole_run(run_id, ingest.run_ingest)


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
