"""What trackers share: motion blur, crops, local flow, reference patches, the local shape of a homography."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.media.grey import GreyPicture
from tropein.core.track.align import warped

SMOOTH_SIGMA_PX = 0.8
SHUTTER = 0.5  # share of the frame time the shutter is open, for matching motion blur
BLUR_FROM_PX = 1.2


@dataclass(frozen=True)
class Matching:
    """How a point is matched: half the side of the small patch and how far a search goes, pixels; whether light may change, the patch
    turn and grow, and motion blur be matched."""

    half: int = 15
    reach: int = 40
    light: bool = True
    turn: bool = True
    blur: bool = True


@dataclass(eq=False)
class Reference:
    """The patches around an anchor. Coordinates inside the picture have centres at whole numbers."""

    crop: NDArray[np.float32]
    centre: NDArray[np.float64]  # the anchor inside the crop
    velocity: NDArray[np.float64]  # how it moves in the anchor's frame, pixels a frame
    half: int
    cache: dict[tuple[int, int, int], NDArray[np.float64]] = field(default_factory=dict)

    def patch(self, half: int, step: int, smear: NDArray[np.float64]) -> NDArray[np.float64]:
        key = (half, round(smear[0] * 2), round(smear[1] * 2))
        if key not in self.cache:
            crop = smeared(self.crop, smear)
            m = np.array([[1.0, 0, self.centre[0]], [0, 1.0, self.centre[1]]])
            self.cache[key] = warped(crop, m, half, step)
            if len(self.cache) > 64:
                self.cache.pop(next(iter(self.cache)))
        return self.cache[key]


def smeared(image: NDArray[np.float32], smear: NDArray[np.float64]) -> NDArray[np.float32]:
    length = float(np.hypot(*smear))
    if length < BLUR_FROM_PX:
        return image
    n = 2 * int(np.ceil(length / 2)) + 3
    kernel = np.zeros((n, n), np.float32)
    for t in np.linspace(-0.5, 0.5, max(9, int(4 * length))):
        x, y = n // 2 + smear[0] * t, n // 2 + smear[1] * t
        i, j = int(np.floor(x)), int(np.floor(y))
        for dy in range(2):
            for dx in range(2):
                if 0 <= j + dy < n and 0 <= i + dx < n:
                    kernel[j + dy, i + dx] += (1 - abs(x - i - dx)) * (1 - abs(y - j - dy))
    return cv2.filter2D(image, -1, kernel / kernel.sum(), borderType=cv2.BORDER_REPLICATE)


def cropped(picture: GreyPicture, centre: NDArray[np.float64], radius: int) -> tuple[NDArray[np.float32], NDArray[Any]]:
    """A smoothed float crop and the offset of its first pixel."""
    h, w = picture.shape
    x0, y0 = int(max(0, centre[0] - radius)), int(max(0, centre[1] - radius))
    x1, y1 = int(min(w, centre[0] + radius + 2)), int(min(h, centre[1] + radius + 2))
    part = picture[y0:y1, x0:x1].astype(np.float32)
    return cv2.GaussianBlur(part, (0, 0), SMOOTH_SIGMA_PX), np.array([x0, y0], np.float64)


def flow_at(a: GreyPicture, b: GreyPicture, xy: NDArray[Any]) -> NDArray[Any] | None:
    """Lucas-Kanade at one point, on a crop, checked by going back; None when it does not return within 1 px."""
    h, w = a.shape
    r = 160
    x0, y0 = int(max(0, xy[0] - r)), int(max(0, xy[1] - r))
    x1, y1 = int(min(w, xy[0] + r)), int(min(h, xy[1] + r))
    if x1 - x0 < 24 or y1 - y0 < 24:
        return None
    pa, pb = np.ascontiguousarray(a[y0:y1, x0:x1]), np.ascontiguousarray(b[y0:y1, x0:x1])
    p = np.array([[xy - [x0, y0]]], np.float32)
    how: dict[str, Any] = {"winSize": (25, 25), "maxLevel": 3}
    q, ok, _ = cv2.calcOpticalFlowPyrLK(pa, pb, p, None, **how)
    back, ok2, _ = cv2.calcOpticalFlowPyrLK(pb, pa, q, None, **how)
    if not (ok[0, 0] and ok2[0, 0]) or np.linalg.norm(back - p) > 1.0:
        return None
    return q[0, 0].astype(np.float64) + [x0, y0]


def jacobian(h: NDArray[Any], xy: NDArray[Any]) -> NDArray[Any]:
    """The 2x2 derivative of a homography at a point: how it turns and stretches what lies there."""
    p = h @ np.array([xy[0], xy[1], 1.0])
    q = p[:2] / p[2]
    return (h[:2, :2] - np.outer(q, h[2, :2])) / p[2]
