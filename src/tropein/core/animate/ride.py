"""Following a track: where a thing tied to it goes between the reference frame and another."""

from __future__ import annotations

import math
from collections.abc import Collection
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np
import scipy
from numpy.typing import NDArray

from tropein.core.raster.warp import Matrix, apply, quad_to_quad, rotation, scaling, translation

Model = Literal["translation", "similarity", "homography"]
MOST_WAYS = 64  # of a path that are kept, bridged and smoothed


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
        """(k, 2) points at a (sub-)frame; lost stretches are bridged straight, held, or coasted through with the speed at
        their ends; ends hold, or coast on. None: nothing to follow, or `gaps` is "hide" and the track is lost there."""
        frames, points = self._seen
        if not len(frames):
            return None
        if gaps == "hide":
            near = int(np.argmin(np.abs(self.frames - frame)))
            if not self.good[near] or abs(self.frames[near] - frame) > 1:
                return None
        if gaps == "hold":
            before = max(0, int(np.searchsorted(frames, frame, side="right")) - 1)
            if before + 1 < len(frames) and frames[before + 1] - frames[before] > 1:
                return points[before]
        frames, flat = self._smoothed(gaps == "coast", frame, steady)
        return _between(frame, frames, flat).reshape(-1, 2)

    def _smoothed(self, coasts: bool, frame: float, steady: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Frames (n,) and values (n, 2k) between which `at` reads: kept, for many frames ask for the same. Those beyond the path are not: what
        coasts on does so from frame to frame."""
        frames, points = self._seen
        flat = points.reshape(len(points), -1)
        if not coasts and steady <= 0:
            return frames, flat
        beyond = coasts and not self.frames[0] <= frame <= self.frames[-1]
        known = None if beyond else self._ways.get((coasts, steady))
        if known is not None:
            return known
        if coasts:
            near = math.floor(frame)
            every = np.union1d(self.frames, [near, near + 1]) if beyond else self.frames
            frames, flat = every, coasted(frames, flat, every)
        if steady > 0:
            every = np.arange(frames[0], frames[-1] + 1)
            dense = np.stack([np.interp(every, frames, column) for column in flat.T], 1)
            frames, flat = every, scipy.ndimage.gaussian_filter1d(dense, steady, axis=0, mode="nearest")
        if not beyond and len(self._ways) < MOST_WAYS:
            self._ways[coasts, steady] = frames, flat
        return frames, flat

    @cached_property
    def _ways(self) -> dict[tuple[bool, float], tuple[NDArray[np.float64], NDArray[np.float64]]]:
        return {}

    @cached_property
    def _seen(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Frames and points of where the track is not lost."""
        return self.frames[self.good], self.points[self.good]

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

    def filled_by(self, other: Path) -> Path:
        """This path with its lost stretches carried by another's motion, from both of their ends where there are two."""
        known = self.frames[self.good]
        if not len(known):
            return self
        points, good = self.points.copy(), self.good.copy()
        for i in np.flatnonzero(~self.good):
            frame = float(self.frames[i])
            ends = [e for e in (known[known < frame][-1:], known[known > frame][:1]) if len(e)]
            carried = []
            for end in ends:
                moved = other.moved(frame, float(end[0]), gaps="hide")
                if moved is not None:
                    carried.append((abs(frame - end[0]), apply(moved, self.points[self.frames == end[0]][0])))
            if carried:
                weights = [1 / max(float(away), 1e-6) for away, _ in carried]
                points[i] = np.average([p for _, p in carried], axis=0, weights=weights)
                good[i] = True
        return Path(self.frames, points, good, self.model)


def _between(frame: float, frames: NDArray[np.float64], values: NDArray[np.float64]) -> NDArray[np.float64]:
    """values (n, c) known at `frames` (n,) at a frame, straight between them and held beyond."""
    right = int(np.searchsorted(frames, frame))
    if right == 0 or right == len(frames):
        return values[min(right, len(frames) - 1)].copy()
    t = (frame - frames[right - 1]) / (frames[right] - frames[right - 1])
    return values[right - 1] + t * (values[right] - values[right - 1])


COAST_FRAMES = 4  # over so many frames the speed at the end of a stretch is read


def coasted(frames: NDArray[np.float64], values: NDArray[np.float64], at: NDArray[np.float64]) -> NDArray[np.float64]:
    """values (n, c) known at `frames` (n,), at other frames (m, c): through gaps by cubics that keep the speed at both of
    their ends (Hermite), beyond the first and the last on at the speed that was there."""
    frames = np.asarray(frames, float)

    def speed(end: int, step: int) -> NDArray[np.float64]:
        """Of the unbroken stretch that ends at index `end` and lies towards `step`."""
        other = end
        while (
            0 <= other + step < len(frames)
            and abs(other + step - end) <= COAST_FRAMES
            and abs(frames[other + step] - frames[other]) <= 1
        ):
            other += step
        if other == end:
            return np.zeros(values.shape[1])
        return (values[end] - values[other]) / (frames[end] - frames[other])

    out = np.stack([np.interp(at, frames, column) for column in values.T], 1)
    for i, t in enumerate(at):
        right = int(np.searchsorted(frames, t))
        if right < len(frames) and frames[right] == t:
            continue
        if right == 0:
            out[i] = values[0] + (t - frames[0]) * speed(0, 1)
        elif right == len(frames):
            out[i] = values[-1] + (t - frames[-1]) * speed(right - 1, -1)
        elif frames[right] - frames[right - 1] > 1:
            width = frames[right] - frames[right - 1]
            s = (t - frames[right - 1]) / width
            a, b = values[right - 1], values[right]
            va, vb = speed(right - 1, -1) * width, speed(right, 1) * width
            out[i] = (
                (2 * s**3 - 3 * s**2 + 1) * a
                + (s**3 - 2 * s**2 + s) * va
                + (-2 * s**3 + 3 * s**2) * b
                + (s**3 - s**2) * vb
            )
    return out


def similarity(source: NDArray[np.float64], target: NDArray[np.float64]) -> Matrix:
    """The turn, growth and shift (3x3) that best take points (k, 2) to others. Umeyama, IEEE PAMI 13 (4), 1991."""
    here, there = source.sum(0) / len(source), target.sum(0) / len(target)
    a, b = source - here, target - there
    size = float((a * a).sum())
    if size < 1e-9:
        return translation(*(there - here))
    c, s = float((a * b).sum()) / size, float((a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum()) / size
    turn = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1.0]])
    return translation(*there) @ turn @ translation(*-here)


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
