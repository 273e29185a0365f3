"""Tracking a point of a shot's footage; what was found is kept however the run ends."""

from __future__ import annotations

from typing import Any

from tropein.app.jobs.context import WorkContext
from tropein.app.jobs.progress import Ticker
from tropein.app.store import shots
from tropein.app.store.database import transaction
from tropein.core.document import PointTrack
from tropein.core.document.upgrade import load_shot
from tropein.core.errors import Cancelled, NotFound
from tropein.core.media.grey import GreyFrames
from tropein.core.track.file import Sample, TrackFile
from tropein.core.track.follow import follow
from tropein.core.track.point import Anchor, Found


def run_track(context: WorkContext, run_id: str, params: dict[str, Any]) -> dict[str, Any]:
    shot_id, track_id = params["shot"], params["track"]
    with transaction(context.engine) as session:
        shot = load_shot(shots.row_of(session, shot_id).document)
    track = shot.tracks.get(track_id)
    if track is None:
        raise NotFound("This track was deleted.")
    footage = shot.footage[track.footage]
    frames = GreyFrames(context.library.store, footage.media)
    known = _known(context, track)
    known = {
        f: s for f, s in known.items() if not params["first"] <= f <= params["last"] or params["direction"] != "both"
    }
    live = Live(Ticker(context, run_id), params["last"] - params["first"] + 1, track_id)
    found, stopped, cancelled = dict(known), "", False
    try:
        found, stopped = follow(
            frames, Anchor(track.reference_frame, track.position), [Anchor(h.frame, h.position) for h in track.hand_set],
            (params["first"], params["last"]), params["direction"], track.pattern_px, track.reach_px, live, known,
        )  # fmt: skip
    except Cancelled:
        cancelled = True
        found = {**known, **live.seen}
    finally:
        frames.close()
    result = TrackFile(
        source=footage.name, size=footage.size, rate=footage.rate, reference_frame=track.reference_frame,
        frames=[as_sample(found[f]) for f in sorted(found)], stopped=stopped,
    )  # fmt: skip
    name = context.artefacts.put_track(result)
    lost = sum(f.lost for f in found.values())
    note = say(found, lost, stopped)
    with transaction(context.engine) as session:
        ops: list[dict[str, Any]] = [
            {"op": "add", "path": f"/tracks/{track_id}/samples", "value": name},
            {"op": "add", "path": f"/tracks/{track_id}/lost_frames", "value": lost},
            {"op": "add", "path": f"/tracks/{track_id}/note", "value": note},
        ]
        shots.apply(session, shot_id, None, f"track {track.name}", ops, "worker")
    if cancelled:
        raise Cancelled("Cancelled; what was tracked so far is kept.")
    return {"lost": lost, "frames": len(found), "note": note}


def say(found: dict[int, Found], lost: int, stopped: str) -> str:
    """What a person should know of the result, in one sentence or two."""
    if not lost and not stopped:
        return ""
    worst = sorted(f for f in found if found[f].lost)
    where = found[worst[0]]
    text = (
        f"Lost from frame {worst[0]}: {where.reason}."
        if len(worst) > 1
        else f"Lost at frame {worst[0]}: {where.reason}."
    )
    rest = "It stopped there. " if stopped else f"{lost} frames are lost in all. "
    return f"{text} {rest}Set it by hand at a later frame to bridge the gap, or end the ride before it."


def as_sample(found: Found) -> Sample:
    confidence = round(min(max(found.confidence, 0.0), 1.0), 4)
    xy = (round(found.xy[0], 4), round(found.xy[1], 4))
    return Sample(
        frame=found.frame,
        confidence=confidence,
        lost=found.lost,
        points=[xy],
        point_confidence=[confidence],
        reason=found.reason,
    )


def _known(context: WorkContext, track: PointTrack) -> dict[int, Found]:
    if track.samples is None:
        return {}
    try:
        file = context.artefacts.track(track.samples)
    except NotFound:
        return {}
    return {s.frame: Found(s.frame, s.points[0] or (0.0, 0.0), s.confidence, s.lost, s.reason) for s in file.frames}


class Live:
    """Hears every frame; passes the new ones on with each progress message."""

    def __init__(self, ticker: Ticker, total: int, track_id: str) -> None:
        self.ticker, self.total, self.track_id = ticker, total, track_id
        self.seen: dict[int, Found] = {}
        self._new: list[Found] = []

    def __call__(self, found: Found) -> None:
        self.seen[found.frame] = found
        self._new.append(found)
        if self.ticker.due():
            news = [
                [f.frame, round(f.xy[0], 2), round(f.xy[1], 2), round(f.confidence, 3), int(f.lost)]
                for f in self._new[-150:]
            ]
            self._new.clear()
            self.ticker.tick(len(self.seen), self.total, f"frame {found.frame}", track=self.track_id, samples=news)
