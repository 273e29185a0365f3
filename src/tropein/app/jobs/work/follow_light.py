"""An insert that follows the light on the plate: measured over the shot, stored as an ordinary edit."""

from __future__ import annotations

from typing import ClassVar, Literal

from sqlalchemy.orm import Session

from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.kind import WORKS, Begun, WorkBase
from tropein.app.jobs.outcome import Ended, Outcome
from tropein.app.jobs.progress import Ticker
from tropein.app.store import shots
from tropein.app.store.database import transaction
from tropein.core.compose.render import of_artefacts
from tropein.core.document import Id, Shot
from tropein.core.document.base import FrameNumber
from tropein.core.errors import BadInput, NotFound
from tropein.core.match.follow import follow
from tropein.core.match.measure import insert_of
from tropein.core.media.source import Sources

CACHE_BYTES = 128 << 20


@WORKS.add
class FollowLight(WorkBase):
    """Lets an insert follow the light on the plate over the shot's trim, from a frame at which it is right."""

    title: ClassVar[str] = "Follow the plate's light"
    kind: Literal["follow-light"] = "follow-light"
    layer: Id
    reference: FrameNumber

    def begin(self, session: Session) -> Begun:
        shot = self._found(session)
        first, last = shot.trim
        if not first <= self.reference <= last:
            raise BadInput(f"The frame at which it is right must lie within the trim, {first} to {last}.")
        return Begun(f"Follow the plate's light with {shot.layers[self.layer].name}", last - first + 1)

    def run(self, context: WorkContext, run_id: str) -> Outcome:
        with transaction(context.engine) as session:
            shot = self._found(session)
        ticker, (first, last) = Ticker(context, run_id), shot.trim
        sources = Sources(context.library.store, final=False)
        renderer = of_artefacts(sources, context.artefacts, CACHE_BYTES)
        try:
            seen = insert_of(renderer, shot, self.layer)
            found = follow(seen, range(first, last + 1), self.reference, lambda n: ticker.tick(n, last - first + 1))
        finally:
            sources.close()

        def store(session: Session) -> Ended:
            self._found(session)
            if found.fix is not None:
                shots.apply(session, self.shot or "", None, found.fix.label, found.fix.patch, "worker")
            return Ended({"note": found.words, "unsure": len(found.unsure)})

        return Outcome(store)

    def _found(self, session: Session) -> Shot:
        shot = shots.shot_of(session, self.shot or "")
        if self.layer not in shot.layers:
            raise NotFound("This layer does not exist (any more).")
        return shot
