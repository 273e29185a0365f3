"""Shots as files: export and import of bundles."""

from __future__ import annotations

import uuid

from fastapi import BackgroundTasks
from fastapi.responses import FileResponse

from tropein.app.api.deps import IdInPath, Work
from tropein.app.api.routing import router as plain_router
from tropein.app.store import shots
from tropein.app.store.database import transaction
from tropein.core.interchange.bundle import ShotBundle

router = plain_router("/api", "bundles")


@router.get("/shots/{shot_id}/bundle", response_class=FileResponse)
def export_shot(shot_id: IdInPath, work: Work, background: BackgroundTasks) -> FileResponse:
    """The shot with its media and tracks as one file."""
    with transaction(work.engine) as session:  # not held while the file is written
        shot = shots.shot_of(session, shot_id)
    path = work.settings.outgoing / f"{uuid.uuid4().hex}.tropein"
    ShotBundle().pack(shot, work.library.store, work.artefacts, path)
    background.add_task(path.unlink, missing_ok=True)
    return FileResponse(path, filename=f"{shots.file_stem(shot.name)}.tropein", background=background)
