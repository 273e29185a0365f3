"""Cameras."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from tropein.core.animate import camera
from tropein.core.animate.ride import Path
from tropein.core.track.file import FILES, FileBase, Point, Sample
from tropein.core.track.optics import Optics


class CameraSample(Sample):
    """`world_to_camera` is 3x4, row by row; the camera's axes are x right, y down, z forward."""

    world_to_camera: Annotated[list[float], Field(min_length=12, max_length=12)] | None
    reprojection_px: float | None = None

    @property
    def pose(self) -> NDArray[np.float64] | None:
        """(3, 4), world to camera."""
        return np.array(self.world_to_camera).reshape(3, 4) if self.world_to_camera else None

    def values(self) -> list[object]:
        return list(self.world_to_camera) if self.world_to_camera else [""] * 12


class SolveFacts(BaseModel):
    """What kind of move was solved, and how well: `parallax_deg` is the median angle under which points are seen, `focal_sd_px` how
    unsure the focal length is, `halves_apart` how far the paths that either half of the points gives lie apart, as a share of
    their extent, `spread` the share of the picture that holds points, `doubts` what speaks against it, in words."""

    kind: Literal["free", "rotation", "planar"]
    reprojection_px: float
    parallax_deg: float = 0.0
    focal_sd_px: float = 0.0
    halves_apart: float = 0.0
    spread: float = 0.0  # not told by files of before
    doubts: list[str] = Field(default_factory=list)


@FILES.add
class CameraFile(FileBase):
    """`radial` is the lens's first radial term, of distances in focal lengths (0: straight lines stay straight); `point_errors_px` are
    the mean errors of `points3d`."""

    kind: Literal["camera"] = "camera"
    focal_px: float
    principal_point: Point
    radial: float = 0.0
    points3d: list[tuple[float, float, float]]
    point_errors_px: list[float] = Field(default_factory=list)
    solve: SolveFacts
    frames: list[CameraSample]

    def path(self, spot: str = "") -> Path:
        """Of a place in the scene ("x,y,z"), or the camera's own numbers (see animate.camera)."""
        return self._own_path() if spot == camera.SPOT else self._scene_path(spot)

    def _own_path(self) -> Path:
        rows, centre = self.in_order, np.array(self.principal_point)
        poses = [np.eye(4)[:3] if s.pose is None else s.pose for s in rows]
        good = np.array([s.pose is not None and not s.lost for s in rows], bool)
        numbers = np.array([camera.numbers(p, self.focal_px, centre, self.radial) for p in poses])
        return Path(self.numbers, numbers, good)

    def _scene_path(self, spot: str) -> Path:
        """How a place in the scene is seen: where, how large (by its depth), and how the camera rolls."""
        rows, place = self.in_order, self.place(spot)
        through = Optics(self.focal_px, self.size, self.radial)
        points, good = np.zeros((len(rows), 2, 2)), np.zeros(len(rows), bool)
        first = next((s.pose for s in rows if s.pose is not None), np.eye(4)[:3])
        for i, row in enumerate(rows):
            pose = row.pose
            if pose is None or row.lost:
                continue
            there = pose @ np.r_[place, 1]
            if there[2] <= 1e-6:
                continue
            turned = pose[:, :3] @ first[:, :3].T
            roll = np.arctan2(turned[1, 0] - turned[0, 1], turned[0, 0] + turned[1, 1])
            at = through.seen(there)
            side = 0.1 * self.focal_px / there[2] * np.array([np.cos(roll), np.sin(roll)])
            points[i], good[i] = [at, at + side], True
        return Path(self.numbers, points, good, "similarity")

    def place(self, spot: str) -> NDArray[np.float64]:
        """The place (3,) a spot names, or the middle of the cloud."""
        try:
            place = np.array([float(v) for v in spot.split(",")])
        except ValueError:
            place = np.zeros(0)
        if place.shape == (3,) and np.isfinite(place).all():
            return place
        return np.median(np.array(self.points3d), 0) if self.points3d else np.array([0.0, 0, 1])

    def columns(self) -> list[str]:
        return [*(f"m{r}{c}" for r in range(3) for c in range(4)), "focal_px"]

    def values(self, row: Sample) -> list[object]:
        return [*row.values(), self.focal_px]

    def note(self) -> str:
        return self.stopped
