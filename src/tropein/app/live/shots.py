"""Documents at hand for previews: by shot and revision, with transient overlays laid on."""

from __future__ import annotations

import asyncio
import threading
from collections import OrderedDict
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import Engine

from tropein.app.store import shots
from tropein.app.store.database import transaction
from tropein.core.document.patch import PatchOps

KEPT = 32


@dataclass(frozen=True, eq=False)
class Seen:
    """A document to look at, with what is laid over it. `revision` (shot, number) names the document for good; `step` is the patch that made it of the
    revision before, where that is known."""

    document: dict[str, Any]
    revision: tuple[str, int]
    overlay: PatchOps | None = None
    step: PatchOps | None = None

    @property
    def known(self) -> tuple[str, int] | None:
        """What names all that is seen for good; None with an overlay."""
        return None if self.overlay else self.revision


class LiveShots:
    """Reads a revision once, however old it is. All work on documents happens off the event loop."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._kept: OrderedDict[tuple[str, int], Seen] = OrderedDict()
        self._lock = threading.Lock()

    async def document(self, shot: str, revision: int, overlay: PatchOps | None = None) -> Seen:
        """A revision (-1: the newest) with an overlay. NotFound when there is none."""
        kept = self._look_up(shot, revision)
        if kept is None:
            kept = await asyncio.to_thread(self._read, shot, revision)
        return replace(kept, overlay=overlay) if overlay else kept

    def _look_up(self, shot: str, revision: int) -> Seen | None:
        with self._lock:
            found = self._kept.get((shot, revision))
            if found is not None:
                self._kept.move_to_end((shot, revision))
            return found

    def _read(self, shot: str, revision: int) -> Seen:
        with transaction(self._engine) as session:
            if revision < 0:
                revision = shots.newest(session, shot)
            kept = self._look_up(shot, revision)
            if kept is not None:
                return kept
            document = shots.document_at(session, shot, revision)
            made = Seen(document, (shot, revision), step=shots.step_to(session, shot, revision))
        with self._lock:
            self._kept[(shot, revision)] = made
            while len(self._kept) > KEPT:
                self._kept.popitem(last=False)
        return made
