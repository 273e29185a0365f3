"""Shots, their edits, their history."""

from __future__ import annotations

import logging
from datetime import datetime
from typing import Annotated, Any

import orjson
from fastapi import BackgroundTasks, Query, Response
from pydantic import BaseModel, Field

from tropein.app.api.deps import Db, FrameAsked, IdInPath, Work
from tropein.app.api.routing import router as plain_router
from tropein.app.jobs.work.ingest import shot_on
from tropein.app.jobs.work.render import remove_files
from tropein.app.store import runs, shelf, shots
from tropein.app.store.models import ShotRow
from tropein.core.compose.places import Places
from tropein.core.compose.ride_matrices import ride_matrices
from tropein.core.document import Id, Shot
from tropein.core.document.base import Name, Text
from tropein.core.errors import BadInput

router = plain_router("/api/shots", "shots")
log = logging.getLogger(__name__)
Label = Annotated[Text, Field(min_length=1, max_length=200)]
Client = Annotated[Text, Field(max_length=60)]


class ShotOut(BaseModel):
    """A shot with its document."""

    id: str
    name: str
    revision: int
    document: Shot
    undo: str | None
    redo: str | None


class ShotCard(BaseModel):
    """A shot on the contact sheet; `problems` are unfinished things in words."""

    id: str
    name: str
    revision: int
    frames: int
    trim: tuple[int, int]
    rate: str
    size: tuple[int, int]
    layers: int
    updated: datetime
    problems: list[str]
    runs: Annotated[int, Field(description="renders and other work that would go with it")] = 0


class NewShot(BaseModel):
    """Make a shot on footage from the shelf."""

    shelf: Id
    name: Name | None = None


class Edit(BaseModel):
    """A labelled JSON Patch on the revision it was made on."""

    base: Annotated[int, Field(ge=-1, lt=2**31)]
    label: Label
    ops: Annotated[list[dict[str, Any]], Field(min_length=1, max_length=5000)]
    client: Client = ""
    key: Annotated[Id | None, Field(description="made up by who sends it: sent twice, it is stored once")] = None


class Who(BaseModel):
    client: Client = ""
    base: Annotated[int | None, Field(ge=0, lt=2**31, description="the revision whoever asks knows")] = None


class Steps(BaseModel):
    """The newest revision of a shot as the JSON Patch that makes it of revision `base`."""

    id: str
    name: str
    revision: int
    base: int
    patch: list[dict[str, Any]]
    undo: str | None
    redo: str | None


class HistoryItem(BaseModel):
    number: int
    label: str
    kind: str
    state: str
    created: datetime


def _out(state: shots.ShotState | shots.Stepped, status: int = 200) -> Response:
    """A ShotOut, or Steps, of what was validated as it was stored."""
    return Response(orjson.dumps(state), status, media_type="application/json")


@router.get("/{shot_id}/steps", response_model=Steps)
def steps(shot_id: IdInPath, base: Annotated[int, Query(ge=0, lt=2**31)], db: Db) -> Response:
    """What was done since a revision."""
    return _out(shots.since(db, shot_id, base))


@router.get("")
def list_shots(db: Db) -> list[ShotCard]:
    """All shots. One that cannot be read is named with what is wrong, and hides none of the others."""
    return [_card(db, row, count) for row, count in shots.with_runs(db)]


def _card(db: Db, row: ShotRow, count: int) -> ShotCard:
    facts: dict[str, Any] = {
        "id": row.id,
        "name": row.name,
        "revision": row.revision,
        "updated": row.updated,
        "runs": count,
    }
    try:
        d = shots.document_of(db, row)
        lost = [f"{t['name']}: {t['lost_frames']} frames lost" for t in d["tracks"].values() if t["lost_frames"]]
        return ShotCard(
            **facts, frames=d["frames"], trim=d["trim"], rate=d["rate"], size=d["size"], layers=len(d["layers"]), problems=lost,
        )  # fmt: skip
    except (KeyError, TypeError, AttributeError, ValueError, BadInput):
        log.exception("the shot %s cannot be read", row.id)
        unread = ["This shot's document cannot be read by this version."]
        return ShotCard(**facts, frames=1, trim=(0, 0), rate="24/1", size=(1, 1), layers=0, problems=unread)


@router.post("", status_code=201, response_model=ShotOut)
def make_shot(body: NewShot, db: Db) -> Response:
    item = shelf.item(db, body.shelf)
    if item.kind == "sound":
        raise BadInput("A shot needs pictures; this is sound.")
    return _out(shots.create(db, shot_on(shelf.footage_of(item), body.name)), 201)


@router.get("/{shot_id}", response_model=ShotOut)
def get_shot(shot_id: IdInPath, db: Db) -> Response:
    return _out(shots.state(db, shot_id))


@router.delete("/{shot_id}", status_code=204)
def delete_shot(shot_id: IdInPath, db: Db, work: Work, after: BackgroundTasks) -> None:
    """Remove a shot with all its history, and what was rendered of it. What is still at work for it stops."""
    for run in runs.of_shot(db, shot_id):
        after.add_task(remove_files, work, run.id)
    shots.delete(db, shot_id)


@router.post("/{shot_id}/copy", status_code=201, response_model=ShotOut)
def copy_shot(shot_id: IdInPath, db: Db) -> Response:
    """A second shot with the same document, to try something else in."""
    return _out(shots.copy(db, shot_id), 201)


@router.post("/{shot_id}/edits", response_model=Steps)
def edit_shot(shot_id: IdInPath, body: Edit, db: Db) -> Response:
    return _out(shots.apply(db, shot_id, body.base, body.label, body.ops, body.client, body.key))


class Given(BaseModel):
    """A command with its arguments, on the revision it was given for."""

    base: Annotated[int, Field(ge=-1, lt=2**31)]
    command: Annotated[Text, Field(max_length=80)]
    arguments: dict[str, Any] = {}
    client: Client = ""
    key: Annotated[Id | None, Field(description="made up by who sends it: sent twice, it is done once")] = None


class Done(BaseModel):
    """What a command did to the shot; what is to be selected now, as "layers/ID"; words where not all was kept."""

    shot: Steps
    select: list[str]
    note: str


@router.post("/{shot_id}/do", response_model=Done)
def do(shot_id: IdInPath, body: Given, db: Db) -> Response:
    """Give a command (see /about for those there are)."""
    state, change = shots.give(db, shot_id, body.base, body.command, body.arguments, body.client, body.key)
    done = {"shot": state, "select": change.select, "note": change.note}
    return Response(orjson.dumps(done), media_type="application/json")


@router.post("/{shot_id}/undo", response_model=Steps)
def undo(shot_id: IdInPath, body: Who, db: Db) -> Response:
    return _out(shots.undo(db, shot_id, body.client, body.base))


@router.post("/{shot_id}/redo", response_model=Steps)
def redo(shot_id: IdInPath, body: Who, db: Db) -> Response:
    return _out(shots.redo(db, shot_id, body.client, body.base))


@router.get("/{shot_id}/history")
def history(shot_id: IdInPath, db: Db) -> list[HistoryItem]:
    return [
        HistoryItem(number=e.number, label=e.label, kind=e.kind, state=e.state, created=e.created)
        for e in shots.history(db, shot_id)
    ]


@router.get("/{shot_id}/carried")
def carried_at(shot_id: IdInPath, frame: FrameAsked, db: Db, work: Work) -> dict[str, list[float] | None]:
    """What rides do to everything at a frame (see core.compose.ride_matrices), matrices row by row."""
    shot = shots.shot_of(db, shot_id)
    found = ride_matrices(Places(shot, work.artefacts.path), frame)
    return {k: None if m is None else [float(v) for v in (m / m[2, 2]).ravel()] for k, m in found.items()}
