"""Objects in boxes."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from tropein.core.document import TRACKS, TrackBase
from tropein.core.document.track import BoxAt, HandSetBox
from tropein.core.errors import Cancelled
from tropein.core.media.colour_frames import ColourFrames
from tropein.core.raster.warp import apply
from tropein.core.track.box import Box, ObjectAnchor, ObjectFound
from tropein.core.track.follow import Wish, follow_object
from tropein.core.track.forms.object import ObjectFile, found_object, object_sample
from tropein.core.track.job import Heard, Job, Measured
from tropein.core.track.masked import MaskedColours


@TRACKS.add
class ObjectTrack(TrackBase):
    """A thing followed by a box around it, while it turns, comes nearer and changes shape."""

    title: ClassVar[str] = "An object"
    begins: ClassVar[str] = "box"
    kind: Literal["object"] = "object"
    box: BoxAt
    hand_set: list[HandSetBox] = Field(default_factory=list, max_length=10_000)

    def measure(self, job: Job) -> Measured:
        pictures = ColourFrames(job.store, job.footage.media)
        earlier = job.known.frames if isinstance(job.known, ObjectFile) else []
        seen = {s.frame: p for s in earlier if job.keeps(s.frame) and (p := found_object(s)) is not None}
        stopped, cancelled = "", False

        def hear(f: ObjectFound) -> None:
            seen[f.frame] = f
            edges = apply(f.box.matrix(), np.array([[-1, -1], [1, -1], [1, 1], [-1, 1.0]])) + 0.5
            corners = tuple((float(x), float(y)) for x, y in edges)
            job.report(Heard(f.frame, (float(f.box.centre[0]), float(f.box.centre[1])), f.confidence, f.lost, corners))

        def anchor(frame: int, box: BoxAt) -> ObjectAnchor:
            return ObjectAnchor(frame, Box(np.array(box.centre), np.array(box.sides), box.angle_deg))

        try:
            wish = Wish(job.span, job.direction, hear)
            frames = MaskedColours(pictures, job.ignore) if job.ignore else pictures
            hand = [anchor(h.frame, h.box) for h in self.hand_set]
            found, stopped = follow_object(frames, anchor(self.reference_frame, self.box), hand, wish, seen)
            seen.update(found)
        except Cancelled:
            cancelled = True
        finally:
            pictures.close()
        rows = [object_sample(seen[f]) for f in sorted(seen)]
        return Measured(ObjectFile(**job.head(stopped), frames=rows), cancelled)
