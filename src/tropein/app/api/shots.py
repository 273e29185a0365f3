"""Shots, their edits, their history."""

from __future__ import annotations

import logging
from base64 import b64encode
from datetime import datetime
from typing import Annotated, Any, Literal

import orjson
from fastapi import BackgroundTasks, Depends, Path, Query, Response
from pydantic import BaseModel, Field, TypeAdapter, ValidationError

from tropein.app.api.deps import Db, FrameAsked, FrameInPath, IdInPath, Live, Pool, Revision, Work
from tropein.app.api.routing import router as plain_router
from tropein.app.jobs.work.ingest import shot_on
from tropein.app.jobs.work.render import remove_files
from tropein.app.live.preview import Ask
from tropein.app.store import runs, shelf, shots
from tropein.app.store.models import ShotRow
from tropein.core.checks.faults_seen import FaultsSeen
from tropein.core.checks.hidden import Guarded
from tropein.core.checks.outline_fit import OutlineFit
from tropein.core.checks.screen_seen import ScreenSeen
from tropein.core.compose.look import Look, Named, Of, View
from tropein.core.compose.places import Places
from tropein.core.compose.ride_matrices import ride_matrices
from tropein.core.document import Id, Shot
from tropein.core.document.base import ID_PATTERN, Name, Text
from tropein.core.document.patch import PatchOps
from tropein.core.errors import BadInput
from tropein.core.match.colours import Asked, Matched
from tropein.core.match.measure import Reading
from tropein.core.match.sit import MOST, USUAL, Sat
from tropein.core.match.tones import Tones

router = plain_router("/api/shots", "shots")
log = logging.getLogger(__name__)
PATCH = TypeAdapter(PatchOps)
REGION = r"^(-?\d{1,6}(\.\d{1,3})?(,-?\d{1,6}(\.\d{1,3})?){3})?$"
Label = Annotated[Text, Field(min_length=1, max_length=200)]
Client = Annotated[Text, Field(max_length=60)]
PixelAsked = Annotated[int, Query(ge=-100_000, le=100_000)]


def looking(
    of: Of = "shot", layer: Named = "", without: Named = "", effect: Named = "",
    view: View = "picture", matte: Named = "", checker: bool = False,
) -> Look:  # fmt: skip
    """A way to look, from an address (see core.compose.look)."""
    return Look(of=of, layer=layer, without=without, effect=effect, view=view, matte=matte, checker=checker)


Looking = Annotated[Look, Depends(looking)]


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


@router.get("/{shot_id}/frame/{frame}.jpg", response_class=Response)
async def frame_jpeg(
    shot_id: IdInPath, frame: FrameInPath, pool: Pool, live: Live, look: Looking, revision: Revision = -1,
    width: Annotated[int, Query(ge=16, le=4096)] = 320, over: Annotated[str, Query(max_length=12_000)] = "",
    about: Named = "",
) -> Response:  # fmt: skip
    """One frame as a JPEG, `width` pixels wide; with its revision in the address it may be kept by the browser. `over`: a JSON Patch that is laid
    over the shot; `about`: only what lies about this layer."""
    seen = await live.document(shot_id, revision, _overlay(over))
    scale = min(1.0, width / seen.document["size"][0])
    ask = Ask("", frame, round(scale, 5), look, True, 84, about=(about, width) if about else ("", 0))
    picture = await pool.ask(seen, ask, 7)
    keep = "private, max-age=31536000, immutable" if revision >= 0 else "no-store"
    return Response(picture.data, media_type="image/jpeg", headers={"Cache-Control": keep, "ETag": f'"{picture.key}"'})


@router.get("/{shot_id}/life/{layer}.jpg", response_class=Response)
async def life_jpeg(
    shot_id: IdInPath, layer: IdInPath, pool: Pool, live: Live, frame: FrameAsked = 0, revision: Revision = -1,
    over: Annotated[str, Query(max_length=12_000)] = "",
) -> Response:  # fmt: skip
    """What one of the many a layer makes looks like at ages from birth to end, side by side."""
    seen = await live.document(shot_id, revision, _overlay(over))
    found = await pool.question(seen, frame, "life", 6, layer=layer)
    keep = "private, max-age=31536000, immutable" if revision >= 0 else "no-store"
    return Response(found["jpeg"], media_type="image/jpeg", headers={"Cache-Control": keep})


ScopeKind = Literal["brightness", "channels", "colours", "histogram"]


class ScopesSeen(BaseModel):
    """Scopes by their kinds as PNGs in base64; shares of what they look at that are white or black in one channel at least; whether an insert lies over what is around it."""

    pictures: dict[ScopeKind, str]
    white: float
    black: float
    insert: bool


@router.get("/{shot_id}/scopes")
async def scopes_at(
    shot_id: IdInPath, kind: Annotated[list[ScopeKind], Query(min_length=1, max_length=4)], frame: FrameAsked, pool: Pool, live: Live, revision: Revision = -1,
    layer: Named = "", region: Annotated[str, Query(pattern=REGION)] = "", over: Annotated[str, Query(max_length=12_000)] = "",
) -> ScopesSeen:  # fmt: skip
    """What values a frame is made of: all of it, a region (x,y,width,height in shot pixels), or a layer laid over what lies around it."""
    seen = await live.document(shot_id, revision, _overlay(over))
    part = tuple(float(v) for v in region.split(",")) if region else None
    asked = {"kinds": kind, "layer": layer, "region": part}
    found = await pool.question(seen, frame, "scopes", 4, f"scopes {shot_id}", **asked)
    pictures = {name: b64encode(png).decode() for name, png in found["pictures"].items()}
    return ScopesSeen(**{**found, "pictures": pictures})


def _overlay(text: str) -> PatchOps | None:
    if not text:
        return None
    try:
        return PATCH.validate_json(text)
    except ValidationError as error:
        raise BadInput("What is to be laid over the shot is no JSON Patch.") from error


@router.get("/{shot_id}/carried")
def carried_at(shot_id: IdInPath, frame: FrameAsked, db: Db, work: Work) -> dict[str, list[float] | None]:
    """What rides do to everything at a frame (see core.compose.ride_matrices), matrices row by row."""
    shot = shots.shot_of(db, shot_id)
    found = ride_matrices(Places(shot, work.artefacts.path), frame)
    return {k: None if m is None else [float(v) for v in (m / m[2, 2]).ravel()] for k, m in found.items()}


class PixelValues(BaseModel):
    """Linear RGBA (premultiplied) and display-encoded 8-bit RGB."""

    linear: list[float]
    display: list[int]


@router.get("/{shot_id}/pixel")
async def pixel(
    shot_id: IdInPath, frame: FrameAsked, x: PixelAsked, y: PixelAsked, pool: Pool, live: Live, look: Looking, revision: Revision = -1,
    around: Annotated[int, Query(ge=0, le=32)] = 0, over: Annotated[str, Query(max_length=12_000)] = "",
) -> PixelValues:  # fmt: skip
    """The values of the picture, looked at in some way, at a whole shot pixel, averaged over `around` to each side."""
    seen = await live.document(shot_id, revision, _overlay(over))
    channel = (
        None if around else f"pixel {shot_id}"
    )  # what the pointer passes over may be given up, a picked colour not
    w, h = seen.document["size"]
    scale = min(1.0, 960 / w)
    at = (min(max(int(x * scale), 0), int(w * scale) - 1), min(max(int(y * scale), 0), int(h * scale) - 1))
    asked = {"look": look, "scale": scale, "at": at, "around": around}
    return PixelValues(**await pool.question(seen, frame, "pixel", 2, channel, **asked))


@router.get("/{shot_id}/mattes/{matte_id}/guard")
async def guard(
    shot_id: IdInPath, matte_id: IdInPath, track: Annotated[str, Query(pattern=ID_PATTERN)], frame: FrameAsked, pool: Pool, live: Live, revision: Revision = -1,
    margin: Annotated[float, Query(ge=0, le=1)] = 0.08,
) -> Guarded:  # fmt: skip
    """Whether a matte hides a tracked face at a frame, with a margin as a share of the face's width."""
    seen = await live.document(shot_id, revision)
    return Guarded(**await pool.question(seen, frame, "guard", matte=matte_id, track=track, margin=margin))


@router.get("/{shot_id}/mattes/{matte_id}/faults")
async def matte_faults(
    shot_id: IdInPath, matte_id: IdInPath, frame: FrameAsked, pool: Pool, live: Live, revision: Revision = -1
) -> FaultsSeen:
    """How many holes and crumbs a matte has at a frame."""
    seen = await live.document(shot_id, revision)
    return FaultsSeen(**await pool.question(seen, frame, "faults", matte=matte_id))


@router.get("/{shot_id}/mattes/{matte_id}/shapes/{piece_id}/fit")
async def shape_fit(
    shot_id: IdInPath,
    matte_id: IdInPath,
    piece_id: IdInPath,
    frame: FrameAsked,
    pool: Pool,
    live: Live,
    revision: Revision = -1,
) -> OutlineFit:
    """About how far a shape is off the edges it lay on in its nearest keys."""
    seen = await live.document(shot_id, revision)
    return OutlineFit(**await pool.question(seen, frame, "fit", matte=matte_id, piece=piece_id))


@router.get("/{shot_id}/mattes/{matte_id}/keys/{piece_id}/screen")
async def screen(
    shot_id: IdInPath,
    matte_id: IdInPath,
    piece_id: IdInPath,
    frame: FrameAsked,
    pool: Pool,
    live: Live,
    revision: Revision = -1,
) -> ScreenSeen:
    """Which screen a chroma key sees at a frame, if any."""
    seen = await live.document(shot_id, revision)
    return ScreenSeen(
        **await pool.question(seen, frame, "screen", 4, f"screen {shot_id}", matte=matte_id, piece=piece_id)
    )


@router.get("/{shot_id}/layers/{layer_id}/measures/{measure}")
async def measured(
    shot_id: IdInPath,
    layer_id: IdInPath,
    measure: Annotated[str, Path(max_length=40)],
    frame: FrameAsked,
    pool: Pool,
    live: Live,
    revision: Revision = -1,
) -> Reading:
    """How an insert differs from what lies around it at a frame, by one of the measures of /api/about, and the edit that would mend it."""
    seen = await live.document(shot_id, revision)
    return Reading(**await pool.question(seen, frame, "measure", layer=layer_id, measure=measure))


@router.get("/{shot_id}/layers/{layer_id}/sit/{measure}")
async def sits(
    shot_id: IdInPath,
    layer_id: IdInPath,
    measure: Annotated[str, Path(max_length=40)],
    pool: Pool,
    live: Live,
    revision: Revision = -1,
    count: Annotated[int, Query(ge=1, le=MOST)] = USUAL,
) -> Sat:
    """One measure of an insert over the frames in which it is seen."""
    seen = await live.document(shot_id, revision)
    return Sat(**await pool.question(seen, 0, "sit", layer=layer_id, measure=measure, count=count))


@router.post("/{shot_id}/layers/{layer_id}/match")
async def match_colours(
    shot_id: IdInPath, layer_id: IdInPath, asked: Asked, pool: Pool, live: Live, revision: Revision = -1
) -> Matched:
    """The grade that brings an insert to its plate: by pairs, by regions, or by itself; nothing is changed yet."""
    seen = await live.document(shot_id, revision)
    return Matched(**await pool.question(seen, asked.frame, "match", layer=layer_id, asked=asked.model_dump()))


@router.get("/{shot_id}/layers/{layer_id}/tones")
async def tones_of(
    shot_id: IdInPath,
    layer_id: IdInPath,
    frame: FrameAsked,
    pool: Pool,
    live: Live,
    effect: Annotated[str, Query(max_length=40)] = "",
    revision: Revision = -1,
) -> Tones:
    """Which tones and hues a layer shows, as it is without one of its effects."""
    seen = await live.document(shot_id, revision)
    return Tones(**await pool.question(seen, frame, "tones", layer=layer_id, effect=effect))
