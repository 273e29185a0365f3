"""How a piece of work ends: its last step happens in the very transaction that closes its run, so both hold or neither."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any, Literal, TypeVar

from sqlalchemy.orm import Session

from tropein.app.jobs.context import WorkContext
from tropein.app.store import runs
from tropein.app.store.database import is_gone, transaction
from tropein.app.store.models import RunRow
from tropein.core.errors import TropeinError

log = logging.getLogger(__name__)
PATIENCE_S = 900.0  # so long the last step waits for a database that is away
PAUSE_S = 1.0
T = TypeVar("T")
State = Literal["done", "failed", "cancelled"]


@dataclass(frozen=True)
class Ended:
    """What a run's row will say."""

    result: dict[str, Any] = field(default_factory=dict)
    state: State = "done"
    error: str = ""
    note: str = ""


@dataclass(frozen=True)
class Outcome:
    """`store` is the last step. `kept_when_cancelled`: it is done even if the run was cancelled meanwhile. `after` tidies up
    once all is stored; nothing is lost when it never happens."""

    store: Callable[[Session], Ended]
    kept_when_cancelled: bool = False
    after: Callable[[], None] = lambda: None


def conclude(context: WorkContext, run_id: str, outcome: Outcome) -> None:
    """Do the last step, once, however often it is tried; a database that is away is waited for."""

    def last_step(session: Session) -> None:
        run = session.get(RunRow, run_id, with_for_update=True)
        if (
            run is None
            or run.state in ("done", "failed")
            or (run.state == "cancelled" and not outcome.kept_when_cancelled)
        ):
            return
        try:
            with session.begin_nested():
                ended = outcome.store(session)
        except TropeinError as error:
            ended = Ended(state="failed", error=error.message)
        runs.end(session, run_id, ended.state, error=ended.error, note=ended.note, result=ended.result or None)

    waiting(context, last_step)
    outcome.after()


def waiting(context: WorkContext, step: Callable[[Session], T]) -> T:
    """Do one step in a transaction of its own, again until the database has taken it; what it returned."""
    end = time.monotonic() + PATIENCE_S
    while True:
        try:
            with transaction(context.engine) as session:
                return step(session)
        except Exception as error:
            if not is_gone(error) or time.monotonic() > end:
                raise
            log.warning("the database is away; the last step is tried again")
            time.sleep(PAUSE_S)
