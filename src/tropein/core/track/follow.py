"""A whole track: from the reference and every place set by hand, both ways, joined. For points, planes and objects alike."""

from __future__ import annotations

from collections.abc import Callable, Sequence, Sized
from dataclasses import dataclass, replace
from typing import Generic, Literal, Protocol, TypeVar

import numpy as np

from tropein.core.errors import BadInput
from tropein.core.track.box import Box, ObjectAnchor, ObjectFound
from tropein.core.track.cuts import CUT, Cuts
from tropein.core.track.frames import ColourPictures, Frames
from tropein.core.track.motion import MotionBetween
from tropein.core.track.object import ObjectTracker
from tropein.core.track.patches import Matching
from tropein.core.track.plane import PlaneAnchor, PlaneFound, PlaneTracker
from tropein.core.track.point import Anchor, Found, PointTracker
from tropein.core.track.shutter import ShutterGuess

Direction = Literal["forward", "backward", "both"]


class Followed(Protocol):
    """What is found in one frame, of whatever kind."""

    @property
    def frame(self) -> int: ...
    @property
    def confidence(self) -> float: ...
    @property
    def lost(self) -> bool: ...
    @property
    def reason(self) -> str: ...


F = TypeVar("F", bound=Followed)
R = TypeVar("R", bound=Followed, covariant=True)


class Tracker(Protocol[R]):
    def run(self, last: int, report: Callable[[R], None]) -> str: ...


@dataclass(frozen=True, eq=False)
class Strand(Generic[F]):
    """Where a track is held: what is certain at a frame, and the tracker that sets out from there."""

    found: F
    tracker: Callable[[], Tracker[F]]

    @property
    def frame(self) -> int:
        return self.found.frame


@dataclass(frozen=True)
class Wish(Generic[F]):
    """What is to be tracked: the frames first..last, from the reference one way or both, and never across a cut. `report`
    hears each frame as it comes (and may raise to stop)."""

    span: tuple[int, int]
    direction: Direction = "both"
    report: Callable[[F], None] = lambda found: None
    cuts: Cuts | None = None  # kept by who follows several things in the same pictures


def follow(
    frames: Frames, reference: Anchor, hand_set: Sequence[Anchor], wish: Wish[Found], how: Matching = Matching(),
    known: dict[int, Found] | None = None, motion: MotionBetween | None = None, shutter: ShutterGuess | None = None,
) -> tuple[dict[int, Found], str]:  # fmt: skip
    """All places of a point, by frame, and why it stopped early (or "").

    Every anchor is a constraint: the path goes through it exactly. `known` are earlier results that stay where this run
    does not go. Raises BadInput when the range or an anchor cannot be used.
    """
    motion, shutter = motion or MotionBetween(), shutter or ShutterGuess()

    def strand(anchor: Anchor) -> Strand[Found]:
        found = Found(anchor.frame, anchor.xy, 1.0, False)
        return Strand(found, lambda: PointTracker(frames, anchor, how, motion, shutter))

    wish = replace(wish, cuts=wish.cuts or Cuts(frames.frame))
    seen = [a for a in hand_set if _within(a, frames.size)]
    result, stopped = _run(
        frames, strand(reference), [strand(a) for a in seen], wish, dict(known or {}), between_points
    )
    drawn = _drawn([a for a in hand_set if a not in seen], [reference, *seen], wish)
    for found in drawn:
        result[found.frame] = found
        wish.report(found)
    return result, stopped


def follow_plane(
    frames: Frames, reference: PlaneAnchor, hand_set: Sequence[PlaneAnchor], wish: Wish[PlaneFound],
    known: dict[int, PlaneFound] | None = None,
) -> tuple[dict[int, PlaneFound], str]:  # fmt: skip
    """The same for a plane."""
    motion = MotionBetween()

    def strand(anchor: PlaneAnchor) -> Strand[PlaneFound]:
        found = PlaneFound(anchor.frame, anchor.corners, 1.0, False)
        return Strand(found, lambda: PlaneTracker(frames, anchor, motion))

    wish = replace(wish, cuts=wish.cuts or Cuts(frames.frame))
    return _run(frames, strand(reference), [strand(a) for a in hand_set], wish, dict(known or {}), between_planes)


def follow_object(
    frames: ColourPictures, reference: ObjectAnchor, hand_set: Sequence[ObjectAnchor], wish: Wish[ObjectFound],
    known: dict[int, ObjectFound] | None = None,
) -> tuple[dict[int, ObjectFound], str]:  # fmt: skip
    """The same for a thing in a box."""

    def strand(anchor: ObjectAnchor) -> Strand[ObjectFound]:
        found = ObjectFound(anchor.frame, anchor.box, 1.0, False)
        return Strand(found, lambda: ObjectTracker(frames, anchor))

    wish = replace(wish, cuts=wish.cuts or Cuts.of_colours(frames.rgb))
    return _run(frames, strand(reference), [strand(a) for a in hand_set], wish, dict(known or {}), between_boxes)


def _run(
    frames: Sized, reference: Strand[F], hand_set: list[Strand[F]], wish: Wish[F], result: dict[int, F],
    between: Callable[[F, F, float], F],
) -> tuple[dict[int, F], str]:  # fmt: skip
    """Tracking starts afresh at each strand; what lies between two is reached from both and joined."""
    first, last = wish.span
    if not 0 <= first <= last < len(frames):
        raise BadInput(f"The range {first}-{last} does not lie within the clip's {len(frames)} frames.")
    if not first <= reference.frame <= last:
        raise BadInput("The reference frame lies outside the range.")
    by_frame: dict[int, Strand[F]] = {s.frame: s for s in [*hand_set, reference] if first <= s.frame <= last}
    order = [by_frame[f] for f in sorted(by_frame)]
    stopped = ""

    def keep(found: F) -> None:
        result[found.frame] = found
        wish.report(found)

    for strand in order:
        keep(strand.found)
    for i, strand in enumerate(order):
        tracker = strand.tracker()
        left = order[i - 1].frame if i else None
        before = first if left is None else left + 1
        after = order[i + 1].frame - 1 if i + 1 < len(order) else last

        def merge(found: F, left: int | None = left, here: int = strand.frame) -> None:
            old = result.get(found.frame) if left is not None else None
            keep(joined(old, found, left, here, between) if old and left is not None else found)

        if after > strand.frame and (wish.direction != "backward" or after < reference.frame):
            stopped = _up_to_a_cut(tracker, strand.found, after, keep, wish.cuts) or stopped
        if before < strand.frame and (wish.direction != "forward" or before > reference.frame):
            stopped = _up_to_a_cut(tracker, strand.found, before, merge, wish.cuts) or stopped
    return result, stopped


def _within(anchor: Anchor, size: tuple[int, int]) -> bool:
    return 0 <= anchor.xy[0] < size[0] and 0 <= anchor.xy[1] < size[1]


def _drawn(outside: list[Anchor], inside: list[Anchor], wish: Wish[Found]) -> list[Found]:
    """Places set by hand outside of the picture, where nothing can be followed: they count as they are, and between two of them
    with nothing else in between the point goes straight."""
    first, last = wish.span
    order = sorted([*outside, *inside], key=lambda a: a.frame)
    found = [Found(a.frame, a.xy, 1.0, False) for a in outside if first <= a.frame <= last]
    for a, b in zip(order, order[1:], strict=False):
        if a in outside and b in outside:
            for frame in range(max(first, a.frame + 1), min(last + 1, b.frame)):
                k = (frame - a.frame) / (b.frame - a.frame)
                found.append(
                    Found(frame, (a.xy[0] + k * (b.xy[0] - a.xy[0]), a.xy[1] + k * (b.xy[1] - a.xy[1])), 1.0, False)
                )
    return found


class _AtACut(Exception):
    pass


def _up_to_a_cut(tracker: Tracker[F], start: F, last: int, hear: Callable[[F], None], cuts: Cuts | None) -> str:
    """Runs a tracker; what lies beyond a cut is lost, and says so."""
    latest = start

    def listen(found: F) -> None:
        nonlocal latest
        if abs(found.frame - start.frame) > abs(latest.frame - start.frame):  # not an earlier frame, thought better of
            if cuts is not None and cuts.between(latest.frame, found.frame):
                raise _AtACut
            latest = found
        hear(found)

    try:
        return tracker.run(last, listen)
    except _AtACut:
        step = 1 if last > start.frame else -1
        lost = {"confidence": 0.0, "lost": True, "reason": CUT}
        for frame in range(latest.frame + step, last + step, step):
            hear(replace(latest, frame=frame, **lost))  # type: ignore[type-var]
        return CUT


def joined(a: F, b: F, from_a: int, from_b: int, between: Callable[[F, F, float], F]) -> F:
    """Two answers for one frame, tracked from two anchors: the nearer and surer one weighs more."""
    if a.lost != b.lost:
        return a if b.lost else b
    share = (b.frame - from_a) / (from_b - from_a)
    wa, wb = (1 - share) * (a.confidence + 1e-3), share * (b.confidence + 1e-3)
    mixed = between(a, b, wb / (wa + wb))
    both = {"confidence": max(a.confidence, b.confidence), "lost": a.lost, "reason": b.reason if a.lost else ""}
    return replace(mixed, **both)  # type: ignore[type-var]


def between_points(a: Found, b: Found, k: float) -> Found:
    return replace(b, xy=(a.xy[0] + (b.xy[0] - a.xy[0]) * k, a.xy[1] + (b.xy[1] - a.xy[1]) * k))


def between_planes(a: PlaneFound, b: PlaneFound, k: float) -> PlaneFound:
    return replace(b, corners=np.asarray(a.corners + (b.corners - a.corners) * k))


def between_boxes(a: ObjectFound, b: ObjectFound, k: float) -> ObjectFound:
    one, other = a.box, b.box
    sides = np.exp(np.log(one.sides) * (1 - k) + np.log(other.sides) * k)
    box = Box(
        one.centre + (other.centre - one.centre) * k, sides, one.angle_deg + (other.angle_deg - one.angle_deg) * k
    )
    return replace(b, box=box)
