"""The picture as a whole."""

from __future__ import annotations

from typing import ClassVar, Literal

from tropein.core.document import TRACKS, TrackBase
from tropein.core.media.grey import GreyFrames
from tropein.core.track.forms.point import PointFile, PointSample
from tropein.core.track.job import Heard, Job, Measured
from tropein.core.track.picture import follow_picture


@TRACKS.add
class PictureTrack(TrackBase):
    """The picture as a whole: how most of it shifts, turns and grows, for holding it still."""

    title: ClassVar[str] = "The picture"
    begins: ClassVar[str] = "at once"
    directed: ClassVar[bool] = False
    kind: Literal["picture"] = "picture"

    def measure(self, job: Job) -> Measured:
        """Two places near the middle, carried by the motion of the whole: they say how it shifts, turns and grows."""
        frames = GreyFrames(job.store, job.footage.media)
        middle = (job.footage.size[0] / 2, job.footage.size[1] / 2)
        try:
            found = follow_picture(
                job.frames(frames), job.span, lambda f, lost: job.report(Heard(f, middle, 0.0 if lost else 1.0, lost))
            )
        finally:
            frames.close()
        rows = [
            PointSample(
                frame=f, confidence=0.0 if lost else 1.0, lost=lost, reason="no motion is shared by the picture: a cut?" if lost else "",
                points=[(round(float(x), 4), round(float(y), 4)) for x, y in points], point_confidence=[0.0 if lost else 1.0] * 2,
            )
            for f, points, lost in found
        ]  # fmt: skip
        return Measured(PointFile(**job.head(""), frames=rows))
