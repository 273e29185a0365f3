"""Taking in uploaded files."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any

from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.progress import Ticker
from tropein.app.store import runs, shelf, shots
from tropein.app.store.database import transaction
from tropein.core.document import Footage, FootageLayer, Place, Shot, new_id
from tropein.core.errors import BadInput


def run_ingest(context: WorkContext, run_id: str, params: dict[str, Any]) -> dict[str, Any]:
    """Import the files of an upload, put them on the shelf, and make a shot of them if that was asked."""
    folder = context.settings.media / "incoming" / params["upload"]
    ticker = Ticker(context, run_id)
    try:
        files = [(folder / stored, name) for stored, name in params["files"]]
        if not all(path.exists() for path, _ in files):
            raise BadInput("The uploaded files are gone; upload them again.")
        media, record = context.library.add(files, params["rate"], ticker.tick, ticker.stopped)
        with transaction(context.engine) as session:
            if runs.stopped(session, run_id):
                return {}
            row = shelf.add(session, media, title_of(params["files"]), record, params.get("tags", []))
            result = {"shelf": row.id, "notes": record.notes}
            if params.get("make_shot"):
                if record.kind == "sound":
                    raise BadInput("A shot needs pictures: this file holds only sound. It is on the shelf now.")
                result["shot"] = shots.create(session, shot_on(shelf.footage_of(row))).id
            return result
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def title_of(files: list[list[str]]) -> str:
    name = Path(files[0][1].replace("\\", "/")).stem.strip() or "untitled"
    return name[:100] if len(files) == 1 else f"{name.rstrip('0123456789._- ') or name}"[:100]


def shot_on(footage: Footage, name: str | None = None) -> Shot:
    """A new shot on a plate: size, rate and range are the plate's."""
    layer = FootageLayer(
        id=new_id(), name=footage.name, footage=footage.id,
        place=Place.model_validate({"position": {"value": (footage.size[0] / 2, footage.size[1] / 2)}}),
    )  # fmt: skip
    return Shot(
        name=name or footage.name, size=footage.size, rate=footage.rate, frames=max(1, footage.frames),
        trim=(0, max(0, footage.frames - 1)), footage={footage.id: footage}, layers={layer.id: layer},
        stack=[layer.id], plate=layer.id,
    )  # fmt: skip
