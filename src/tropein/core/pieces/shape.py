"""A drawn shape."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import model_validator

from tropein.core.animate.sample import sample
from tropein.core.compose.mattes import Mattes
from tropein.core.compose.places import Places
from tropein.core.compose.step import Step, step
from tropein.core.document import PIECES, Animated, AnimatedNumber, Outline, PieceBase, Ride, control
from tropein.core.document.kept import Kept
from tropein.core.raster import coverage as cov
from tropein.core.raster.outline import fill, flatten
from tropein.core.raster.warp import Matrix, apply

SHUTTER_PARTS, LEAST_BLUR_PX = 7, 0.75


@PIECES.add
class ShapePiece(PieceBase):
    """An area inside a closed outline, or a stroke along an open one."""

    title: ClassVar[str] = "Shape"
    own_edges: ClassVar[bool] = True
    kind: Literal["shape"] = "shape"
    outline: Animated[Outline]
    closed: bool = True
    width: AnimatedNumber = control(12.0, "Stroke width", soft=(1, 120), hard=(0, 2000), step=0.5, unit="px")
    ride: Ride | None = None
    motion_blur: bool = False

    @model_validator(mode="after")
    def _outlines_agree(self) -> ShapePiece:
        counts = {len(key.value.points) for key in self.outline.keys} or {len(self.outline.value.points)}
        if len(counts) > 1:
            raise ValueError(f"all keys of the shape {self.name} must have the same number of points")
        if self.closed and min(counts) < 3:
            raise ValueError(f"the shape {self.name} needs at least three points to enclose an area")
        return self

    def coverage(self, on: Mattes, frame: float) -> Step | None:
        half = on.shot.shutter_deg / 720
        shape = self.drawn(on, frame)
        if shape is None:
            return None
        moments = [shape]
        if self.motion_blur and half > 0:
            ends = [self.drawn(on, frame + side * half) for side in (-1, 1)]
            far = max((float(np.abs(e[0] - shape[0]).max()) for e in ends if e is not None and e[0].shape == shape[0].shape), default=0.0)  # fmt: skip
            if far > LEAST_BLUR_PX:
                times = frame + half * (2 * (np.arange(SHUTTER_PARTS) + 0.5) / SHUTTER_PARTS - 1)
                moments = [m for t in times if (m := self.drawn(on, float(t))) is not None]
        grow = sample(self.grow, frame) * on.pictures.scale
        if not self.closed:
            grow += sample(self.width, frame) / 2 * on.pictures.scale
        window, closed = on.window, self.closed
        key = ([(v.tobytes(), w.tobytes()) for v, w in moments], grow, closed, window)
        return step(
            "shape", key, (), lambda: cov.mean([fill(v, w, window, closed=closed, grow=grow) for v, w in moments])
        )

    def drawn(self, on: Mattes, frame: float) -> tuple[np.ndarray[Any, Any], np.ndarray[Any, Any]] | None:
        """Vertices and soft widths in pixels of the frame, where the ride takes them; None when the ride hides it."""
        scale = on.pictures.scale
        still = self.outline.still
        vertices, widths = _flats.of(self, scale) if still else _flat(sample(self.outline, frame), self.closed, scale)
        moved = self.marks_matrix(on.pictures.places, frame)
        if moved is None:
            return None
        if self.ride is not None:
            widths = widths * _growth(moved, vertices)[:, None]
            vertices = apply(moved, vertices)
        return np.round(vertices * scale, 5), np.round(widths * scale, 5)

    @property
    def has_marks(self) -> bool:
        return self.ride is not None

    def marks_matrix(self, places: Places, frame: float) -> Matrix | None:
        """What its ride does to it, in shot pixels; it is tied at the middle of its points."""
        if self.ride is None:
            return np.eye(3)
        points = np.array([p.at for p in sample(self.outline, frame).points])
        return places.ridden(self.ride, points.mean(0), frame)


def _flat(outline: Outline, closed: bool, scale: float) -> tuple[np.ndarray[Any, Any], np.ndarray[Any, Any]]:
    """An outline as a polygon fine enough for a scale, in pixels of the shot, and how soft it is at each vertex."""
    n = np.array([p.numbers() for p in outline.points])
    return flatten(n[:, :2], n[:, 2:4], n[:, 4:6], n[:, 6:8], closed, scale)


_flats: Kept[tuple[np.ndarray[Any, Any], np.ndarray[Any, Any]]] = Kept(
    lambda s, scale: _flat(s.outline.value, s.closed, scale)
)


def _growth(matrix: Matrix, points: np.ndarray[Any, Any]) -> np.ndarray[Any, Any]:
    """(n,) by how much lengths grow at some points under a projective matrix."""
    w = points @ matrix[2, :2] + matrix[2, 2]
    return np.sqrt(np.abs(np.linalg.det(matrix)) / np.abs(w) ** 3)
