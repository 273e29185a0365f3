"""Tracking something in a shot's footage; what was found is kept however the run ends."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.kind import WORKS, Begun, WorkBase
from tropein.app.jobs.outcome import Ended, Outcome
from tropein.app.jobs.progress import Ticker
from tropein.app.store import shots
from tropein.app.store.database import transaction
from tropein.core.compose.render import Renderer
from tropein.core.compose.timing import shot_frame
from tropein.core.document import Id, Shot, Track
from tropein.core.document.base import FrameNumber
from tropein.core.errors import BadInput, NotFound
from tropein.core.media.source import Sources
from tropein.core.raster.coverage import seen_from
from tropein.core.raster.picture import Window
from tropein.core.raster.warp import scaling
from tropein.core.track.file import FileBase
from tropein.core.track.follow import Direction
from tropein.core.track.job import Heard, Job
from tropein.core.track.masked import Ignore

MATTE_CACHE_BYTES, MATTE_WIDTH = 128 << 20, 960


@WORKS.add
class Follow(WorkBase):
    """Tracks over first..last, frames of the footage."""

    title: ClassVar[str] = "Track"
    kind: Literal["track"] = "track"
    track: Id
    direction: Direction = "both"
    first: FrameNumber
    last: FrameNumber

    def begin(self, session: Session) -> Begun:
        shot, track = self._found(session)
        frames = shot.footage[track.footage].frames
        if not self.first <= track.reference_frame <= self.last < frames:
            raise BadInput(f"The range must hold the reference frame {track.reference_frame} and end before {frames}.")
        return Begun(f"Track {track.name}", self.last - self.first + 1)

    def run(self, context: WorkContext, run_id: str) -> Outcome:
        with transaction(context.engine) as session:
            shot, track = self._found(session)
        live = Live(Ticker(context, run_id), (self.last - self.first + 1) * track.passes, self.track)
        done = track.measure(
            Job(
                context.library.store, shot.footage[track.footage], track, (self.first, self.last), self.direction,
                _known(context, track), live, ignored(context, shot, track),
            )
        )  # fmt: skip

        def store(session: Session) -> Ended:
            shot, track = self._found(session)
            file = track.part_of(done.file)
            lost, note, samples = sum(s.lost for s in file.frames), file.note(), context.artefacts.put_track(file)
            at = f"/tracks/{track.id}"
            ops: list[dict[str, Any]] = [
                {"op": "add", "path": f"{at}/samples", "value": samples},
                {"op": "add", "path": f"{at}/lost_frames", "value": lost},
                {"op": "add", "path": f"{at}/note", "value": note},
            ]
            shots.apply(session, self.shot or "", None, f"track {track.name}", ops, "worker")
            if done.cancelled:
                return Ended(state="cancelled", note="Cancelled; what was tracked so far is kept.")
            return Ended({"lost": lost, "frames": len(file.frames), "note": note})

        return Outcome(store, kept_when_cancelled=done.cancelled)

    def _found(self, session: Session) -> tuple[Shot, Track]:
        shot = shots.shot_of(session, self.shot or "")
        track = shot.tracks.get(self.track)
        if track is None:
            raise NotFound("This track does not exist (any more).")
        return shot, track


def ignored(context: WorkContext, shot: Shot, track: Track) -> Ignore | None:
    """What of the footage does not count, from the matte the track ignores."""
    if track.ignore is None:
        return None
    renderer = Renderer(
        Sources(context.library.store, final=False), context.artefacts.path, MATTE_CACHE_BYTES, context.artefacts.cutout
    )
    footage = shot.footage[track.footage]
    plate = shot.layers.get(shot.plate or "")
    shown_by = plate if plate is not None and plate.footage == track.footage else None
    window = Window(0, 0, *footage.size)
    scale = min(1.0, MATTE_WIDTH / shot.size[0])

    def mask(frame: int) -> NDArray[np.bool_]:
        at = frame if shown_by is None else shot_frame(shot, shown_by, frame)
        coverage = renderer.matte(shot, track.ignore or "", at, scale)
        matrix = scaling(scale, scale) @ renderer.planner(shot).places.with_plate(track.footage, at)
        inside = seen_from(coverage, matrix, window).plane > 0.5
        return inside if track.ignore_side == "inside" else ~inside

    return mask


def _known(context: WorkContext, track: Track) -> FileBase | None:
    if track.samples is None:
        return None
    try:
        return context.artefacts.track(track.samples)
    except NotFound:
        return None


class Live:
    """Hears every frame; passes the new ones on with each progress message."""

    def __init__(self, ticker: Ticker, total: int, track_id: str) -> None:
        self.ticker, self.total, self.track_id = ticker, total, track_id
        self._count = 0
        self._new: list[Heard] = []

    def __call__(self, heard: Heard) -> None:
        self._count += 1
        self._new.append(heard)
        if self.ticker.due():
            news = [
                [h.frame, round(h.xy[0], 2), round(h.xy[1], 2), round(h.confidence, 3), int(h.lost)]
                + [round(v, 1) for corner in h.corners for v in corner]
                for h in self._new[-100:]
            ]
            self._new.clear()
            done = min(self._count, self.total)
            self.ticker.tick(done, self.total, f"frame {heard.frame}", track=self.track_id, samples=news)
