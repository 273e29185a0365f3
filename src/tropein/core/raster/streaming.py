"""Light that streams from what is bright: every bright pixel smeared along the line from a centre, in doublings of the way (each a warp)."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.picture import Pixels

DOUBLINGS = 6
HALF = 2  # what is smooth is drawn on a quarter of the pixels


def halved(pixels: NDArray[np.float32]) -> NDArray[np.float32]:
    """At half the size, what is odd made even by its border."""
    h, w = pixels.shape[:2]
    even = cv2.copyMakeBorder(pixels, 0, h % HALF, 0, w % HALF, cv2.BORDER_REPLICATE)
    return cv2.resize(even, (even.shape[1] // HALF, even.shape[0] // HALF), interpolation=cv2.INTER_AREA)


def enlarged(small: NDArray[np.float32], height: int, width: int) -> NDArray[np.float32]:
    """What was halved, at its own size again."""
    size = (small.shape[1] * HALF, small.shape[0] * HALF)
    return cv2.resize(small, size, interpolation=cv2.INTER_LINEAR)[:height, :width]


def streaming(source: NDArray[np.float32], centre: tuple[float, float], length: float, decay: float) -> Pixels:
    """(h, w, c) the mean of the light as it is and ever larger about a centre (x, y; corner-based), up to 1 / (1 - length) times as large, dimming by
    `decay` 0..1 along that way."""
    h, w = source.shape[:2]
    reach = min(max(length, 0.0), 0.98)
    ratio = (1 - reach) ** (-(0.5**DOUBLINGS))
    keep = max(1 - decay, 1e-3) ** (0.5**DOUBLINGS)
    total, weight, size, share = source, 1.0, ratio, keep
    x, y = centre[0] - 0.5, centre[1] - 0.5
    for _ in range(DOUBLINGS):
        move = np.array([[size, 0, x * (1 - size)], [0, size, y * (1 - size)]])
        moved = cv2.warpAffine(total, move, (w, h), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT)
        total = cv2.addWeighted(total, 1.0, moved, share, 0)
        weight *= 1 + share
        share, size = share * share, size * size
    return total / np.float32(weight)
