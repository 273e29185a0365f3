"""Planes."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from tropein.core.document import TRACKS, TrackBase
from tropein.core.document.track import Corners, HandSetCorners
from tropein.core.errors import Cancelled
from tropein.core.media.grey import GreyFrames
from tropein.core.track.follow import Wish, follow_plane
from tropein.core.track.forms.plane import PlaneFile, found_plane, plane_sample
from tropein.core.track.job import Heard, Job, Measured
from tropein.core.track.plane import PlaneAnchor, PlaneFound


@TRACKS.add
class PlaneTrack(TrackBase):
    """A flat thing followed by its four corners, clockwise from top left, in full-size footage pixels."""

    title: ClassVar[str] = "A plane"
    begins: ClassVar[str] = "corners"
    kind: Literal["plane"] = "plane"
    corners: Corners
    hand_set: list[HandSetCorners] = Field(default_factory=list, max_length=10_000)

    @property
    def parts(self) -> tuple[str, ...]:
        return ("perspective",)

    def measure(self, job: Job) -> Measured:
        frames = GreyFrames(job.store, job.footage.media)
        earlier = job.known.frames if isinstance(job.known, PlaneFile) else []
        before = {s.frame: p for s in earlier if job.keeps(s.frame) and (p := found_plane(s)) is not None}
        seen, stopped, cancelled = dict(before), "", False

        def hear(f: PlaneFound) -> None:
            seen[f.frame] = f
            corners = tuple((float(x), float(y)) for x, y in f.corners)
            middle = (float(f.corners[:, 0].mean()), float(f.corners[:, 1].mean()))
            job.report(Heard(f.frame, middle, f.confidence, f.lost, corners))

        reference = np.array(self.corners)
        try:
            hand = [PlaneAnchor(h.frame, np.array(h.corners)) for h in self.hand_set]
            wish = Wish(job.span, job.direction, hear)
            seen, stopped = follow_plane(
                job.frames(frames), PlaneAnchor(self.reference_frame, reference), hand, wish, before
            )
        except Cancelled:
            cancelled = True
        finally:
            frames.close()
        rows = [plane_sample(seen[f], reference) for f in sorted(seen)]
        return Measured(PlaneFile(**job.head(stopped), frames=rows), cancelled)
