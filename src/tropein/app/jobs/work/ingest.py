"""Taking in uploaded files."""

from __future__ import annotations

import shutil
from collections.abc import Sequence
from pathlib import Path
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field
from sqlalchemy.orm import Session

from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.kind import WORKS, Begun, WorkBase, of_row, start
from tropein.app.jobs.outcome import Ended, Outcome
from tropein.app.jobs.progress import Ticker
from tropein.app.store import runs, shelf, shots
from tropein.app.store.database import transaction
from tropein.app.store.models import RunRow
from tropein.core.contents.footage import FootageContent
from tropein.core.document import Footage, Layer, Place, Shot, new_id
from tropein.core.document.base import Rate
from tropein.core.errors import Asks, BadInput

Stored = Annotated[str, Field(pattern=r"^\d{1,9}$")]


@WORKS.add
class Ingest(WorkBase):
    """Imports the files of an upload, puts them on the shelf, and makes a shot of them if that was asked. The upload stays until the
    run has ended for good."""

    title: ClassVar[str] = "Import files"
    soon: ClassVar[bool] = True
    of_shot: ClassVar[bool] = False
    kind: Literal["ingest"] = "ingest"
    upload: Annotated[str, Field(pattern=r"^[a-z0-9]{1,40}$", description="a folder among those that came in")]
    files: Annotated[
        list[tuple[Stored, str]], Field(description="for each: as it is stored, and the name it came under")
    ]
    rate: Rate = "24/1"
    make_shot: bool = False
    tags: list[str] = []
    gaps: Literal["ask", "hold", "drop"] = "ask"

    def begin(self, session: Session) -> Begun:
        name = self.files[0][1].replace("\\", "/").rsplit("/", 1)[-1]
        return Begun(f"Import {name}")

    def run(self, context: WorkContext, run_id: str) -> Outcome:
        folder = self._folder(context)
        ticker = Ticker(context, run_id)
        files = [(folder / stored, name) for stored, name in self.files]
        if not all(path.exists() for path, _ in files):
            raise BadInput("The uploaded files are gone; upload them again.")
        try:
            media, record = context.library.add(files, self.rate, ticker.tick, ticker.stopped, self.gaps)
        except Asks as asked:
            question, words = asked.details, asked.message
            return Outcome(lambda session: Ended(question, "failed", error=words))

        def store(session: Session) -> Ended:
            row = shelf.add(session, media, title_of(self.files), record, self.tags)
            result: dict[str, Any] = {"shelf": row.id, "notes": record.notes}
            if self.make_shot and record.kind == "sound":
                no_pictures = "A shot needs pictures: this file holds only sound. It is on the shelf now."
                return Ended(result, "failed", error=no_pictures)
            if self.make_shot:
                result["shot"] = shots.create(session, shot_on(shelf.footage_of(row))).id
            return Ended(result)

        return Outcome(store)

    def tidy(self, context: WorkContext, run_id: str) -> None:
        """The upload is needed no longer, unless the user was asked something about it."""
        with transaction(context.engine) as session:
            row = session.get(RunRow, run_id)
            asked = row is not None and "asks" in (row.result or {})
        if not asked:
            shutil.rmtree(self._folder(context), ignore_errors=True)

    def _folder(self, context: WorkContext) -> Path:
        return context.library.incoming / self.upload


def answer(context: WorkContext, session: Session, run_id: str, choice: str) -> RunRow:
    """Import again what a run asked about, with the answer; the new run takes the old one's place."""
    row = runs.get(session, run_id)
    asked = row.result or {}
    if choice not in asked.get("choices", []):
        raise BadInput("This was not asked.")
    old = of_row(row)
    if not isinstance(old, Ingest) or not old._folder(context).is_dir():
        raise BadInput("The uploaded files are gone; upload them again.")
    again = start(session, old.model_copy(update={asked["asks"]: choice}))
    runs.delete(session, [row])
    return again


def title_of(files: Sequence[Sequence[str]]) -> str:
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
