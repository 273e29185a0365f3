"""A first guess of how a lens bends straight lines: the bend under which two views agree best with one geometry, be it that of
a plane or an epipolar one, over many pairs of frames (the idea of Fitzgibbon, Simultaneous linear estimation of multiple view
geometry and lens distortion, CVPR 2001, by search)."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.lens import Lens
from tropein.core.track.move_kind import INLIER_PX, pairs

SHARES = np.arange(
    -0.24, 0.181, 0.03
)  # how far too far out the corner is seen, as a share: what lenses for film and phones show
MOST_PAIRS = 8
LIMIT_PX = 3.0
PLANE_AS_GOOD = 1.3
WORTH = 0.97  # a bend must lower the cost to this share of a straight lens's


def find_lens(tracks: NDArray[np.float64], size: tuple[int, int]) -> Lens | None:
    """The lens that tracks (n, frames, 2) speak for; None where a straight one does about as well."""
    some = pairs(tracks, (24,), 1.0)
    some = [some[round(i)] for i in np.linspace(0, len(some) - 1, min(MOST_PAIRS, len(some)))]
    if not some:
        return None
    costs = np.array([_costs(some, Lens.of_corner(float(s), size)) for s in SHARES])
    by_plane = costs[:, 0].min() < PLANE_AS_GOOD * costs[:, 1].min()
    curve = costs[:, 0 if by_plane else 1]
    best = int(np.argmin(curve))
    if curve[best] > WORTH * curve[int(np.argmin(np.abs(SHARES)))]:
        return None
    share = SHARES[best]
    if 0 < best < len(SHARES) - 1:  # the lowest point of a parabola through three
        a, b, c = curve[best - 1 : best + 2]
        share += 0.5 * (SHARES[1] - SHARES[0]) * (a - c) / max(a - 2 * b + c, 1e-12)
    return Lens.of_corner(float(share), size)


def _costs(some: list[tuple[NDArray[Any], NDArray[Any]]], lens: Lens) -> tuple[float, float]:
    """Mean capped squared errors of one homography and of one epipolar geometry a pair."""
    by_plane, by_rays = [], []
    for p, q in some:
        a, b = lens.straight(p), lens.straight(q)
        h, _ = cv2.findHomography(a, b, cv2.USAC_MAGSAC, INLIER_PX)
        f, _ = cv2.findFundamentalMat(a, b, cv2.USAC_MAGSAC, INLIER_PX, 0.999, 3000)
        one = np.ones(len(a))
        if h is not None:
            moved = np.c_[a, one] @ h.T
            by_plane.append(_capped(np.linalg.norm(moved[:, :2] / moved[:, 2:] - b, axis=1)))
        if f is not None and f.shape == (3, 3):
            left, right = np.c_[a, one] @ f.T, np.c_[b, one] @ f
            slope = np.sqrt((left[:, :2] ** 2).sum(1) + (right[:, :2] ** 2).sum(1))
            by_rays.append(_capped(np.abs((np.c_[b, one] * left).sum(1)) / np.maximum(slope, 1e-12)))
    return float(np.mean(by_plane or [LIMIT_PX**2])), float(np.mean(by_rays or [LIMIT_PX**2]))


def _capped(errors: NDArray[np.float64]) -> float:
    return float((np.minimum(errors, LIMIT_PX) ** 2).mean())
