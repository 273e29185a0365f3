"""The shelf, uploads, and the files that go with media."""

from __future__ import annotations

import asyncio
import logging
import shutil
import uuid
from dataclasses import asdict
from pathlib import Path as FilePath
from pathlib import PurePosixPath
from typing import Annotated, Any

from fastapi import Path, Query, Request
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field, StringConstraints, TypeAdapter, ValidationError
from starlette.datastructures import UploadFile

from tropein.app.api.deps import Db, HashInPath, IdInPath, Work
from tropein.app.api.routing import router as plain_router
from tropein.app.api.runs import RunOut, run_out
from tropein.app.jobs.kind import start
from tropein.app.jobs.sweep import FIGURES, figures, sweep
from tropein.app.jobs.work.ingest import Ingest
from tropein.app.store import settings, shelf
from tropein.app.store.database import transaction
from tropein.app.store.models import ShelfRow
from tropein.core.document import Footage, Rate
from tropein.core.document.base import MOST_FRAMES, Name, Text, parse_rate
from tropein.core.errors import BadInput, NotFound, OutOfSpace
from tropein.core.files import FULL
from tropein.core.media.loudness import loudness

router = plain_router("/api", "shelf")
log = logging.getLogger(__name__)
MAX_FILES, MOST_NAME = 5000, 200
YES, NO = ("true", "1", "yes"), ("false", "0", "no", "")
_RATE: TypeAdapter[str] = TypeAdapter(Rate)
MEDIA_FILES = {
    "poster.jpg": "image/jpeg", "strip.jpg": "image/jpeg", "strip.json": "application/json",
    "peaks.json": "application/json", "sound.wav": "audio/wav",
}  # fmt: skip


class ShelfItem(BaseModel):
    """Footage on the shelf; `problem` says in words why it cannot be used, if it cannot."""

    id: str
    media: str
    name: str
    kind: str
    stock: bool
    tags: list[str]
    facts: dict[str, Any]
    footage: Footage | None
    problem: str = ""


Tag = Annotated[Text, StringConstraints(strip_whitespace=True, min_length=1, max_length=40)]


class ShelfChange(BaseModel):
    name: Name | None = None
    tags: Annotated[list[Tag], Field(max_length=40)] | None = None


def _out(row: ShelfRow) -> ShelfItem:
    """One that cannot be read says so, and hides none of the others."""
    footage, problem = None, ""
    try:
        footage = shelf.footage_of(row)
    except (ValueError, KeyError, TypeError):
        log.exception("the shelf's %s cannot be read", row.id)
        problem = "What is known of this footage cannot be read: import it again."
    return ShelfItem(
        id=row.id, media=row.media, name=row.name, kind=row.kind, stock=row.stock, tags=row.tags, facts=row.facts,
        footage=footage, problem=problem,
    )  # fmt: skip


@router.get("/shelf")
def list_shelf(db: Db) -> list[ShelfItem]:
    return [_out(row) for row in shelf.items(db)]


@router.patch("/shelf/{item_id}")
def change_item(item_id: IdInPath, body: ShelfChange, db: Db) -> ShelfItem:
    row = shelf.item(db, item_id)
    if body.name is not None:
        row.name = body.name
    if body.tags is not None:
        row.tags = body.tags
    return _out(row)


@router.delete("/shelf/{item_id}", status_code=204)
def remove_item(item_id: IdInPath, db: Db) -> None:
    shelf.remove(db, item_id)


@router.get("/media/{media}/loudness")
def media_loudness(
    media: HashInPath, work: Work, rate: Annotated[Rate, Query()], frames: Annotated[int, Query(ge=2, le=MOST_FRAMES)],
    start: Annotated[float, Query(ge=0, le=86_400)] = 0.0,
) -> list[float]:  # fmt: skip
    """How loud the sound of stored media is at so many frames, in dB below full scale; `start`: the second of it at which the first of them shows."""
    path = work.library.store.folder(media) / "sound.wav"
    if not path.exists():
        raise NotFound("This media has no sound.")
    return [round(v, 2) for v in loudness(path, parse_rate(rate), frames, start).tolist()]


@router.get("/media/{media}/{name}", response_class=FileResponse)
def media_file(media: HashInPath, name: Annotated[str, Path(max_length=40)], work: Work) -> FileResponse:
    """Poster, film strip or sound of stored media; only these names exist."""
    if name not in MEDIA_FILES:
        raise NotFound("There is no such file.")
    path = work.library.store.folder(media) / name
    if not path.is_file():
        raise NotFound("This media has no such file.")
    return FileResponse(
        path, media_type=MEDIA_FILES[name], headers={"Cache-Control": "private, max-age=31536000, immutable"}
    )


@router.post(
    "/uploads", status_code=202,
    openapi_extra={"requestBody": {"required": True, "content": {"multipart/form-data": {"schema": {
        "type": "object", "required": ["files"], "properties": {
            "files": {"type": "array", "items": {"type": "string", "format": "binary"}},
            "rate": {"type": "string"}, "make_shot": {"type": "boolean"}}}}}}},
)  # fmt: skip
async def upload(request: Request) -> RunOut:
    """Take files in: one clip, picture, sound or zip, or several pictures as a sequence. Answers with the run that
    imports them. An upload that breaks off leaves nothing."""
    work = request.app.state.work
    upload_id = uuid.uuid4().hex
    folder = work.settings.media / "incoming" / upload_id
    kept = False
    try:
        async with request.form(max_files=MAX_FILES, max_fields=20) as form:
            rate = str(form.get("rate") or "24/1")
            try:
                _RATE.validate_python(rate)
            except ValidationError as error:
                raise BadInput(
                    "The frame rate is written like 24/1 or 24000/1001, and lies between 0.1 and 1000."
                ) from error
            wish = str(form.get("make_shot", "")).lower()
            if wish not in YES and wish not in NO:
                raise BadInput("make_shot is true or false.")
            given = [f for f in form.getlist("files") if isinstance(f, UploadFile)]
            if not given:
                raise BadInput("There is no file in the upload.")
            folder.mkdir(parents=True)
            files: list[tuple[str, str]] = []
            for i, file in enumerate(given):
                await _store(file, folder / f"{i:06d}")
                files.append((f"{i:06d}", _name(file.filename)))
        wanted = Ingest(upload=upload_id, files=files, rate=rate, make_shot=wish in YES)
        with transaction(work.engine) as session:
            out = run_out(start(session, wanted))
        kept = True
        return out
    except OSError as error:
        if error.errno in FULL:
            raise OutOfSpace("The disk is full; nothing was imported.") from error
        raise
    finally:
        if not kept:
            shutil.rmtree(folder, ignore_errors=True)


def _name(given: str | None) -> str:
    """The name a file came under, its end whole: that says what it is."""
    name = "".join(c for c in given or "" if c.isprintable()) or "untitled"
    path = PurePosixPath(name.replace("\\", "/"))
    return name if len(name) <= MOST_NAME else f"{path.stem[: MOST_NAME - 20]}{path.suffix[-20:]}"


async def _store(file: UploadFile, path: FilePath) -> None:
    """Writes off the event loop: a slow disk holds nobody else up."""
    with path.open("wb") as out:
        while block := await file.read(1 << 20):
            await asyncio.to_thread(out.write, block)


class Storage(BaseModel):
    """Bytes by what they are for, and what the last sweep gave back; `at` is empty before the first one."""

    at: str = ""
    removed: int = 0
    freed: int = 0
    media: int = 0
    tracks: int = 0
    renders: int = 0
    under_way: int = 0
    free: int = 0
    problems: list[str] = []


@router.get("/storage")
def storage(db: Db) -> Storage:
    found = figures(settings.get(db, FIGURES))
    return Storage(**asdict(found)) if found else Storage()


@router.post("/storage/sweep")
def sweep_now(work: Work, db: Db) -> Storage:
    """Remove what nothing needs any more and is old enough; see docs/reliability.md."""
    found = sweep(work)
    return Storage(**asdict(found)) if found else storage(db)
