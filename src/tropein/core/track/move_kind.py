"""What kind of move a camera made: a free one, one before a single plane, or a turn on the spot."""

from __future__ import annotations

from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.errors import BadInput

Kind = Literal["free", "rotation", "planar"]
SAME_PLANE = 0.7  # a homography explains this share of what epipolar geometry does: a pan or a plane
PAN_PX, PAN_SHARE = 1.0, 0.005  # a pan explains two views to this many pixels, or this share of how far points moved
INLIER_PX = 1.5
LEAST_COMMON = 30


def pairs(tracks: NDArray[Any], gaps: tuple[int, ...], step: float = 0.5) -> list[tuple[NDArray[Any], NDArray[Any]]]:
    """Places (n, 2) common to two frames that lie `gaps` apart, `step` gaps from one pair to the next."""
    count, out = tracks.shape[1], []
    for gap in (min(g, count - 1) for g in gaps):
        for a in range(0, count - gap, max(1, int(gap * step))):
            both = ~np.isnan(tracks[:, a, 0]) & ~np.isnan(tracks[:, a + gap, 0])
            if both.sum() >= LEAST_COMMON:
                out.append((tracks[both, a], tracks[both, a + gap]))
    return out


def kind_of_move(tracks: NDArray[Any], size: tuple[int, int]) -> tuple[Kind, float]:
    """(kind of move, how far points move at most between two compared frames, pixels)."""
    ratios, motions, transfers = [], [], []
    for p, q in pairs(tracks, (24, 48)):
        motions.append(float(np.median(np.linalg.norm(q - p, axis=1))))
        h, inside_h = cv2.findHomography(p, q, cv2.USAC_MAGSAC, INLIER_PX)
        f, inside_f = cv2.findFundamentalMat(p, q, cv2.USAC_MAGSAC, INLIER_PX, 0.999, 5000)
        if h is None or f is None or inside_f.sum() < 15:
            continue
        ratios.append(float(inside_h.sum() / max(1, inside_f.sum())))
        transfers.append(_pure_rotation_error(p[inside_h[:, 0] == 1], q[inside_h[:, 0] == 1], size))
    if not motions:
        raise BadInput(
            "Points are lost too soon to compare frames: the footage is too blurred, too fast, or full of cuts."
        )
    motion = max(motions)
    if not ratios or float(np.median(ratios)) < SAME_PLANE:
        return "free", motion
    turning = float(np.median(transfers)) < max(PAN_PX, PAN_SHARE * float(np.median(motions)))
    return ("rotation" if turning else "planar"), motion


def _pure_rotation_error(p: NDArray[Any], q: NDArray[Any], size: tuple[int, int]) -> float:
    """How badly a pure rotation with the best of many focal lengths explains two views, pixels."""
    centre = np.array(size) / 2
    best = 1e9
    for focal in np.geomspace(0.5, 5, 24) * size[0]:
        a, b = (np.c_[(x - centre) / focal, np.ones(len(x))] for x in (p, q))
        a, b = (x / np.linalg.norm(x, axis=1, keepdims=True) for x in (a, b))
        u, _, vt = np.linalg.svd(b.T @ a)
        r = u @ np.diag([1, 1, np.sign(np.linalg.det(u @ vt))]) @ vt
        c = a @ r.T
        best = min(best, float(np.median(np.linalg.norm(c[:, :2] / c[:, 2:] * focal + centre - q, axis=1))))
    return best
