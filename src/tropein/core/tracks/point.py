"""Points."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from tropein.core.document import TRACKS, TrackBase, Vec2
from tropein.core.document.track import HandSet
from tropein.core.errors import Cancelled
from tropein.core.media.grey import GreyFrames
from tropein.core.track.cuts import Cuts
from tropein.core.track.follow import Wish, follow
from tropein.core.track.forms.point import PointFile, found_point, point_sample
from tropein.core.track.job import Heard, Job, Measured
from tropein.core.track.motion import MotionBetween
from tropein.core.track.patches import Matching
from tropein.core.track.point import Anchor, Found
from tropein.core.track.shutter import ShutterGuess


@TRACKS.add
class PointTrack(TrackBase):
    """One or more features followed through footage; from two on they also give rotation and scale.

    `pattern_px` is half the side of the small reference patch, `reach_px` how far a frame's search goes. `more` are
    further points, in the reference frame as `position` is. `match_...`: what may differ from the reference: light, turn and size,
    motion blur.
    """

    title: ClassVar[str] = "Points"
    begins: ClassVar[str] = "click"
    kind: Literal["point"] = "point"
    position: Vec2 = (0.0, 0.0)
    more: list[Vec2] = Field(default_factory=list, max_length=63)
    pattern_px: Annotated[int, Field(ge=7, le=60)] = 15
    reach_px: Annotated[int, Field(ge=8, le=200)] = 40
    match_light: bool = True
    match_turn: bool = True
    match_blur: bool = True
    hand_set: list[HandSet] = Field(default_factory=list, max_length=10_000)

    @property
    def points(self) -> list[Vec2]:
        return [self.position, *self.more]

    @property
    def passes(self) -> int:
        return len(self.points)

    def measure(self, job: Job) -> Measured:
        frames = GreyFrames(job.store, job.footage.media)
        motion, shutter = MotionBetween(), ShutterGuess()
        how = Matching(self.pattern_px, self.reach_px, self.match_light, self.match_turn, self.match_blur)
        cuts = Cuts(frames.frame)
        earlier = job.known.frames if isinstance(job.known, PointFile) else []
        found: list[dict[int, Found]] = []
        stopped, cancelled = "", False
        try:
            for k, place in enumerate(self.points):
                before = {s.frame: p for s in earlier if job.keeps(s.frame) and (p := found_point(s, k)) is not None}
                seen = dict(before)
                found.append(seen)

                def hear(f: Found, seen: dict[int, Found] = seen) -> None:
                    seen[f.frame] = f
                    job.report(Heard(f.frame, f.xy, f.confidence, f.lost))

                hand = [Anchor(h.frame, h.position) for h in self.hand_set if h.point == k]
                wish = Wish(job.span, job.direction, hear, cuts)
                reference = Anchor(self.reference_frame, place)
                _, why = follow(job.frames(frames), reference, hand, wish, how, before, motion, shutter)
                stopped = stopped or why
        except Cancelled:
            cancelled = True
        finally:
            frames.close()
        every = sorted(set().union(*found))
        rows = [point_sample(f, [p.get(f) for p in found]) for f in every]
        degrees = round(360 * shutter.share, 1) if shutter.known else None
        return Measured(PointFile(**job.head(stopped), frames=rows, shutter_deg=degrees), cancelled)
