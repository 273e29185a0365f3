"""Points."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import Field, model_validator

from tropein.core.document import TRACKS, Id, TrackBase, Vec2
from tropein.core.document.base import Model, listed
from tropein.core.document.track import HandSet
from tropein.core.errors import Cancelled
from tropein.core.media.grey import GreyFrames
from tropein.core.track.cuts import Cuts
from tropein.core.track.file import FileBase
from tropein.core.track.follow import Wish, follow
from tropein.core.track.forms.point import PointFile, found_point, point_sample
from tropein.core.track.job import Heard, Job, Measured
from tropein.core.track.motion import MotionBetween
from tropein.core.track.patches import Matching
from tropein.core.track.point import Anchor, Found
from tropein.core.track.shutter import ShutterGuess

MOST_POINTS = 64


class Followed(Model):
    """One point of a track: where it is in the reference frame, and where the user put it right."""

    id: Id
    position: Vec2 = (0.0, 0.0)
    hand_set: list[HandSet] = Field(default_factory=list, max_length=10_000)


@TRACKS.add
class PointTrack(TrackBase):
    """One or more features followed through footage; from two on they also give rotation and scale.

    `pattern_px` is half the side of the small reference patch, `reach_px` how far a frame's search goes. `match_...`: what may
    differ from the reference: light, turn and size, motion blur. A track of a single point may be given by its `position` alone.
    """

    title: ClassVar[str] = "Points"
    begins: ClassVar[str] = "click"
    kind: Literal["point"] = "point"
    points: dict[Id, Followed] = Field(min_length=1, max_length=MOST_POINTS)
    order: list[Id] = Field(max_length=MOST_POINTS)
    pattern_px: Annotated[int, Field(ge=7, le=60)] = 15
    reach_px: Annotated[int, Field(ge=8, le=200)] = 40
    match_light: bool = True
    match_turn: bool = True
    match_blur: bool = True

    @model_validator(mode="before")
    @classmethod
    def _by_id(cls, data: Any) -> Any:
        return with_points_by_id(data) if isinstance(data, dict) and "points" not in data else data

    @model_validator(mode="after")
    def _order_holds(self) -> Self:
        listed(self.points, self.order, f"the points of {self.name}")
        return self

    @classmethod
    def at(cls, *places: Vec2, **more: Any) -> Self:
        """A track of points at places in its reference frame."""
        points = {f"p{k + 1}": Followed(id=f"p{k + 1}", position=place) for k, place in enumerate(places)}
        return cls(points=points, order=list(points), **more)

    @property
    def in_order(self) -> list[Followed]:
        return [self.points[i] for i in self.order]

    @property
    def parts(self) -> tuple[str, ...]:
        return ("position", "rotation", "scale") if len(self.points) > 1 else ("position",)

    @property
    def passes(self) -> int:
        return len(self.points)

    def part_of(self, file: FileBase) -> FileBase:
        return file.only(self.order) if isinstance(file, PointFile) and file.ids else file

    def measure(self, job: Job) -> Measured:
        frames = GreyFrames(job.store, job.footage.media)
        motion, shutter = MotionBetween(), ShutterGuess()
        how = Matching(self.pattern_px, self.reach_px, self.match_light, self.match_turn, self.match_blur)
        cuts = Cuts(frames.frame)
        known = job.known if isinstance(job.known, PointFile) else None
        earlier = known.frames if known else []
        columns = {name: k for k, name in enumerate(known.ids or self.order)} if known else {}
        found: list[dict[int, Found]] = []
        stopped, cancelled = "", False
        try:
            for point in self.in_order:
                k = columns.get(point.id, MOST_POINTS)
                before = {s.frame: p for s in earlier if job.keeps(s.frame) and (p := found_point(s, k)) is not None}
                seen = dict(before)
                found.append(seen)

                def hear(f: Found, seen: dict[int, Found] = seen) -> None:
                    seen[f.frame] = f
                    job.report(Heard(f.frame, f.xy, f.confidence, f.lost))

                hand = [Anchor(h.frame, h.position) for h in point.hand_set]
                wish = Wish(job.span, job.direction, hear, cuts)
                reference = Anchor(self.reference_frame, point.position)
                _, why = follow(job.frames(frames), reference, hand, wish, how, before, motion, shutter)
                stopped = stopped or why
        except Cancelled:
            cancelled = True
        finally:
            frames.close()
        every = sorted(set().union(*found))
        rows = [point_sample(f, [p.get(f) for p in found]) for f in every]
        degrees = round(360 * shutter.share, 1) if shutter.known else None
        ids = self.order[: len(found)]
        return Measured(PointFile(**job.head(stopped), ids=ids, frames=rows, shutter_deg=degrees), cancelled)


def with_points_by_id(track: dict[str, Any]) -> dict[str, Any]:
    """A plain point track whose points were a `position` and a list of `more`, and which `hand_set` counted, with each by an id."""
    hand, more = track.get("hand_set") or [], track.get("more") or []
    if not isinstance(more, list | tuple) or not isinstance(hand, list) or not all(isinstance(h, dict) for h in hand):
        raise ValueError("more and hand_set are lists")
    places = [track.get("position", (0.0, 0.0)), *more]
    points = {
        f"p{k + 1}": {
            "id": f"p{k + 1}",
            "position": place,
            "hand_set": [{n: v for n, v in h.items() if n != "point"} for h in hand if h.get("point", 0) == k],
        }
        for k, place in enumerate(places)
    }
    rest = {name: value for name, value in track.items() if name not in ("position", "more", "hand_set")}
    return {**rest, "points": points, "order": list(points)}
