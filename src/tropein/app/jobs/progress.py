"""Telling how far work is, a few times a second, and hearing whether it is to stop."""

from __future__ import annotations

import time
from collections.abc import Callable

from sqlalchemy.orm import Session

from tropein.app.courtesy import Courtesy
from tropein.app.jobs.context import WorkContext
from tropein.app.store import runs
from tropein.app.store.database import is_gone, transaction
from tropein.core.errors import Cancelled

EVERY_S = 0.2
AWAY_S = 5.0  # a database that is away is not asked at every frame


class Ticker:
    """`tick` may be called for every frame; it writes at most five times a second and raises Cancelled to stop. While the
    database is away nothing is told, and the work goes on."""

    def __init__(self, context: WorkContext, run_id: str) -> None:
        self.context, self.run_id, self._next = context, run_id, 0.0
        self._courtesy = Courtesy(context.settings.home)
        self._stop = False

    def tick(self, done: int, total: int, note: str = "", force: bool = False, **more: object) -> None:
        if force or self.due():
            self._ask(lambda session: runs.progress(session, self.run_id, done, total, note, **more))
        if self._stop:
            raise Cancelled("Cancelled.")

    def tell(self, step: Callable[[Session], None]) -> None:
        """Write something else than a count, if it is due."""
        if self.due():
            self._ask(step)
        if self._stop:
            raise Cancelled("Cancelled.")

    def due(self) -> bool:
        return time.monotonic() > self._next

    def stopped(self) -> bool:
        if self.due():
            self._ask(lambda session: None)
        return self._stop

    def give_way(self) -> None:
        """Between two frames: let whoever looks at pictures go before."""
        self._courtesy.give_way()

    def _ask(self, step: Callable[[Session], None]) -> None:
        self._next = time.monotonic() + EVERY_S
        try:
            with transaction(self.context.engine) as session:
                self._stop = runs.stopped(session, self.run_id)
                if not self._stop:
                    step(session)
        except Exception as error:
            if not is_gone(error):
                raise
            self._next = time.monotonic() + AWAY_S
