"""Following a track: where a thing tied to it goes between the reference frame and another."""

from __future__ import annotations

import math
from collections.abc import Collection
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.warp import Matrix, apply, quad_to_quad, rotation, scaling, translation

Model = Literal["translation", "similarity", "homography"]


@dataclass(frozen=True, eq=False)
class Path:
    """Tracked points: `frames` (n,) rising, `points` (n, k, 2) footage pixels, `good` (n,) False where the track is lost.

    `model` says what k points give: one a translation, two or more a similarity, four corners a homography.
    """

    frames: NDArray[np.float64]
    points: NDArray[np.float64]
    good: NDArray[np.bool_]
    model: Model = "translation"

    def at(self, frame: float, steady: float = 0.0, gaps: str = "bridge") -> NDArray[np.float64] | None:
        """(k, 2) points at a (sub-)frame; lost stretches are bridged straight or held, ends hold. None: nothing to
        follow, or `gaps` is "hide" and the track is lost there."""
        if not self.good.any():
            return None
        frames, points = self.frames[self.good], self.points[self.good]
        if gaps == "hide":
            near = int(np.argmin(np.abs(self.frames - frame)))
            if not self.good[near] or abs(self.frames[near] - frame) > 1:
                return None
        if gaps == "hold":
            before = max(0, int(np.searchsorted(frames, frame, side="right")) - 1)
            if before + 1 < len(frames) and frames[before + 1] - frames[before] > 1:
                return points[before]
        flat = points.reshape(len(points), -1)
        if steady > 0:
            from scipy.ndimage import gaussian_filter1d

            every = np.arange(frames[0], frames[-1] + 1)
            dense = np.stack([np.interp(every, frames, column) for column in flat.T], 1)
            frames, flat = every, gaussian_filter1d(dense, steady, axis=0, mode="nearest")
        return np.array([np.interp(frame, frames, column) for column in flat.T]).reshape(-1, 2)

    def moved(self, frame: float, reference: float, steady: float = 0.0, gaps: str = "bridge") -> Matrix | None:
        """The 3x3 matrix from the reference frame to a frame; exactly the identity there. None: hidden."""
        here, there = self.at(frame, steady, gaps), self.at(reference, steady, "bridge")
        if here is None or there is None:
            return None if gaps == "hide" else np.eye(3)
        if self.model == "homography":
            return np.eye(3) if np.array_equal(here, there) else quad_to_quad(there, here)
        if self.model == "translation" or len(here) < 2:
            return translation(*(here[0] - there[0]))
        return similarity(there, here)


def similarity(source: NDArray[np.float64], target: NDArray[np.float64]) -> Matrix:
    """The turn, growth and shift (3x3) that best take points (k, 2) to others. Umeyama, IEEE PAMI 13 (4), 1991."""
    a, b = source - source.mean(0), target - target.mean(0)
    size = float((a * a).sum())
    if size < 1e-9:
        return translation(*(target.mean(0) - source.mean(0)))
    c, s = float((a * b).sum()) / size, float((a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum()) / size
    turn = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]])
    return translation(*target.mean(0)) @ turn @ translation(*-source.mean(0))


def followed(matrix: Matrix, parts: Collection[str], about: NDArray[np.float64]) -> Matrix:
    """Of a motion only the parts that are followed; `about` is the place (2,) that is tied, in the reference frame."""
    if "perspective" in parts:
        return matrix
    p = matrix @ np.array([about[0], about[1], 1.0])
    goes = p[:2] / p[2]
    j = (matrix[:2, :2] - np.outer(goes, matrix[2, :2])) / p[2]  # the local shape of the motion
    angle = math.degrees(math.atan2(j[1, 0] - j[0, 1], j[0, 0] + j[1, 1])) if "rotation" in parts else 0.0
    size = math.sqrt(abs(float(np.linalg.det(j)))) if "scale" in parts else 1.0
    to = goes if "position" in parts else about
    return translation(*to) @ rotation(angle) @ scaling(size, size) @ translation(*-about)


def speed_px(a: Matrix, b: Matrix, corners: NDArray[np.float64]) -> float:
    """The farthest any of some points (n, 2) lies under one matrix from where it lies under another."""
    with np.errstate(divide="ignore", invalid="ignore"):
        gap = np.linalg.norm(apply(a, corners) - apply(b, corners), axis=1)
    return float(np.nan_to_num(gap, nan=0.0, posinf=0.0).max())
