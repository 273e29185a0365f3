"""Rendering: a run cut into frame ranges, each recorded when it is whole; a last step joins them."""

from __future__ import annotations

import shutil
import zipfile
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Annotated, Any, ClassVar, Literal

from pydantic import Field
from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.kind import WORKS, Begun, WorkBase
from tropein.app.jobs.outcome import Ended, Outcome, waiting
from tropein.app.jobs.progress import Ticker
from tropein.app.jobs.queue import defer
from tropein.app.jobs.renderers import forget, rendering
from tropein.app.store import runs, shots
from tropein.app.store.database import transaction
from tropein.app.store.models import ChunkRow, RunRow
from tropein.core.compose.loop import plate_sound, render_part, target_of
from tropein.core.document import Id
from tropein.core.document.base import FrameNumber
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import BadInput, Cancelled, TropeinError
from tropein.core.files import whole
from tropein.core.media.encode import MOVIES, SUFFIX, Format, join

MOST_FRAMES, LEAST_FRAMES, SHARES = 24, 4, 4  # of a part; of what is left a part takes one in so many


class WorkerDied(TropeinError):
    """What was to be made ended its worker too often."""

    code = "worker-died"


def parts_of(first: int, last: int) -> Iterator[tuple[int, int]]:
    """A range of frames in parts, first and last of each: ever shorter ones towards the end, so that no worker is left with much to do
    when the others have ended (guided self-scheduling, Polychronopoulos & Kuck 1987)."""
    while first <= last:
        left = last - first + 1
        count = max(LEAST_FRAMES, min(MOST_FRAMES, -(-left // SHARES)))
        end = last if left - count < LEAST_FRAMES else first + count - 1
        yield first, end
        first = end + 1


def folder_of(context: WorkContext, run_id: str) -> Path:
    return context.settings.renders / run_id


@WORKS.add
class Render(WorkBase):
    """Renders a stretch of a shot as it was when it was asked for."""

    title: ClassVar[str] = "Render"
    kind: Literal["render"] = "render"
    format: Format = "h264"
    first: FrameNumber
    last: FrameNumber
    scale: Annotated[float, Field(gt=0.01, le=2)] = 1.0
    matte: Annotated[Id | None, Field(description="only this matte's coverage, not the picture")] = None
    document: dict[str, Any] = {}
    revision: int = 0
    stem: str = ""

    def begin(self, session: Session) -> Begun:
        row = shots.row_of(session, self.shot or "")
        shot = shots.shot_of(session, row.id)
        if not self.first <= self.last < shot.frames:
            raise BadInput(f"The range {self.first}-{self.last} does not lie within the shot's {shot.frames} frames.")
        matte = shot.mattes.get(self.matte) if self.matte else None
        if self.matte and matte is None:
            raise BadInput("The matte to render is not in the shot (any more).")
        what = f"{shot.name}, {matte.name}" if matte else shot.name
        self.document = shots.document_of(session, row)
        self.revision, self.stem = row.revision, shots.file_stem(what)
        return Begun(f"Render {what}", self.last - self.first + 1, tuple(parts_of(self.first, self.last)))

    def part(self, context: WorkContext, run_id: str, number: int) -> Outcome | None:
        """Render one chunk, unless it is done or the run has ended; the last one to finish queues the joining. What is found whole
        on the disk is not done again."""
        with transaction(context.engine) as session:
            if not runs.start(session, run_id, counted=False):
                forget(run_id)
                return None
            run = runs.get(session, run_id)
            chunk = session.get(ChunkRow, (run_id, number), with_for_update=True)
            if chunk is None or chunk.state == "done":
                return None
            chunk.attempts += 1
            if chunk.attempts > runs.MOST_ATTEMPTS:
                raise WorkerDied(runs.GIVEN_UP)
            chunk.state, chunk.done, chunk.machine = "running", 0, context.settings.machine
            first, last, total = chunk.first, chunk.last, run.total
        path = self._path(folder_of(context, run_id), number)
        ticker = Ticker(context, run_id)

        def tick(frame: int) -> None:
            def count(session: Session) -> None:
                chunk = update(ChunkRow).where(ChunkRow.run_id == run_id, ChunkRow.number == number)
                session.execute(chunk.values(done=frame - first + 1))
                done = session.scalar(select(func.sum(ChunkRow.done)).where(ChunkRow.run_id == run_id)) or 0
                runs.progress(session, run_id, int(done), total, f"frame {frame}")

            ticker.tell(count)
            ticker.give_way()

        if self.format not in MOVIES or not path.exists():
            with rendering(context, run_id, self.document) as own:

                def tick_sharing(frame: int) -> None:
                    tick(frame)
                    own.share_cores()

                own.share_cores()
                render_part(
                    own.renderer, own.shot, first, last, self.scale, self.format, path, tick_sharing, self.matte,
                    again=False,
                )  # fmt: skip
        if not waiting(context, lambda session: _finished(session, run_id, number)):
            forget(run_id)
        return None

    def finish(self, context: WorkContext, run_id: str) -> Outcome:
        """Join movie parts with the plate's sound, or pack pictures into one zip to download. Parts go only once the film is
        recorded; a film that is there already is whole, and is taken."""
        with transaction(context.engine) as session:
            run = session.get(RunRow, run_id, with_for_update=True)
            if run is None or run.state != "finishing":
                raise Cancelled("Cancelled.")
            run.attempts += 1
            if run.attempts > runs.MOST_ATTEMPTS:
                raise WorkerDied(runs.GIVEN_UP)
            ranges = [(c.number, c.first, c.last) for c in runs.chunks(session, run_id)]
        shot = load_shot(self.document)
        folder = folder_of(context, run_id)
        stem, form = self.stem, self.format
        parts = [(self._path(folder, n), last - first + 1) for n, first, last in ranges]
        out = folder / (f"{stem}{SUFFIX[form]}" if form in MOVIES else f"{stem}.zip")
        if not out.exists():
            with whole(out) as hidden:
                if form in MOVIES:
                    sound, start = plate_sound(shot, context.library.store, ranges[0][1])
                    join(parts, hidden, target_of(shot, self.scale, form), sound, start)
                else:
                    with zipfile.ZipFile(hidden, "w", zipfile.ZIP_STORED) as archive:
                        for frame in range(ranges[0][1], ranges[-1][2] + 1):
                            path = Path(str(parts[0][0]) % frame)
                            archive.write(path, f"{stem}/{path.name}")
        seconds = float((ranges[-1][2] - ranges[0][1] + 1) / Fraction(shot.rate))
        result = {"file": out.name, "bytes": out.stat().st_size, "seconds": seconds, "playable": form == "h264"}

        def tidy() -> None:
            for path, _ in parts if form in MOVIES else ():
                path.unlink(missing_ok=True)

        return Outcome(lambda session: Ended(result), kept_when_cancelled=True, after=tidy)

    def _path(self, folder: Path, number: int) -> Path:
        """Movies are rendered in parts; pictures go to their final folder at once."""
        if self.format in MOVIES:
            return folder / f"part-{number:05d}{SUFFIX[self.format]}"
        return folder / "frames" / f"{self.stem}_%04d{SUFFIX[self.format]}"


def _finished(session: Session, run_id: str, number: int) -> bool:
    """Whether parts of it still wait to be taken up."""
    run = session.get(RunRow, run_id, with_for_update=True)  # the lock makes the count exact
    chunk = session.get(ChunkRow, (run_id, number))
    if run is None or chunk is None:
        return False
    chunk.state, chunk.done = "done", chunk.last - chunk.first + 1
    session.flush()
    left = session.scalar(select(func.count()).where(ChunkRow.run_id == run_id, ChunkRow.state != "done"))
    done = session.scalar(select(func.sum(ChunkRow.done)).where(ChunkRow.run_id == run_id)) or 0
    if run.state in runs.LIVE:
        runs.progress(session, run_id, int(done), run.total, "")
    if left == 0 and run.state == "running":
        run.state = "finishing"
        defer(session, "finish", soon=True, run_id=run_id)
    waits = select(func.count()).where(ChunkRow.run_id == run_id, ChunkRow.state == "waiting")
    return bool(session.scalar(waits))


def remove_files(context: WorkContext, run_id: str) -> None:
    shutil.rmtree(folder_of(context, run_id), ignore_errors=True)
