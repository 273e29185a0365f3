"""Long work: what runs, how far it is, what came of it."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from fastapi import BackgroundTasks, Path
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field

from tropein.app.api.deps import Db, IdInPath, Work
from tropein.app.api.routing import router as plain_router
from tropein.app.jobs.kind import start, wanted
from tropein.app.jobs.work import ingest
from tropein.app.jobs.work.cutout import CarryCutout, GuessPeople
from tropein.app.jobs.work.render import Render, folder_of, remove_files
from tropein.app.jobs.work.track import Follow
from tropein.app.store import runs
from tropein.app.store.models import RunRow
from tropein.core.document import Id
from tropein.core.document.base import MOST_FRAMES
from tropein.core.errors import BadInput, NotFound
from tropein.core.media.encode import Format

router = plain_router("/api", "runs")


class RunOut(BaseModel):
    """One piece of work."""

    id: str
    kind: str
    shot: str | None
    title: str
    state: Literal["waiting", "running", "finishing", "done", "failed", "cancelled"]
    done: int
    total: int
    note: str
    error: str
    result: dict[str, Any]
    settings: dict[str, Any]
    created: datetime
    started: datetime | None
    finished: datetime | None


class TrackWanted(BaseModel):
    """Track over first..last (frames of the footage)."""

    direction: Literal["forward", "backward", "both"] = "both"
    first: Annotated[int, Field(ge=0, le=MOST_FRAMES)]
    last: Annotated[int, Field(ge=0, le=MOST_FRAMES)]


class RenderWanted(BaseModel):
    format: Format = "h264"
    first: Annotated[int, Field(ge=0, le=MOST_FRAMES)]
    last: Annotated[int, Field(ge=0, le=MOST_FRAMES)]
    scale: Annotated[float, Field(gt=0.01, le=2)] = 1.0
    matte: Annotated[Id | None, Field(description="only this matte's coverage, not the picture")] = None


def run_out(row: RunRow) -> RunOut:
    shown: dict[str, Any] = {
        str(k): row.params[k]
        for k in ("format", "scale", "first", "last", "direction", "track", "piece")
        if k in row.params
    }
    return RunOut(
        id=row.id, kind=row.kind, shot=row.shot_id, title=row.title, state=row.state, done=row.done or 0,  # type: ignore[arg-type]
        total=row.total or 0, note=row.note or "", error=row.error or "", result=row.result or {}, settings=shown,
        created=row.created, started=row.started, finished=row.finished,
    )  # fmt: skip


@router.get("/runs")
def list_runs(db: Db) -> list[RunOut]:
    return [run_out(row) for row in runs.recent(db)]


@router.get("/runs/{run_id}")
def get_run(run_id: IdInPath, db: Db) -> RunOut:
    return run_out(runs.get(db, run_id))


@router.post("/runs/{run_id}/cancel")
def cancel_run(run_id: IdInPath, db: Db) -> RunOut:
    return run_out(runs.cancel(db, run_id))


class Answer(BaseModel):
    """One of the choices that a run's result names."""

    choice: Annotated[str, Field(max_length=40)]


@router.post("/runs/{run_id}/answer", status_code=202)
def answer_run(run_id: IdInPath, body: Answer, db: Db, work: Work) -> RunOut:
    """Go on with what a run has asked about; a new run takes its place."""
    return run_out(ingest.answer(work, db, run_id, body.choice))


@router.delete("/runs/{run_id}", status_code=204)
def forget_run(run_id: IdInPath, db: Db, work: Work, after: BackgroundTasks) -> None:
    """Remove a run that has ended, and its files."""
    row = runs.get(db, run_id)
    if row.state not in runs.ENDED:
        raise BadInput("This work is still going on; cancel it first.")
    runs.delete(db, [row])
    after.add_task(remove_files, work, run_id)


@router.post("/shots/{shot_id}/tracks/{track_id}/run", status_code=202)
def track(shot_id: IdInPath, track_id: IdInPath, body: TrackWanted, db: Db) -> RunOut:
    """Track over a range of the footage's frames."""
    return run_out(start(db, Follow(shot=shot_id, track=track_id, **body.model_dump())))


@router.post("/shots/{shot_id}/mattes/{matte_id}/pieces/{piece_id}/carry", status_code=202)
def carry(shot_id: IdInPath, matte_id: IdInPath, piece_id: IdInPath, db: Db) -> RunOut:
    """Carry a cut-out's strokes through the whole of its footage that the shot shows."""
    return run_out(start(db, CarryCutout(shot=shot_id, matte=matte_id, piece=piece_id)))


class GuessWanted(BaseModel):
    frame: Annotated[int, Field(ge=0, le=MOST_FRAMES, description="of the footage")]


@router.post("/shots/{shot_id}/mattes/{matte_id}/pieces/{piece_id}/guess", status_code=202)
def guess(shot_id: IdInPath, matte_id: IdInPath, piece_id: IdInPath, body: GuessWanted, db: Db) -> RunOut:
    """Strokes for the people in a frame, as a cut-out's first guess."""
    return run_out(start(db, GuessPeople(shot=shot_id, matte=matte_id, piece=piece_id, frame=body.frame)))


@router.post("/shots/{shot_id}/renders", status_code=202)
def render(shot_id: IdInPath, body: RenderWanted, db: Db) -> RunOut:
    return run_out(start(db, Render(shot=shot_id, **body.model_dump())))


@router.post("/shots/{shot_id}/work/{kind}", status_code=202)
def work_on(shot_id: IdInPath, kind: Annotated[str, Path(max_length=40)], body: dict[str, Any], db: Db) -> RunOut:
    """Any kind of work on a shot, by its name and arguments (see `works` in /api/about)."""
    return run_out(start(db, wanted(kind, shot_id, body)))


@router.get("/runs/{run_id}/file", response_class=FileResponse)
def rendered_file(run_id: IdInPath, db: Db, work: Work, download: bool = False) -> FileResponse:
    row = runs.get(db, run_id)
    name = row.result.get("file")
    path = folder_of(work, row.id) / str(name)
    if not name or not path.is_file():
        raise NotFound("This render has no finished file.")
    return FileResponse(path, filename=name, content_disposition_type="attachment" if download else "inline")
