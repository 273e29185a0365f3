"""Taking in uploaded files."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Any

from sqlalchemy.orm import Session

from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.outcome import Ended, Outcome
from tropein.app.jobs.progress import Ticker
from tropein.app.jobs.queue import defer
from tropein.app.store import runs, shelf, shots
from tropein.app.store.database import transaction
from tropein.app.store.models import RunRow
from tropein.core.contents.footage import FootageContent
from tropein.core.document import Footage, Layer, Place, Shot, new_id
from tropein.core.errors import Asks, BadInput


def run_ingest(context: WorkContext, run_id: str, params: dict[str, Any]) -> Outcome:
    """Import the files of an upload, put them on the shelf, and make a shot of them if that was asked. The upload stays until
    the run has ended for good."""
    folder = _upload(context, params)
    ticker = Ticker(context, run_id)
    files = [(folder / stored, name) for stored, name in params["files"]]
    if not all(path.exists() for path, _ in files):
        raise BadInput("The uploaded files are gone; upload them again.")
    try:
        gaps = params.get("gaps", "ask")
        media, record = context.library.add(files, params["rate"], ticker.tick, ticker.stopped, gaps)
    except Asks as asked:
        question, words = asked.details, asked.message
        return Outcome(lambda session: Ended(question, "failed", error=words))

    def store(session: Session) -> Ended:
        row = shelf.add(session, media, title_of(params["files"]), record, params.get("tags", []))
        result: dict[str, Any] = {"shelf": row.id, "notes": record.notes}
        if params.get("make_shot") and record.kind == "sound":
            no_pictures = "A shot needs pictures: this file holds only sound. It is on the shelf now."
            return Ended(result, "failed", error=no_pictures)
        if params.get("make_shot"):
            result["shot"] = shots.create(session, shot_on(shelf.footage_of(row))).id
        return Ended(result)

    return Outcome(store)


def tidy(context: WorkContext, run_id: str, params: dict[str, Any]) -> None:
    """The upload is needed no longer, unless the user was asked something about it."""
    with transaction(context.engine) as session:
        row = session.get(RunRow, run_id)
        asked = row is not None and "asks" in (row.result or {})
    if not asked:
        shutil.rmtree(_upload(context, params), ignore_errors=True)


def answer(context: WorkContext, session: Session, run_id: str, choice: str) -> RunRow:
    """Import again what a run asked about, with the answer; the new run takes the old one's place."""
    row = runs.get(session, run_id)
    asked = row.result or {}
    if choice not in asked.get("choices", []):
        raise BadInput("This was not asked.")
    if not _upload(context, row.params).is_dir():
        raise BadInput("The uploaded files are gone; upload them again.")
    again = runs.create(session, row.kind, row.title, {**row.params, asked["asks"]: choice})
    runs.delete(session, [row])
    defer(session, "ingest", run_id=again.id)
    session.refresh(again)
    return again


def _upload(context: WorkContext, params: dict[str, Any]) -> Path:
    return context.library.incoming / str(params["upload"])


def title_of(files: list[list[str]]) -> str:
    name = Path(files[0][1].replace("\\", "/")).stem.strip() or "untitled"
    return name[:100] if len(files) == 1 else f"{name.rstrip('0123456789._- ') or name}"[:100]


def shot_on(footage: Footage, name: str | None = None) -> Shot:
    """A new shot on a plate: size, rate and range are the plate's."""
    layer = Layer(
        id=new_id(), name=footage.name, content=FootageContent(footage=footage.id),
        place=Place.model_validate({"position": {"value": (footage.size[0] / 2, footage.size[1] / 2)}}),
    )  # fmt: skip
    return Shot(
        name=name or footage.name, size=footage.size, rate=footage.rate, frames=max(1, footage.frames),
        trim=(0, max(0, footage.frames - 1)), footage={footage.id: footage}, layers={layer.id: layer},
        stack=[layer.id], plate=layer.id,
    )  # fmt: skip
