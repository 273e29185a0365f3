"""Tracks out and in: samples, tables, cameras; trimming, and making one of several."""

from __future__ import annotations

from functools import reduce
from operator import or_
from pathlib import PurePosixPath
from typing import Annotated, Any

from fastapi import File, Path, Query, UploadFile
from fastapi.responses import Response
from pydantic import BaseModel, Field

from tropein.app.api.deps import Db, HashInPath, IdInPath, Pool, Work
from tropein.app.api.routing import router as plain_router
from tropein.app.jobs.context import WorkContext
from tropein.app.store import shots
from tropein.core.document import Shot, Track, new_id
from tropein.core.document.base import MOST_FRAMES, Id, Name
from tropein.core.document.track import Corners
from tropein.core.errors import BadInput, NotFound
from tropein.core.interchange.form import Of, reading, writing
from tropein.core.track.edit import combined, trimmed
from tropein.core.track.file import FILES, FileBase
from tropein.core.track.forms.point import PointFile
from tropein.core.tracks.point import PointTrack

router = plain_router("/api", "tracks")
Extension = Annotated[str, Path(pattern=r"^\.[a-z0-9]{1,12}$")]
MOST_PATCHES = 32


@router.get("/artefacts/{name}/track", response_class=Response, responses={200: {"model": reduce(or_, FILES)}})
def track_samples(name: HashInPath, work: Work) -> Response:
    """A track's samples as a track file."""
    return Response(work.artefacts.track(name).dumps(), media_type="application/json")


@router.get("/shots/{shot_id}/tracks/{track_id}/file{extension}", response_class=Response)
def write_file(shot_id: IdInPath, track_id: IdInPath, extension: Extension, db: Db, work: Work) -> Response:
    """What a track found, in one of the forms of /api/about."""
    _, track = _track(db, shot_id, track_id)
    if track.samples is None:
        raise BadInput("This track has not been followed yet.")
    file = work.artefacts.track(track.samples)
    form = writing(extension, file.kind)
    name = f"{shots.file_stem(track.name)}{extension}"
    return _download(form.write(file, extension, track.scene_world), form.media_type, name)


@router.post("/shots/{shot_id}/tracks/{track_id}/file", status_code=204)
def read_file(shot_id: IdInPath, track_id: IdInPath, file: Annotated[UploadFile, File()], db: Db, work: Work) -> None:
    """A track from a file of another program, in place of what was found."""
    shot, track = _track(db, shot_id, track_id)
    name = file.filename or "the file"
    form = reading(PurePosixPath(name).suffix.lower(), track.kind)
    data = file.file.read(form.most_bytes + 1)
    if len(data) > form.most_bytes:
        raise BadInput(f"The file is larger than {form.most_bytes >> 20} MB.")
    footage = shot.footage[track.footage]
    got = form.read(data, name, Of(footage.name, footage.size, footage.rate, track.reference_frame))
    new = {**track.model_dump(mode="json"), **_stored(work, got), **form.changes(track, got)}
    _replace(db, shot_id, track_id, new, f"read {track.name} from {name}")


@router.get("/media/{media}/tracks/{samples}/strip.jpg", response_class=Response)
async def patches(
    media: HashInPath, samples: HashInPath, frames: Annotated[str, Query(max_length=400)], pool: Pool,
    point: Annotated[int, Query(ge=0, le=1000)] = 0, half: Annotated[float, Query(gt=0, le=500)] = 15,
) -> Response:  # fmt: skip
    """What a track holds on to at some frames (numbers with commas between them), square beside square."""
    try:
        wanted = [int(f) for f in frames.split(",")]
    except ValueError:
        raise BadInput("The frames are numbers with commas between them.") from None
    if len(wanted) > MOST_PATCHES or any(abs(f) > MOST_FRAMES for f in wanted):
        raise BadInput(f"At most {MOST_PATCHES} frames at a time, of those there are.")
    data = await pool.errand("patches", media, samples, wanted, point, half)
    return Response(data, media_type="image/jpeg", headers={"Cache-Control": "private, max-age=31536000, immutable"})


class FourCorners(BaseModel):
    """Corners in a frame of the footage, in order around, full-size pixels."""

    frame: Annotated[int, Field(ge=0, le=MOST_FRAMES)]
    corners: Corners


class Snapped(BaseModel):
    """`sides`: how many of the four found an edge."""

    corners: Corners
    sides: int


@router.post("/media/{media}/snap")
async def snap(media: HashInPath, body: FourCorners, pool: Pool) -> Snapped:
    """Four corners drawn to the edges near the sides between them."""
    return Snapped(**await pool.errand("snap", media, body.frame, body.corners))


class Kept(BaseModel):
    """Frames of the footage, both included."""

    first: Annotated[int, Field(ge=0, le=MOST_FRAMES)]
    last: Annotated[int, Field(ge=0, le=MOST_FRAMES)]


@router.post("/shots/{shot_id}/tracks/{track_id}/trim", status_code=204)
def trim(shot_id: IdInPath, track_id: IdInPath, body: Kept, db: Db, work: Work) -> None:
    """Forget what a track found outside of some frames."""
    _, track = _track(db, shot_id, track_id)
    if track.samples is None:
        raise BadInput("This track has not been followed yet.")
    file = trimmed(work.artefacts.track(track.samples), body.first, body.last)
    new = {**track.model_dump(mode="json"), **_stored(work, file), "note": track.note}
    _replace(db, shot_id, track_id, new, f"trim {track.name}")


@router.post("/shots/{shot_id}/tracks/{track_id}/points/{point_id}/drop", status_code=204)
def drop_point(shot_id: IdInPath, track_id: IdInPath, point_id: IdInPath, db: Db, work: Work) -> None:
    """Take one point out of a track of several, with what was found of it."""
    _, track = _track(db, shot_id, track_id)
    if not isinstance(track, PointTrack) or point_id not in track.points:
        raise NotFound("This point does not exist (any more).")
    if len(track.points) == 1:
        raise BadInput("A track keeps its last point; remove the track instead.")
    new = track.model_dump(mode="json")
    column = track.order.index(point_id)
    new["points"].pop(point_id)
    new["order"].remove(point_id)
    if track.samples is not None:
        file = work.artefacts.track(track.samples)
        if isinstance(file, PointFile):
            new |= {**_stored(work, file.chosen([k for k in range(file.count) if k != column])), "note": track.note}
    _replace(db, shot_id, track_id, new, f"drop a point of {track.name}")


class Together(BaseModel):
    tracks: Annotated[list[Id], Field(min_length=2, max_length=64)]
    name: Name
    reference_frame: Annotated[int, Field(ge=0, le=MOST_FRAMES)]


class Made(BaseModel):
    id: str


@router.post("/shots/{shot_id}/tracks/combine")
def combine(shot_id: IdInPath, body: Together, db: Db, work: Work) -> Made:
    """A new point track that goes as several point tracks do together."""
    shot = shots.shot_of(db, shot_id)
    chosen = [shot.tracks.get(t) for t in body.tracks]
    files = [work.artefacts.track(t.samples) for t in chosen if isinstance(t, PointTrack) and t.samples]
    points = [f for f in files if isinstance(f, PointFile)]
    first = chosen[0]
    if first is None or len(points) < len(body.tracks) or len({t.footage for t in chosen if t}) > 1:
        raise BadInput("Only point tracks of the same footage that have been followed can be made into one.")
    file = combined(points, body.reference_frame)
    here = next(s for s in file.frames if s.frame == body.reference_frame)
    made = PointTrack.at(
        here.points[0] or (0.0, 0.0), id=new_id(), name=body.name, footage=first.footage,
        reference_frame=body.reference_frame, **_stored(work, file),
    )  # fmt: skip
    op = {"op": "add", "path": f"/tracks/{made.id}", "value": made.model_dump(mode="json")}
    shots.apply(db, shot_id, None, f"make {made.name} of {len(points)} tracks", [op], "tracks")
    return Made(id=made.id)


def _track(db: Db, shot_id: str, track_id: str) -> tuple[Shot, Track]:
    shot = shots.shot_of(db, shot_id)
    track = shot.tracks.get(track_id)
    if track is None:
        raise NotFound("This track does not exist (any more).")
    return shot, track


def _stored(work: WorkContext, file: FileBase) -> dict[str, Any]:
    lost = sum(s.lost for s in file.frames)
    return {"samples": work.artefacts.put_track(file), "lost_frames": lost, "note": ""}


def _replace(db: Db, shot_id: str, track_id: str, new: dict[str, Any], label: str) -> None:
    shots.apply(db, shot_id, None, label, [{"op": "replace", "path": f"/tracks/{track_id}", "value": new}], "tracks")


def _download(content: str | bytes, kind: str, name: str) -> Response:
    return Response(content, media_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})
