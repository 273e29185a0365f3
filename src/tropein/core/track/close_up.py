"""A part of a picture, enlarged when it is small: models that find faces and bodies see small ones badly."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Box = tuple[float, float, float, float]


def close_up(
    picture: NDArray[np.uint8], box: Box | None, enlarge_to_px: float, least_px: int = 8
) -> tuple[NDArray[np.uint8], NDArray[np.float64], NDArray[np.float64]] | None:
    """What lies in a box (x0, y0, x1, y1) of a picture (h, w, 3), at least `enlarge_to_px` on its longer side: (the part, its
    corner (2,) and its size (2,) in the picture's pixels). None when less than `least_px` of the box lies in the picture."""
    h, w = picture.shape[:2]
    x0, y0, x1, y1 = box or (0.0, 0.0, float(w), float(h))
    ix0, iy0, ix1, iy1 = max(0, int(x0)), max(0, int(y0)), min(w, int(x1) + 1), min(h, int(y1) + 1)
    if ix1 - ix0 < least_px or iy1 - iy0 < least_px:
        return None
    part = picture[iy0:iy1, ix0:ix1]
    scale = max(1.0, enlarge_to_px / max(part.shape[:2]))
    if scale > 1:
        part = cv2.resize(part, None, fx=scale, fy=scale, interpolation=cv2.INTER_CUBIC)
    size = np.array([part.shape[1] / scale, part.shape[0] / scale])
    return np.ascontiguousarray(part), np.array([float(ix0), float(iy0)]), size
