"""Homographies of patches on a plane: where each patch lies, what is believable, the best fit."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.warp import apply


def placed(h: NDArray[Any], centres: NDArray[Any]) -> NDArray[np.float64]:
    """(n, 2, 3): for each patch the local shape of the homography and where it puts the centre."""
    out = np.empty((len(centres), 2, 3))
    p = np.c_[centres, np.ones(len(centres))] @ h.T
    q = p[:, :2] / p[:, 2:]
    out[:, :, :2] = (h[None, :2, :2] - q[:, :, None] * h[2, :2]) / p[:, 2, None, None]
    out[:, :, 2] = q
    return out


def sane(h: NDArray[Any], corners: NDArray[Any]) -> bool:
    """The plane is seen from the front, not folded, neither vanishing nor enormous."""
    if not np.isfinite(h).all() or abs(h[2, 2]) < 1e-9:
        return False
    depth = np.c_[corners, np.ones(4)] @ (h / h[2, 2])[2]
    if (depth < 0.05).any():
        return False
    q = apply(h, corners)
    sides = np.roll(q, -1, 0) - q
    turns = sides[:, 0] * np.roll(sides, -1, 0)[:, 1] - sides[:, 1] * np.roll(sides, -1, 0)[:, 0]
    was = np.roll(corners, -1, 0) - corners
    sign = np.sign((was[:, 0] * np.roll(was, -1, 0)[:, 1] - was[:, 1] * np.roll(was, -1, 0)[:, 0])[0])
    grown = cv2.contourArea(q.astype(np.float32)) / max(cv2.contourArea(corners.astype(np.float32)), 1.0)
    return bool((turns * sign > 0).all() and 0.02 < grown < 50)


def least_squares(
    source: NDArray[Any], target: NDArray[Any], sigma: NDArray[Any], start: NDArray[Any]
) -> tuple[NDArray[Any], float, Callable[[NDArray[Any]], float]]:
    """Gauss-Newton over the eight parameters with weights by expected error and Tukey's function (Hartley & Zisserman
    2004, section 4.5). Returns the homography, the weighted rms, and a function that pushes an error of 1 px of the
    patches to the mean expected error at other points."""
    scale = np.diag([1 / 200, 1 / 200, 1.0]) @ np.array(
        [[1, 0, -source[:, 0].mean()], [0, 1, -source[:, 1].mean()], [0, 0, 1]]
    )
    h = start @ np.linalg.inv(scale)
    h = h / h[2, 2]
    s = np.c_[source, np.ones(len(source))] @ scale.T
    base = 1 / (sigma**2 + 0.04**2)
    for _ in range(5):
        p = s @ h.T
        q = p[:, :2] / p[:, 2:]
        r = target - q
        size = np.linalg.norm(r, axis=1)
        limit = 4.685 * max(1.4826 * float(np.median(size)), 0.03)
        w = base * np.where(size < limit, (1 - (size / limit) ** 2) ** 2, 0)
        j = _derivative(s, p, q)
        normal = np.einsum("n,nki,nkj->ij", w, j, j)
        d = np.linalg.solve(normal + 1e-9 * np.eye(8) * np.trace(normal), np.einsum("n,nki,nk->i", w, j, r))
        h = h + np.append(d, 0).reshape(3, 3)
        if np.abs(d).max() < 1e-6:
            break
    used = w > 0
    rms = float(np.sqrt((w * size**2).sum() / max(w.sum(), 1e-12)))
    plain = np.einsum("nki,nkj->ij", j[used], j[used])
    covariance = np.linalg.pinv(plain)

    def spread(points: NDArray[Any]) -> float:
        t = np.c_[points, np.ones(len(points))] @ scale.T
        p = t @ h.T
        jt = _derivative(t, p, p[:, :2] / p[:, 2:])
        return float(np.sqrt(np.einsum("nki,ij,nkj->n", jt, covariance, jt)).mean())

    full = h @ scale
    return full / full[2, 2], rms, spread


def _derivative(s: NDArray[Any], p: NDArray[Any], q: NDArray[Any]) -> NDArray[Any]:
    """(n, 2, 8): how projected places change with the first eight entries of the homography."""
    j = np.zeros((len(s), 2, 8))
    k = s / p[:, 2:]
    j[:, 0, 0:3] = k
    j[:, 1, 3:6] = k
    j[:, 0, 6:8] = -q[:, :1] * k[:, :2]
    j[:, 1, 6:8] = -q[:, 1:] * k[:, :2]
    return j
