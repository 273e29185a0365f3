"""Rendering: a run cut into frame ranges, each recorded when it is whole; a last step joins them."""

from __future__ import annotations

import shutil
import zipfile
from fractions import Fraction
from pathlib import Path
from typing import Any

from sqlalchemy import func, select, update

from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.progress import Ticker
from tropein.app.jobs.queue import defer
from tropein.app.store import runs
from tropein.app.store.database import transaction
from tropein.app.store.models import ChunkRow, RunRow
from tropein.core.compose.loop import plate_sound, render_part, target_of
from tropein.core.compose.render import Renderer
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import Cancelled
from tropein.core.media.encode import MOVIES, SUFFIX, join
from tropein.core.media.source import Sources

CHUNK_FRAMES = 24
CACHE_BYTES = 512 << 20


def folder_of(context: WorkContext, run_id: str) -> Path:
    return context.settings.renders / run_id


def run_chunk(context: WorkContext, run_id: str, number: int) -> None:
    """Render one chunk, unless it is done or the run has ended; the last one to finish queues the joining."""
    with transaction(context.engine) as session:
        if not runs.start(session, run_id):
            return
        run = runs.get(session, run_id)
        chunk = session.get(ChunkRow, (run_id, number), with_for_update=True)
        if chunk is None or chunk.state == "done":
            return
        chunk.state, chunk.attempts, chunk.done = "running", chunk.attempts + 1, 0
        first, last, params, total = chunk.first, chunk.last, dict(run.params), run.total
    shot = load_shot(params["document"])
    folder = folder_of(context, run_id)
    folder.mkdir(parents=True, exist_ok=True)
    ticker = Ticker(context, run_id)
    sources = Sources(context.library.store, final=True)
    renderer = Renderer(sources, context.artefacts.path, CACHE_BYTES, context.artefacts.cutout)

    def tick(frame: int) -> None:
        if ticker.due():
            with transaction(context.engine) as session:
                session.execute(
                    update(ChunkRow)
                    .where(ChunkRow.run_id == run_id, ChunkRow.number == number)
                    .values(done=frame - first + 1)
                )
                done = session.scalar(select(func.sum(ChunkRow.done)).where(ChunkRow.run_id == run_id)) or 0
            ticker.tick(int(done), total, f"frame {frame}", force=True)

    try:
        render_part(
            renderer,
            shot,
            first,
            last,
            params["scale"],
            params["format"],
            part_path(folder, number, params),
            tick,
            params.get("matte"),
        )
    finally:
        sources.close()
    _finished(context, run_id, number, total)


def part_path(folder: Path, number: int, params: dict[str, Any]) -> Path:
    """Movies are rendered in parts; pictures go to their final folder at once."""
    if params["format"] in MOVIES:
        return folder / f"part-{number:05d}{SUFFIX[params['format']]}"
    return folder / "frames" / f"{params['stem']}_%04d{SUFFIX[params['format']]}"


def _finished(context: WorkContext, run_id: str, number: int, total: int) -> None:
    with transaction(context.engine) as session:
        run = session.get(RunRow, run_id, with_for_update=True)  # the lock makes the count exact
        chunk = session.get(ChunkRow, (run_id, number))
        if run is None or chunk is None:
            return
        chunk.state, chunk.done = "done", chunk.last - chunk.first + 1
        session.flush()
        left = session.scalar(select(func.count()).where(ChunkRow.run_id == run_id, ChunkRow.state != "done"))
        done = session.scalar(select(func.sum(ChunkRow.done)).where(ChunkRow.run_id == run_id)) or 0
        runs.progress(session, run_id, int(done), total, "")
        if left == 0 and run.state == "running":
            run.state = "finishing"
            defer(session, "finish_render", run_id=run_id)


def run_finish(context: WorkContext, run_id: str) -> dict[str, Any]:
    """Join movie parts with the plate's sound, or pack pictures into one zip to download."""
    with transaction(context.engine) as session:
        run = runs.get(session, run_id)
        if run.state != "finishing":
            raise Cancelled("Cancelled.")
        params = dict(run.params)
        ranges = [(c.number, c.first, c.last) for c in runs.chunks(session, run_id)]
    shot = load_shot(params["document"])
    folder = folder_of(context, run_id)
    stem, form = params["stem"], params["format"]
    if form in MOVIES:
        out = folder / f"{stem}{SUFFIX[form]}"
        parts = [(part_path(folder, n, params), last - first + 1) for n, first, last in ranges]
        sound, start = plate_sound(shot, context.library.store, ranges[0][1])
        hidden = folder / f".joining{SUFFIX[form]}"
        join(parts, hidden, target_of(shot, params["scale"], form), sound, start)
        hidden.replace(out)
        for path, _ in parts:
            path.unlink(missing_ok=True)
    else:
        out = folder / f"{stem}.zip"
        hidden = folder / ".packing.zip"
        with zipfile.ZipFile(hidden, "w", zipfile.ZIP_STORED) as archive:
            for path in sorted((folder / "frames").iterdir()):
                archive.write(path, f"{stem}/{path.name}")
        hidden.replace(out)
    seconds = float((ranges[-1][2] - ranges[0][1] + 1) / Fraction(shot.rate))
    return {"file": out.name, "bytes": out.stat().st_size, "seconds": seconds, "playable": form == "h264"}


def remove_files(context: WorkContext, run_id: str) -> None:
    shutil.rmtree(folder_of(context, run_id), ignore_errors=True)
