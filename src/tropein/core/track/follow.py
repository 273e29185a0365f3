"""A whole point track: from the reference and every place set by hand, both ways, joined."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

from tropein.core.errors import BadInput
from tropein.core.track.motion import MotionBetween
from tropein.core.track.point import Anchor, Found, Frames, PointTracker

Direction = Literal["forward", "backward", "both"]


def follow(
    frames: Frames,
    reference: Anchor,
    hand_set: list[Anchor],
    span: tuple[int, int],
    direction: Direction = "both",
    half: int = 15,
    reach: int = 40,
    report: Callable[[Found], None] = lambda found: None,
    known: dict[int, Found] | None = None,
) -> tuple[dict[int, Found], str]:
    """All frames found, by number, and why it stopped early (or "").

    Every anchor is a constraint: the path goes through it exactly. Tracking starts afresh at each, so that what lies
    between two is reached from both and joined, the nearer and surer one weighing more. `report` hears each frame as it
    comes (and may raise to stop); `known` are earlier results that stay where this run does not go.
    """
    first, last = span
    if not 0 <= first <= last < len(frames):
        raise BadInput(f"The range {first}-{last} does not lie within the clip's {len(frames)} frames.")
    anchors = {a.frame: a for a in [reference, *hand_set]}
    if not first <= reference.frame <= last:
        raise BadInput("The reference frame lies outside the range.")
    order = sorted((a for a in anchors.values() if first <= a.frame <= last), key=lambda a: a.frame)
    return _Run(frames, order, span, direction, half, reach, report, dict(known or {}), reference.frame).go()


class _Run:
    def __init__(self, frames: Frames, order: list[Anchor], span: tuple[int, int], direction: Direction, half: int,
                 reach: int, report: Callable[[Found], None], known: dict[int, Found], reference: int) -> None:  # fmt: skip
        self.frames, self.order, self.span, self.direction = frames, order, span, direction
        self.half, self.reach, self.report, self.result, self.reference = half, reach, report, known, reference
        self.motion = MotionBetween()

    def go(self) -> tuple[dict[int, Found], str]:
        stopped = ""
        for anchor in self.order:
            self._keep(Found(anchor.frame, anchor.xy, 1.0, False))
        for i, anchor in enumerate(self.order):
            tracker = PointTracker(self.frames, anchor, self.half, self.reach, self.motion)
            before = self.order[i - 1].frame if i else self.span[0] - 1
            after = self.order[i + 1].frame if i + 1 < len(self.order) else self.span[1] + 1
            if after - 1 > anchor.frame and (self.direction != "backward" or after - 1 < self.reference):
                stopped = tracker.run(after - 1, self._merge(anchor, i + 1)) or stopped
            if before + 1 < anchor.frame and (self.direction != "forward" or before + 1 > self.reference):
                stopped = tracker.run(before + 1, self._merge(anchor, i - 1)) or stopped
        return self.result, stopped

    def _keep(self, found: Found) -> None:
        self.result[found.frame] = found
        self.report(found)

    def _merge(self, anchor: Anchor, other: int) -> Callable[[Found], None]:
        """Joins with what the run from the other anchor found in the same stretch, if it has been there."""
        came_from_left = other < self.order.index(anchor)
        neighbour = self.order[other] if 0 <= other < len(self.order) else None

        def take(found: Found) -> None:
            old = self.result.get(found.frame) if neighbour and came_from_left else None
            self._keep(joined(old, found, neighbour.frame, anchor.frame) if old and neighbour else found)

        return take


def joined(a: Found, b: Found, from_a: int, from_b: int) -> Found:
    """Two answers for one frame, tracked from two anchors."""
    if a.lost != b.lost:
        return a if b.lost else b
    share = (b.frame - from_a) / (from_b - from_a)
    wa, wb = (1 - share) * (a.confidence + 1e-3), share * (b.confidence + 1e-3)
    k = wb / (wa + wb)
    xy = (a.xy[0] + (b.xy[0] - a.xy[0]) * k, a.xy[1] + (b.xy[1] - a.xy[1]) * k)
    return Found(b.frame, xy, max(a.confidence, b.confidence), a.lost, b.reason if a.lost else "")
