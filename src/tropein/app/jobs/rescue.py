"""Runs that are neither at an end nor in the queue: what they miss is queued again. This is the net below the queue's own."""

from __future__ import annotations

import logging

from sqlalchemy import text
from sqlalchemy.orm import Session

from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.kind import queue
from tropein.app.jobs.queue import defer
from tropein.app.store import runs
from tropein.app.store.database import transaction
from tropein.app.store.models import RunRow

log = logging.getLogger(__name__)
FORGOTTEN = text(
    """select run.id from run where run.state in ('waiting', 'running', 'finishing')
    and run.created < now() - make_interval(secs => :seconds)
    and not exists (select from procrastinate_jobs job where job.status in ('todo', 'doing')
        and job.args ->> 'run_id' = run.id)"""
)


def forgotten(context: WorkContext, seconds: float) -> None:
    """Queue what runs older than so many seconds miss. One worker at a time does it."""
    with transaction(context.engine) as session:
        if not session.scalar(text("select pg_try_advisory_xact_lock(84201)")):
            return
        for run_id in session.scalars(FORGOTTEN, {"seconds": seconds}).all():
            row = session.get(RunRow, run_id, with_for_update=True)
            if row is not None and row.state in runs.LIVE:
                log.warning("%s was in no queue and is queued again", row.title)
                _queue(session, row)


def _queue(session: Session, row: RunRow) -> None:
    parts = runs.chunks(session, row.id)
    left = [part.number for part in parts if part.state != "done"]
    if parts and not left:
        row.state = "finishing"
        defer(session, "finish", soon=True, run_id=row.id)
    else:
        queue(session, row, left)
