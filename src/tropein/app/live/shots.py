"""Documents at hand for previews: by shot and revision, with transient overlays laid on."""

from __future__ import annotations

import asyncio
from collections import OrderedDict
from typing import Any

from sqlalchemy import Engine

from tropein.app.store import shots
from tropein.app.store.database import transaction
from tropein.core.document.patch import apply_patch
from tropein.core.document.upgrade import load_shot

KEPT = 32


class LiveShots:
    """Reads a revision once. A revision older than the stored one is answered with what stands now."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._kept: OrderedDict[tuple[str, int], dict[str, Any]] = OrderedDict()

    async def document(self, shot: str, revision: int, overlay: list[dict[str, Any]]) -> dict[str, Any]:
        document = self._kept.get((shot, revision))
        if document is None:
            document = await asyncio.to_thread(self._read, shot)
        return apply_patch(document, overlay) if overlay else document

    def _read(self, shot: str) -> dict[str, Any]:
        with transaction(self._engine) as session:
            row = shots.row_of(session, shot)
            document, revision = load_shot(row.document).model_dump(mode="json"), row.revision
        self._kept[(shot, revision)] = document
        while len(self._kept) > KEPT:
            self._kept.popitem(last=False)
        return document
