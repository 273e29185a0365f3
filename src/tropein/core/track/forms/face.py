"""Faces."""

from __future__ import annotations

from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, Field

from tropein.core.animate.ride import Path
from tropein.core.track import face_mesh as fm
from tropein.core.track.face import FaceFound
from tropein.core.track.face_mesh import loop, spot_points
from tropein.core.track.file import FILES, FileBase, Sample

LOOP = "loop:"  # a spot that names an outline on a face
SHOWN = 1.5  # how much of a face is shown, in widths between the path's own two points


class Sides(BaseModel):
    """One for each eye; left is the subject's left."""

    left: float
    right: float


class Irises(BaseModel):
    """x, y and radius in pixels."""

    left: tuple[float, float, float]
    right: tuple[float, float, float]


class FaceSample(Sample):
    """`pose` is 4x4, row by row: the face's own axes (x to the subject's left, y up, z out of the face, centimetres) to
    the camera's (x right, y down, z forward)."""

    landmarks: list[tuple[float, float, float]] | None
    iris: Irises | None = None
    eye_open: Sides | None = None
    mouth_open: float | None = None
    pose: Annotated[list[float], Field(min_length=16, max_length=16)] | None = None

    def values(self) -> list[object]:
        irises = [*self.iris.left, *self.iris.right] if self.iris else [""] * 6
        eyes = [self.eye_open.left, self.eye_open.right] if self.eye_open else ["", ""]
        return [*irises, *eyes, "" if self.mouth_open is None else self.mouth_open]


@FILES.add
class FaceFile(FileBase):
    kind: Literal["face"] = "face"
    frames: list[FaceSample]

    def path(self, spot: str = "") -> Path:
        """Of one of its spots or loops (LOOP and a name)."""
        shapes = [_on_face(s, spot) if s.landmarks else None for s in self.in_order]
        good = np.array([p is not None and not s.lost for p, s in zip(shapes, self.in_order, strict=True)], bool)
        blank = np.zeros_like(next((shape for shape in shapes if shape is not None), np.zeros((2, 2))))
        points = np.array([blank if shape is None else shape for shape in shapes]).reshape(len(shapes), -1, 2)
        return Path(self.numbers, points, good, "similarity")

    def columns(self) -> list[str]:
        irises = [f"{side}_iris_{part}" for side in ("left", "right") for part in ("x", "y", "r")]
        return [*irises, "left_eye_open", "right_eye_open", "mouth_open"]

    def square(self, row: Sample, point: int, half: float) -> NDArray[np.float64] | None:
        assert isinstance(row, FaceSample)
        if row.lost or not row.landmarks:
            return None
        ends = _on_face(row, "head")
        across = (ends[-1] - ends[0]) * SHOWN
        down = np.array([-across[1], across[0]])
        return ends.mean(0) + np.array([-across - down, across - down, across + down, down - across]) / 2

    def loss_means(self) -> str:
        return "What rides on it bridges the gap, or hides there if you say so."


def _on_face(sample: FaceSample, spot: str) -> NDArray[np.float64]:
    mesh = np.array(sample.landmarks)
    if not spot.startswith(LOOP):
        return spot_points(mesh, spot)
    name, opened = spot[len(LOOP) :], 1.0
    if sample.eye_open and name.endswith("lids"):
        opened = sample.eye_open.left if name.startswith("left") else sample.eye_open.right
    return loop(mesh, name, opened)


def face_sample(found: FaceFound) -> FaceSample:
    """One frame of a face track."""
    common: dict[str, Any] = {"frame": found.frame, "lost": found.lost, "reason": found.reason}
    if found.mesh is None:
        return FaceSample(**common, confidence=0.0, landmarks=None)
    pose = np.eye(4)
    pose[:3, :3] = fm.axes(found.mesh)
    pose[:3, 3] = found.mesh[list(fm.RIGID)].mean(0) * (fm.OUTER_EYES_CM / fm.width_px(found.mesh))
    left, right = (fm.iris(found.mesh, i) for i in (fm.LEFT_IRIS, fm.RIGHT_IRIS))
    rounded = np.round(found.mesh, 3).tolist()
    return FaceSample(
        **common, confidence=round(found.confidence, 4), landmarks=[(p[0], p[1], p[2]) for p in rounded],
        iris=Irises(left=left, right=right), eye_open=Sides(left=found.eye_open[0], right=found.eye_open[1]),
        mouth_open=found.mouth_open, pose=[float(f"{v:.8g}") for v in pose.ravel()],
    )  # fmt: skip
