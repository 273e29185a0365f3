"""What a track holds on to, cut from frame after frame and laid side by side: what is followed truly stands still in it."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.warp import Matrix, quad_to_quad, scaling, translation
from tropein.core.track.file import FileBase
from tropein.core.track.frames import ColourPictures

SIDE = 64
EMPTY = 38


def strip(
    file: FileBase, pictures: ColourPictures, frames: Sequence[int], point: int = 0, half: float = 15
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


def _square(file: FileBase, frame: int, point: int, half: float) -> Matrix | None:
    """The square's pixels to the frame's, whole numbers at centres."""
    square = np.array([[0, 0], [SIDE, 0], [SIDE, SIDE], [0, SIDE]]) - 0.5
    row = next((s for s in file.frames if s.frame == frame), None)
    corners = None if row is None else file.square(row, point, half)
    return None if corners is None else quad_to_quad(square, corners - 0.5)
