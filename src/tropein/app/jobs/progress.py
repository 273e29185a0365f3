"""Telling how far work is, a few times a second, and hearing whether it is to stop."""

from __future__ import annotations

import time

from tropein.app.jobs.context import WorkContext
from tropein.app.store import runs
from tropein.app.store.database import transaction
from tropein.core.errors import Cancelled

EVERY_S = 0.2


class Ticker:
    """`tick` may be called for every frame; it writes at most five times a second and raises Cancelled to stop."""

    def __init__(self, context: WorkContext, run_id: str) -> None:
        self.context, self.run_id, self._last = context, run_id, 0.0
        self._stop = False

    def tick(self, done: int, total: int, note: str = "", force: bool = False, **more: object) -> None:
        if force or self.due():
            self._last = time.monotonic()
            with transaction(self.context.engine) as session:
                self._stop = runs.stopped(session, self.run_id)
                if not self._stop:
                    runs.progress(session, self.run_id, done, total, note, **more)
        if self._stop:
            raise Cancelled("Cancelled.")

    def due(self) -> bool:
        return time.monotonic() - self._last > EVERY_S

    def stopped(self) -> bool:
        if self.due():
            self._last = time.monotonic()
            with transaction(self.context.engine) as session:
                self._stop = runs.stopped(session, self.run_id)
        return self._stop
