"""Jitter."""

from __future__ import annotations

import math
from functools import lru_cache
from typing import ClassVar, Literal

import numpy as np

from tropein.core.document.mover import MOVERS, MoverBase, Numbers, Sampling, setting


@MOVERS.add
class Jitter(MoverBase):
    """Shakes a value about where it is, smoothly and never twice alike; each of its numbers by itself."""

    title: ClassVar[str] = "Jitter"
    words: ClassVar[str] = "jitter of {amount}, every {every} frames"
    kind: Literal["jitter"] = "jitter"
    amount: float = setting(1.0, "Amount", soft=(0, 20), hard=(0, 1e5), step=0.05)
    every: float = setting(4.0, "Every", soft=(1, 48), hard=(0.1, 1000), step=0.5, unit="fr")
    seed: float = setting(1, "Seed", soft=(0, 100), hard=(0, 10_000), step=1)

    def moved(self, numbers: Numbers, frame: float, sampler: Sampling | None) -> Numbers:
        t = frame / self.every
        return tuple(n + self.amount * _noise(int(self.seed), i, t) for i, n in enumerate(numbers))


def _noise(seed: int, channel: int, t: float) -> float:
    """Between about -1 and 1, smooth, through a drawn value at every whole t (Catmull-Rom between them)."""
    whole = math.floor(t)
    a, b, c, d = (_drawn(seed, channel, whole + k) for k in (-1, 0, 1, 2))
    s = t - whole
    return b + 0.5 * s * (c - a + s * (2 * a - 5 * b + 4 * c - d + s * (3 * (b - c) + d - a)))


@lru_cache(4096)
def _drawn(seed: int, channel: int, at: int) -> float:
    return float(np.random.default_rng((seed, channel, at + 2**24)).uniform(-1, 1))
