"""What a track holds on to, cut from frame after frame and laid side by side: what is followed truly stands still in it."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.warp import Matrix, quad_to_quad, scaling, translation
from tropein.core.track.file import AnyFile, FaceSample, ObjectSample, PlaneSample, PointSample
from tropein.core.track.frames import ColourPictures
from tropein.core.track.samples import as_path, box_of

SIDE = 64
AROUND = 1.6  # how much more than the pattern of a point is shown
FACE = 1.5  # and of a face, in widths between the path's own two points
EMPTY = 38
AROUND_SQUARE = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1.0]])


def strip(
    file: AnyFile, pictures: ColourPictures, frames: Sequence[int], point: int = 0, half: float = 15
) -> NDArray[np.uint8]:
    """(SIDE, SIDE * n, 3): one square for each frame, aligned by what was found there; grey where nothing was."""
    out = np.full((SIDE, SIDE * len(frames), 3), EMPTY, np.uint8)
    for i, frame in enumerate(frames):
        matrix = _square(file, frame, point, half)
        if matrix is None or not 0 <= frame < len(pictures):
            continue
        to_square = np.linalg.inv(matrix)
        picture, shrink = pictures.rgb(frame), float(np.sqrt(abs(np.linalg.det(matrix[:2, :2]))))
        if shrink > 2:  # the square is much smaller than what it shows
            by = 1 / (shrink / 1.5)
            picture = cv2.resize(picture, None, fx=by, fy=by, interpolation=cv2.INTER_AREA)
            to_square = to_square @ translation(0.5 / by - 0.5, 0.5 / by - 0.5) @ scaling(1 / by, 1 / by)
        out[:, SIDE * i : SIDE * (i + 1)] = cv2.warpPerspective(
            picture, to_square, (SIDE, SIDE), flags=cv2.INTER_LINEAR
        )
    return out


def _square(file: AnyFile, frame: int, point: int, half: float) -> Matrix | None:
    """The square's pixels to the frame's, whole numbers at centres."""
    square = np.array([[0, 0], [SIDE, 0], [SIDE, SIDE], [0, SIDE]]) - 0.5
    row = next((s for s in file.frames if s.frame == frame), None)
    corners: NDArray | None = None
    if isinstance(row, PlaneSample) and row.corners is not None:
        corners = np.array(row.corners) - 0.5
    elif isinstance(row, ObjectSample) and (box := box_of(row)) is not None:
        return box.matrix() @ quad_to_quad(square, AROUND_SQUARE)
    elif isinstance(row, PointSample) and point < len(row.points) and (place := row.points[point]) is not None:
        corners = np.array(place) - 0.5 + AROUND * half * AROUND_SQUARE
    elif isinstance(row, FaceSample):
        ends = as_path(file, "head").at(frame, gaps="hide")
        if ends is not None:
            across = (ends[-1] - ends[0]) * FACE
            down = np.array([-across[1], across[0]])
            middle = ends.mean(0) - 0.5
            corners = middle + np.array([-across - down, across - down, across + down, down - across]) / 2
    return None if corners is None else quad_to_quad(square, corners)
