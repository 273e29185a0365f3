"""The motion of the picture between two frames, shared by everything that is tracked in it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.media.grey import GreyPicture

WIDTH_PX = 1000  # flow is measured on a picture reduced to about this width
FEATURES = 400
FORWARD_BACKWARD_PX = 0.6
_LK: dict[str, Any] = {"winSize": (21, 21), "maxLevel": 3, "criteria": (3, 20, 0.02)}


@dataclass(frozen=True, eq=False)
class Motion:
    """Matched features (n, 2) of two frames in full-size pixels (centres at whole numbers), and the homography most
    of them follow, or None when no motion is shared by 35 % of them."""

    before: NDArray[np.float64]
    after: NDArray[np.float64]
    dominant: NDArray[np.float64] | None

    def carried(self, xy: NDArray[np.float64]) -> NDArray[np.float64] | None:
        """A point moved by the dominant motion."""
        if self.dominant is None:
            return None
        p = self.dominant @ np.array([xy[0], xy[1], 1.0])
        return p[:2] / p[2] if abs(p[2]) > 1e-9 else None

    def around(self, xy: NDArray[np.float64], radius_px: float = 170, count: int = 40) -> NDArray[np.float64] | None:
        """The 2x3 similarity of the nearest features, or None when too few agree."""
        if len(self.before) < 6:
            return None
        far = np.linalg.norm(self.before - xy, axis=1)
        near = np.argsort(far)[:count]
        near = near[far[near] < radius_px]
        if len(near) < 6:
            return None
        matrix, inliers = cv2.estimateAffinePartial2D(
            self.before[near].astype(np.float32), self.after[near].astype(np.float32), ransacReprojThreshold=1.2
        )
        return matrix if matrix is not None and inliers.sum() >= max(5, 0.4 * len(near)) else None


class MotionBetween:
    """Measures motion between neighbouring frames once and keeps it."""

    def __init__(self) -> None:
        self._kept: dict[tuple[int, int], Motion] = {}

    def __call__(self, a: int, b: int, before: GreyPicture, after: GreyPicture) -> Motion:
        key = (a, b)
        if key not in self._kept:
            back = self._kept.get((b, a))
            self._kept[key] = _reverse(back) if back else measure(before, after)
            if len(self._kept) > 4000:
                self._kept.pop(next(iter(self._kept)))
        return self._kept[key]


def _reverse(m: Motion) -> Motion:
    return Motion(m.after, m.before, None if m.dominant is None else np.linalg.inv(m.dominant))


def measure(before: GreyPicture, after: GreyPicture) -> Motion:
    """Features by Shi & Tomasi 1994, flow by pyramidal Lucas & Kanade (Bouguet 2000) forward and back, one homography
    by MAGSAC++ (Barath et al. 2020)."""
    scale = min(1.0, WIDTH_PX / before.shape[1])
    if scale < 1:
        before, after = (cv2.resize(p, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) for p in (before, after))
    none = np.zeros((0, 2))
    points = cv2.goodFeaturesToTrack(before, FEATURES, 0.005, 11)
    if points is None or len(points) < 6:
        return Motion(none, none, None)
    forward, ok1, _ = cv2.calcOpticalFlowPyrLK(before, after, points, None, **_LK)
    back, ok2, _ = cv2.calcOpticalFlowPyrLK(after, before, forward, None, **_LK)
    error = np.linalg.norm((back - points)[:, 0], axis=1)
    keep = (ok1[:, 0] == 1) & (ok2[:, 0] == 1) & (error < FORWARD_BACKWARD_PX)
    # reduced pixel centres lie at (i + 0.5) / scale - 0.5
    a = (points[keep, 0].astype(np.float64) + 0.5) / scale - 0.5
    b = (forward[keep, 0].astype(np.float64) + 0.5) / scale - 0.5
    dominant = None
    if len(a) >= 12:
        h, inliers = cv2.findHomography(a, b, cv2.USAC_MAGSAC, 2.0 / scale)
        if h is not None and inliers.mean() >= 0.35:
            dominant = h
    return Motion(a, b, dominant)
