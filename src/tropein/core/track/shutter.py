"""How long the shutter was open, read from tracked patches: the share of the frame's time under which the blur of a fast frame and that
of the reference, each given the other's, look most alike."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tropein.core.track.align import gaussian_window, warped
from tropein.core.track.patches import SHUTTER, Reference, smeared

SHARES = np.linspace(0, 1, 6)
TOLD_PX = 5.0  # a frame tells of it where its motion differs so much, pixels a frame, from the reference's
ENOUGH, MOST = 3, 40  # frames from which on it is believed, and after which it is settled


class ShutterGuess:
    """Begins with the usual half of the frame's time, and learns."""

    def __init__(self) -> None:
        self._cost, self._seen = np.zeros(len(SHARES)), 0

    @property
    def known(self) -> bool:
        return self._seen >= ENOUGH

    @property
    def share(self) -> float:
        """Of the frame's time, 0..1."""
        if not self.known:
            return SHUTTER
        best = int(np.argmin(self._cost))
        if not 0 < best < len(SHARES) - 1:
            return float(SHARES[best])
        a, b, c = self._cost[best - 1 : best + 2]
        return float(SHARES[best] + 0.5 * SHARES[1] * (a - c) / max(a - 2 * b + c, 1e-12))

    def see(
        self,
        crop: NDArray[np.float32],
        reference: Reference,
        matrix: NDArray[np.float64],
        velocity: NDArray[np.float64],
        half: int,
    ) -> None:
        """A frame in which the small patch was found by `matrix` (2x3) in `crop` while it moved by `velocity` (2,) pixels a frame."""
        shape = matrix[:, :2]
        there = shape @ reference.velocity
        if self._seen >= MOST or np.linalg.norm(velocity - there) < TOLD_PX:
            return
        back, window = np.linalg.pinv(shape), gaussian_window(half, 1)
        for k, share in enumerate(SHARES):
            now = warped(smeared(crop, share * there), matrix, half, 1)
            then = reference.patch(half, 1, back @ velocity * share)
            self._cost[k] += np.log(max(1 - _alike(now, then, window), 1e-4))
        self._seen += 1


def _alike(a: NDArray[np.float64], b: NDArray[np.float64], window: NDArray[np.float64]) -> float:
    """Correlation under a window."""
    w = window / window.sum()
    a, b = a - (w * a).sum(), b - (w * b).sum()
    return float((w * a * b).sum() / np.sqrt((w * a * a).sum() * (w * b * b).sum() + 1e-9))
