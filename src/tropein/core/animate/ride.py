"""Following a track: the offset of a ride at a frame."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, eq=False)
class Path:
    """A tracked path: `frames` (n,) rising, `xy` (n, 2) footage pixels, `good` (n,) False where the track is lost."""

    frames: NDArray[np.float64]
    xy: NDArray[np.float64]
    good: NDArray[np.bool_]

    def at(self, frame: float, steady: float = 0.0, gaps: str = "bridge") -> NDArray[np.float64] | None:
        """Position at a (sub-)frame; lost stretches are bridged straight or held, ends hold. None: nothing to follow,
        or `gaps` is "hide" and the track is lost there."""
        if not self.good.any():
            return None
        frames, xy = self.frames[self.good], self.xy[self.good]
        if gaps == "hide":
            near = int(np.argmin(np.abs(self.frames - frame)))
            if not self.good[near] or abs(self.frames[near] - frame) > 1:
                return None
        if gaps == "hold":
            before = max(0, int(np.searchsorted(frames, frame, side="right")) - 1)
            if before + 1 < len(frames) and frames[before + 1] - frames[before] > 1:
                return xy[before]
        if steady > 0:
            from scipy.ndimage import gaussian_filter1d

            every = np.arange(frames[0], frames[-1] + 1)
            dense = np.stack([np.interp(every, frames, xy[:, i]) for i in range(2)], 1)
            frames, xy = every, gaussian_filter1d(dense, steady, axis=0, mode="nearest")
        return np.array([np.interp(frame, frames, xy[:, i]) for i in range(2)])


def ride_offset(path: Path, frame: float, reference: float, steady: float, gaps: str) -> NDArray[np.float64] | None:
    """How far the tracked thing has moved since the reference frame; exactly zero there. None when it is to be hidden."""
    here = path.at(frame, steady, gaps)
    there = path.at(reference, steady, "bridge")
    if here is None or there is None:
        return None if gaps == "hide" else np.zeros(2)
    return here - there
