"""Planes."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from tropein.core.animate.ride import Path
from tropein.core.raster.warp import quad_to_quad
from tropein.core.track.file import FILES, FileBase, Point, Sample
from tropein.core.track.plane import PlaneFound


class PlaneSample(Sample):
    """`homography` takes the reference frame to this one, row by row."""

    corners: tuple[Point, Point, Point, Point] | None
    homography: Annotated[list[float], Field(min_length=9, max_length=9)] | None = None

    def values(self) -> list[object]:
        return [v for p in (self.corners or (("", ""),) * 4) for v in p]


@FILES.add
class PlaneFile(FileBase):
    kind: Literal["plane"] = "plane"
    frames: list[PlaneSample]

    def path(self, spot: str = "") -> Path:
        known = [s.corners for s in self.in_order]
        corners = np.array([c or ((0, 0),) * 4 for c in known], np.float64).reshape(-1, 4, 2)
        good = np.array([c is not None and not s.lost for c, s in zip(known, self.in_order, strict=True)], bool)
        return Path(self.numbers, corners, good, "homography")

    def columns(self) -> list[str]:
        return [f"{axis}{i + 1}" for i in range(4) for axis in "xy"]

    def square(self, row: Sample, point: int, half: float) -> NDArray[np.float64] | None:
        assert isinstance(row, PlaneSample)
        return None if row.corners is None else np.array(row.corners)


def plane_sample(found: PlaneFound, reference: NDArray[np.float64]) -> PlaneSample:
    """One frame of a plane track; `reference` (4, 2) are the corners in the reference frame."""
    h = quad_to_quad(reference, found.corners)
    c = [(round(float(x), 4), round(float(y), 4)) for x, y in found.corners]
    return PlaneSample(
        frame=found.frame, confidence=round(min(max(found.confidence, 0.0), 1.0), 4), lost=found.lost, reason=found.reason,
        corners=(c[0], c[1], c[2], c[3]), homography=[float(f"{v:.10g}") for v in (h / h[2, 2]).ravel()],
    )  # fmt: skip


def found_plane(sample: PlaneSample) -> PlaneFound | None:
    if sample.corners is None:
        return None
    return PlaneFound(sample.frame, np.array(sample.corners), sample.confidence, sample.lost, sample.reason)
