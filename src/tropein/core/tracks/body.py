"""Parts of bodies."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from tropein.core.document import TRACKS, TrackBase, Vec2
from tropein.core.document.body import BodyPart
from tropein.core.document.track import HandSet
from tropein.core.errors import Cancelled
from tropein.core.media.colour_frames import ColourFrames
from tropein.core.track.body import follow_body
from tropein.core.track.forms.point import PointFile, point_sample
from tropein.core.track.job import Heard, Job, Measured
from tropein.core.track.point import Anchor, Found


@TRACKS.add
class BodyTrack(TrackBase):
    """A part of a body, found by itself in every frame: of whoever has it nearest to `near` in the reference frame, else of
    the largest. Its samples are those of one point."""

    title: ClassVar[str] = "A part of a body"
    begins: ClassVar[str] = "click"
    directed: ClassVar[bool] = False
    kind: Literal["body"] = "body"
    part: BodyPart = "right index fingertip"
    near: Vec2 | None = None
    hand_set: list[HandSet] = Field(default_factory=list, max_length=10_000)

    @property
    def parts(self) -> tuple[str, ...]:
        return ("position",)

    def measure(self, job: Job) -> Measured:
        pictures = ColourFrames(job.store, job.footage.media)
        heard: dict[int, Found] = {}

        def hear(f: Found) -> None:
            heard[f.frame] = f
            job.report(Heard(f.frame, f.xy, f.confidence, f.lost))

        hand = [Anchor(h.frame, h.position) for h in self.hand_set]
        try:
            found = follow_body(pictures, self.part, self.reference_frame, job.span, self.near, hand, hear)
            cancelled = False
        except Cancelled:
            found, cancelled = heard, True
        finally:
            pictures.close()
        earlier = job.known.frames if isinstance(job.known, PointFile) else []
        rows = {s.frame: s for s in earlier if s.frame not in found} | {f: point_sample(f, [found[f]]) for f in found}
        return Measured(PointFile(**job.head(""), frames=[rows[f] for f in sorted(rows)]), cancelled)
