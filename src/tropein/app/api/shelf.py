"""The shelf, uploads, and the files that go with media."""

from __future__ import annotations

import shutil
import uuid
from typing import Annotated, Any

from fastapi import APIRouter, Request
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field
from starlette.datastructures import UploadFile

from tropein.app.api.deps import Db, Work
from tropein.app.api.runs import RunOut, run_out
from tropein.app.jobs.queue import defer
from tropein.app.store import runs, shelf
from tropein.app.store.database import transaction
from tropein.app.store.models import ShelfRow
from tropein.core.document import Footage
from tropein.core.document.base import parse_rate
from tropein.core.errors import BadInput, NotFound, OutOfSpace

router = APIRouter(prefix="/api", tags=["shelf"])
MAX_FILES = 5000
MEDIA_FILES = {
    "poster.jpg": "image/jpeg", "strip.jpg": "image/jpeg", "strip.json": "application/json",
    "peaks.json": "application/json", "sound.wav": "audio/wav",
}  # fmt: skip


class ShelfItem(BaseModel):
    id: str
    media: str
    name: str
    kind: str
    stock: bool
    tags: list[str]
    facts: dict[str, Any]
    footage: Footage


class ShelfChange(BaseModel):
    name: Annotated[str, Field(min_length=1, max_length=120)] | None = None
    tags: Annotated[list[Annotated[str, Field(max_length=40)]], Field(max_length=40)] | None = None


def _out(row: ShelfRow) -> ShelfItem:
    return ShelfItem(
        id=row.id, media=row.media, name=row.name, kind=row.kind, stock=row.stock, tags=row.tags, facts=row.facts,
        footage=shelf.footage_of(row),
    )  # fmt: skip


@router.get("/shelf")
def list_shelf(db: Db) -> list[ShelfItem]:
    return [_out(row) for row in shelf.items(db)]


@router.patch("/shelf/{item_id}")
def change_item(item_id: str, body: ShelfChange, db: Db) -> ShelfItem:
    row = shelf.item(db, item_id)
    if body.name is not None:
        row.name = body.name
    if body.tags is not None:
        row.tags = body.tags
    return _out(row)


@router.delete("/shelf/{item_id}", status_code=204)
def remove_item(item_id: str, db: Db) -> None:
    shelf.remove(db, item_id)


@router.get("/media/{media}/{name}", response_class=FileResponse)
def media_file(media: str, name: str, work: Work) -> FileResponse:
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
    length = int(request.headers.get("content-length") or 0)
    if length > work.settings.upload_bytes:
        raise BadInput(f"An upload may be up to {work.settings.upload_bytes >> 20} MB.")
    upload_id = uuid.uuid4().hex
    folder = work.settings.media / "incoming" / upload_id
    kept = False
    try:
        async with request.form(max_files=MAX_FILES, max_fields=20) as form:
            rate = str(form.get("rate") or "24/1")
            try:
                parse_rate(rate)
            except ValueError as error:
                raise BadInput("The frame rate is written like 24/1 or 24000/1001.") from error
            given = [f for f in form.getlist("files") if isinstance(f, UploadFile)]
            if not given:
                raise BadInput("There is no file in the upload.")
            folder.mkdir(parents=True)
            files = []
            for i, file in enumerate(given):
                await _store(file, folder / f"{i:06d}")
                files.append([f"{i:06d}", (file.filename or "untitled").replace("\x00", "")[:200]])
            make_shot = str(form.get("make_shot", "")).lower() in ("true", "1", "yes")
        params = {"upload": upload_id, "files": files, "rate": rate, "make_shot": make_shot}
        with transaction(work.engine) as session:
            name = files[0][1].replace("\\", "/").rsplit("/", 1)[-1]
            run = runs.create(session, "ingest", f"Import {name}", params)
            defer(session, "ingest", run_id=run.id)
            out = run_out(run)
        kept = True
        return out
    except OSError as error:
        if error.errno in (28, 122):
            raise OutOfSpace("The disk is full; nothing was imported.") from error
        raise
    finally:
        if not kept:
            shutil.rmtree(folder, ignore_errors=True)


async def _store(file: UploadFile, path) -> None:  # type: ignore[no-untyped-def]
    with path.open("wb") as out:
        while block := await file.read(1 << 20):
            out.write(block)
