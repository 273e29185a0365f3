"""Particles that are born all over a matte, or along its edge."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.coverage import Coverage
from tropein.core.raster.hashed import of_each
from tropein.core.raster.warp import Matrix, apply

LOOKED_AT_PX = 320  # the width at which a matte is looked at
MOST_MOMENTS = 48  # of a life: a matte is looked at so often
LEAST_COVER = 0.02
WHICH, ACROSS, DOWN = 20, 21, 22  # random numbers of a particle


def moments(first: int, last: int) -> tuple[int, NDArray[np.int64]]:
    """(how many frames share a look at the matte, the frames at which it is looked at) for births in first..last: the same frames whatever
    frame is drawn, as long as lives are as long."""
    every = max(1, math.ceil((last - first + 1) / MOST_MOMENTS))
    return every, np.arange(first // every, last // every + 1) * every


class Born:
    """Where they are born. `seen`: coverage at each of the moments and the matrix from the content's pixels to its own; None where there is none."""

    def __init__(
        self, seed: int, first: int, every: int, seen: Sequence[tuple[Coverage, Matrix] | None], edge: bool
    ) -> None:
        self.seed, self.first, self.every, self.edge = seed, first, every, edge
        self.seen = seen

    def __call__(self, numbers: NDArray[np.uint64], of: NDArray[np.int64]) -> NDArray[np.float64]:
        """(n, 2) in the content's pixels, by chance as much as there is of the matte; NaN where there is nothing of it."""
        out = np.full((len(numbers), 2), np.nan)
        moment = (self.first + of) // self.every - self.first // self.every
        lots = np.stack([of_each(self.seed, numbers, k) for k in (WHICH, ACROSS, DOWN)], 1)
        for k, seen in enumerate(self.seen):
            mine = np.flatnonzero(moment == k)
            if seen is None or not mine.size:
                continue
            coverage, matrix = seen
            total = np.cumsum(self._wanted(coverage), dtype=np.float64)
            if total[-1] < LEAST_COVER or abs(np.linalg.det(matrix)) < 1e-12:
                continue
            u = lots[mine]
            spot = np.minimum(np.searchsorted(total, u[:, 0] * total[-1], "right"), total.size - 1)
            y, x = np.divmod(spot, coverage.window.width)
            at = np.stack([x + u[:, 1] + coverage.window.x0, y + u[:, 2] + coverage.window.y0], 1)
            out[mine] = apply(np.linalg.inv(matrix), at)
        return out

    def _wanted(self, coverage: Coverage) -> NDArray[np.float32]:
        plane = coverage.plane
        if not self.edge:
            return plane
        down, across = np.gradient(plane)
        return np.asarray(np.hypot(down, across), np.float32)
