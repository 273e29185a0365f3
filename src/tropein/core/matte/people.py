"""A first guess of where a person is, as strokes a user could have drawn, for a cut-out to begin with.

The segmentation model that comes with mediapipe knows people, not this shot: its mask is coarse, so only what lies well inside
and well outside of it is believed, and it is told in strokes, which can be added to and taken away.
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.errors import BadInput
from tropein.core.matte.cutout import Stroke
from tropein.core.quiet import silenced

SURE, LEAST_SHARE = 0.6, 0.004  # of the model's answer; of the picture, below which nobody is there
INSIDE = (0.25, 0.65)  # rings at these shares of the greatest depth
DEEP = 0.03  # of the picture's width: so far outside
WIDTH_SHARE, CORNER_SHARE = 1 / 90, 1 / 300


def guessed(picture: NDArray[np.uint8]) -> list[Stroke]:
    """Strokes over and beside the people of a picture (h, w, 3) uint8 RGB, in its pixels. BadInput when there is nobody."""
    from mediapipe.python.solutions.selfie_segmentation import SelfieSegmentation

    with silenced(), SelfieSegmentation(model_selection=0) as model:
        found = model.process(np.ascontiguousarray(picture)).segmentation_mask
    h, w = picture.shape[:2]
    mask = (found > SURE).astype(np.uint8)
    if mask.mean() < LEAST_SHARE:
        raise BadInput(
            "Nobody was found in this frame. Go to one in which the person is well seen, or draw strokes by hand."
        )
    width = w * WIDTH_SHARE
    framed = cv2.copyMakeBorder(mask, 1, 1, 1, 1, cv2.BORDER_REPLICATE)
    inside = cv2.distanceTransform(framed, cv2.DIST_L2, 5)[1:-1, 1:-1]
    outside = cv2.distanceTransform(1 - framed, cv2.DIST_L2, 5)[1:-1, 1:-1]
    strokes = [s for share in INSIDE for s in _rings(inside > share * inside.max(), True, width)]
    return strokes + _rings(outside > max(DEEP * w, 3 * width), False, width)


def _rings(area: NDArray[np.bool_], keep: bool, width: float) -> list[Stroke]:
    """Lines along the outlines of an area; where it ends at the picture's border there is none."""
    h, w = area.shape
    found, _ = cv2.findContours(area.astype(np.uint8), cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
    strokes = []
    for contour in found:
        if len(contour) < 3 * width:
            continue
        line = cv2.approxPolyDP(contour, max(1.0, w * CORNER_SHARE), True)[:, 0].astype(float) + 0.5
        line = np.vstack([line, line[:1]])
        within = (line[:, 0] > 2) & (line[:, 1] > 2) & (line[:, 0] < w - 2) & (line[:, 1] < h - 2)
        starts = np.flatnonzero(within & ~np.r_[False, within[:-1]])
        for start in starts:
            end = start + int(np.argmin(np.r_[within[start:], False]))
            if end - start > 1:
                strokes.append(Stroke(keep, tuple((float(x), float(y)) for x, y in line[start:end]), width))
    return strokes
