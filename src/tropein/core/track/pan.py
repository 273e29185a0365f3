"""A camera that only turns: one focal length and a rotation for every frame."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize_scalar

ROUNDS = 8


def solve_pan(
    tracks: NDArray[np.float64], size: tuple[int, int], focal_px: float | None = None
) -> tuple[float, NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """(focal length, (frames, 3, 4) poses, (frames,) mean error in pixels, (n, 3) directions) of tracks (n, frames, 2).

    For a focal length, rotations and directions are found by turns (Kabsch 1976, robustly weighted); the focal length is the
    one with the smallest error.
    """
    focal = focal_px
    if focal is None:
        grid = np.geomspace(0.45, 6, 22) * size[0]
        best = min(grid, key=lambda f: _solve(tracks, size, float(f))[3])
        low, high = best / 1.15, best * 1.15
        found = minimize_scalar(
            lambda f: _solve(tracks, size, float(f))[3], bounds=(low, high), method="bounded", options={"xatol": 0.05}
        )
        focal = float(found.x)
    rotations, directions, errors, _ = _solve(tracks, size, focal)
    poses = np.concatenate([rotations, np.zeros((len(rotations), 3, 1))], 2)
    return focal, poses, errors, directions[~np.isnan(directions[:, 0])]


def _solve(
    tracks: NDArray, size: tuple[int, int], focal: float
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64], float]:
    rays = np.concatenate([(tracks - np.array(size) / 2) / focal, np.ones((*tracks.shape[:2], 1))], 2)
    rays /= np.linalg.norm(rays, axis=2, keepdims=True)
    seen = ~np.isnan(tracks[..., 0])
    count = tracks.shape[1]
    rotations = np.tile(np.eye(3), (count, 1, 1))
    for f in range(1, count):  # a first chain from frame to frame
        both = seen[:, f] & seen[:, f - 1]
        rotations[f] = _turn(rays[both, f - 1], rays[both, f], np.ones(both.sum())) @ rotations[f - 1]
    weights = seen.astype(float)
    for _ in range(ROUNDS):
        world = np.einsum("fji,tfj->tfi", rotations, np.nan_to_num(rays))
        directions = (world * weights[..., None]).sum(1)
        length = np.linalg.norm(directions, axis=1, keepdims=True)
        directions = np.where(length > 0, directions / np.maximum(length, 1e-12), np.nan)
        gap = np.linalg.norm(np.einsum("fij,tj->tfi", rotations, directions) - rays, axis=2) * focal
        limit = max(4.685 * 1.4826 * float(np.nanmedian(gap)), 0.5)
        weights = np.where(seen & (gap < limit), (1 - (np.nan_to_num(gap) / limit) ** 2) ** 2, 0)
        for f in range(1, count):
            used = weights[:, f] > 0
            if used.sum() >= 6:
                rotations[f] = _turn(directions[used], rays[used, f], weights[used, f])
    gap = np.where(weights > 0, gap, np.nan)
    with np.errstate(invalid="ignore"):
        errors = np.nanmean(gap, 0)
    # of points that do not fit the error stays at its limit, or a wrong focal length would look good by leaving them out
    total = np.where(seen, np.minimum(np.nan_to_num(np.where(weights > 0, gap, limit), nan=limit), limit), 0)
    return rotations, directions, errors, float(np.sqrt((total**2).sum() / seen.sum()))


def _turn(a: NDArray, b: NDArray, weights: NDArray) -> NDArray[np.float64]:
    """The rotation that best takes directions a to b."""
    u, _, vt = np.linalg.svd((b * weights[:, None]).T @ a)
    return u @ np.diag([1, 1, np.sign(np.linalg.det(u @ vt))]) @ vt
