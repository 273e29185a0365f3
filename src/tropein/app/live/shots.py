"""Documents at hand for previews: by shot and revision, with transient overlays laid on."""

from __future__ import annotations

import asyncio
import threading
from collections import OrderedDict
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Engine

from tropein.app.store import shots
from tropein.app.store.database import transaction
from tropein.core.document.patch import PatchOps, apply_patch

KEPT = 32


@dataclass(frozen=True, eq=False)
class Seen:
    """A document to look at. `known` (shot, revision) names it for good; None with an overlay."""

    document: dict[str, Any]
    known: tuple[str, int] | None


class LiveShots:
    """Reads a revision once, however old it is. All work on documents happens off the event loop."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._kept: OrderedDict[tuple[str, int], dict[str, Any]] = OrderedDict()
        self._lock = threading.Lock()

    async def document(self, shot: str, revision: int, overlay: PatchOps | None = None) -> Seen:
        """A revision (-1: the newest) with an overlay. NotFound when there is none; BadInput when the overlay does not fit."""
        kept = self._look_up(shot, revision)
        if kept is not None and not overlay:
            return Seen(kept, (shot, revision))
        return await asyncio.to_thread(self._make, shot, revision, overlay)

    def _look_up(self, shot: str, revision: int) -> dict[str, Any] | None:
        with self._lock:
            found = self._kept.get((shot, revision))
            if found is not None:
                self._kept.move_to_end((shot, revision))
            return found

    def _make(self, shot: str, revision: int, overlay: PatchOps | None) -> Seen:
        document = self._look_up(shot, revision)
        if document is None:
            with transaction(self._engine) as session:
                if revision < 0:
                    revision = shots.newest(session, shot)
                document = self._look_up(shot, revision) or shots.document_at(session, shot, revision)
            with self._lock:
                self._kept[(shot, revision)] = document
                while len(self._kept) > KEPT:
                    self._kept.popitem(last=False)
        return Seen(apply_patch(document, overlay), None) if overlay else Seen(document, (shot, revision))
