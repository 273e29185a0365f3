"""Points."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from tropein.core.animate.ride import Path
from tropein.core.track.file import FILES, FileBase, Point, Sample, Share
from tropein.core.track.point import Found

AROUND = 1.6  # how much more than the pattern of a point is shown
SQUARE = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1.0]])


class PointSample(Sample):
    points: list[Point | None]
    point_confidence: list[Share]

    def values(self) -> list[object]:
        return [v for p in self.points for v in (p or ("", ""))]


@FILES.add
class PointFile(FileBase):
    """`ids` names the points of its columns, where it was followed here. `shutter_deg` is how long the shutter was open, as an
    angle, where the motion blur told."""

    kind: Literal["point"] = "point"
    ids: list[str] = Field(default_factory=list, max_length=64)
    frames: list[PointSample]
    shutter_deg: float | None = None

    @property
    def count(self) -> int:
        """How many points it has."""
        return max((len(s.points) for s in self.frames), default=1)

    def path(self, spot: str = "") -> Path:
        """Of several points those count that are never lost, or the surest ones."""
        rows = self.in_order
        count = self.count
        points = np.zeros((len(rows), count, 2))
        good = np.zeros((len(rows), count), bool)
        for i, row in enumerate(rows):
            for k, p in enumerate(row.points):
                if p is not None:
                    points[i, k] = p
                    good[i, k] = not row.lost if count == 1 else row.point_confidence[k] > 0.3
        if count > 1:
            share = good.mean(0)
            kept = share >= min(0.999, float(share.max()))
            points, good = points[:, kept], good[:, kept]
        return Path(self.numbers, points, good.all(1), "similarity" if points.shape[1] > 1 else "translation")

    def only(self, ids: list[str]) -> PointFile:
        """With the columns of some points, those it has none of left out."""
        columns = [k for k, name in enumerate(self.ids) if name in ids]
        return self if len(columns) == len(self.ids) or not columns else self.chosen(columns)

    def chosen(self, columns: list[int]) -> PointFile:
        """With some of its points."""
        rows = [point_sample(s.frame, [found_point(s, k) for k in columns]) for s in self.frames]
        ids = [self.ids[k] for k in columns] if self.ids else []
        return self.model_copy(update={"ids": ids, "frames": rows})

    def columns(self) -> list[str]:
        return [f"{axis}{i + 1}" for i in range(self.count) for axis in "xy"]

    def square(self, row: Sample, point: int, half: float) -> NDArray[np.float64] | None:
        assert isinstance(row, PointSample)
        place = row.points[point] if point < len(row.points) else None
        return None if place is None else np.array(place) + AROUND * half * SQUARE


def point_sample(frame: int, here: list[Found | None]) -> PointSample:
    """One frame of a point track from what was found of each of its points."""
    sure = [round(min(max(h.confidence, 0.0), 1.0), 4) if h and not h.lost else 0.0 for h in here]
    if len(here) == 1 and here[0] is not None:
        sure = [round(min(max(here[0].confidence, 0.0), 1.0), 4)]
    return PointSample(
        frame=frame, confidence=min(sure), lost=any(h is None or h.lost for h in here),
        points=[(round(h.xy[0], 4), round(h.xy[1], 4)) if h else None for h in here], point_confidence=sure,
        reason=next((h.reason for h in here if h and h.reason), ""),
    )  # fmt: skip


def found_point(sample: PointSample, k: int = 0) -> Found | None:
    """What was found of one point, from a stored frame."""
    if k >= len(sample.points) or sample.points[k] is None:
        return None
    lost = sample.lost if len(sample.points) == 1 else sample.point_confidence[k] <= 0
    return Found(sample.frame, sample.points[k] or (0.0, 0.0), sample.point_confidence[k], lost, sample.reason)
