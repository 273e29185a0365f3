"""Setting up the demo while the page is in use already."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import ClassVar, Literal

from sqlalchemy.orm import Session

from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.kind import WORKS, Begun, WorkBase
from tropein.app.jobs.outcome import Ended, Outcome
from tropein.app.jobs.progress import Ticker


@WORKS.add
class SetUpDemo(WorkBase):
    """Adds what is missing of the demo's stock, plates and shots. What is there stays when it is cancelled or its worker dies."""

    title: ClassVar[str] = "Set up the demo"
    of_shot: ClassVar[bool] = False
    kind: Literal["demo"] = "demo"

    def begin(self, session: Session) -> Begun:
        return Begun(self.title)

    def run(self, context: WorkContext, run_id: str) -> Outcome:
        from demo.seed import steps

        ticker = Ticker(context, run_id)
        with tempfile.TemporaryDirectory() as folder:
            wanted = steps(context, Path(folder))
            for done, (words, step) in enumerate(wanted):
                ticker.tick(done, len(wanted), words, force=True)
                step()
        return Outcome(lambda session: Ended(note=f"{len(wanted)} things were added."))
