"""A lens that bends straight lines: one radial term, r' = r (1 + bend r^2) about the picture's middle (Brown 1971, first
term), and its inverse in closed form (the cubic's trigonometric roots)."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.picture import Window

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Lens:
    """`bend` in 1/px^2: below 0 the corners are drawn in (barrel), above 0 out. `centre` in pixels."""

    bend: float
    centre: tuple[float, float]

    @classmethod
    def of_corner(cls, share: float, size: tuple[int, int]) -> Lens:
        """The lens that shows what is seen in the picture's corner by `share` of its way from the middle too far out (as
        lens makers state it; negative: too far in)."""
        w, h = size
        reach = float(np.hypot(w, h)) / 2 / (1 + share)
        return cls(share / reach**2, (w / 2, h / 2))

    def at_corner(self, size: tuple[int, int]) -> float:
        """The share that `of_corner` takes."""
        reach = float(np.hypot(*size)) / 2
        return reach / float(np.hypot(*(self.straight(np.array(self.centre) + [reach, 0]) - self.centre))) - 1

    def seen(self, points: NDArray[Any]) -> Array:
        """Where points (..., 2) of the straight picture are seen."""
        away = np.asarray(points, np.float64) - self.centre
        r2 = (away**2).sum(-1, keepdims=True)
        if self.bend < 0:  # beyond this the formula would fold the picture back
            r2 = np.minimum(r2, -1 / (3 * self.bend))
        return away * (1 + self.bend * r2) + self.centre

    def straight(self, points: NDArray[Any]) -> Array:
        """Where seen points (..., 2) lie in the straight picture."""
        away = np.asarray(points, np.float64) - self.centre
        if self.bend == 0:
            return away + self.centre
        r = np.sqrt((away**2).sum(-1, keepdims=True))
        span = 2 / np.sqrt(3 * abs(self.bend))
        if self.bend < 0:
            root = span * np.sin(np.arcsin(np.minimum(3 * r / span, 1)) / 3)
        else:
            root = span * np.sinh(np.arcsinh(3 * r / span) / 3)
        return away * np.where(r > 0, root / np.maximum(r, 1e-12), 1) + self.centre


@dataclass(frozen=True)
class Bending:
    """A lens, and what is done to the picture after it: `after` (3x3, row by row) takes the lens's pixels to the target's."""

    lens: Lens
    after: tuple[float, ...]

    @classmethod
    def of(cls, lens: Lens, after: Array) -> Bending:
        return cls(lens, tuple(np.round(after, 9).ravel().tolist()))

    @property
    def matrix(self) -> Array:
        return np.array(self.after).reshape(3, 3)

    def then(self, after: Array) -> Bending:
        return Bending.of(self.lens, after @ self.matrix)

    def seen(self, points: NDArray[Any]) -> Array:
        """Points (n, 2) of the straight picture, in the target."""
        p = np.c_[self.lens.seen(points), np.ones(len(points))] @ self.matrix.T
        return p[:, :2] / p[:, 2:]


@lru_cache(2)
def straight_grid(bending: Bending, window: Window) -> Array:
    """(h, w, 2) where the middles of a window's pixels lie in the straight picture."""
    y, x = np.mgrid[window.y0 : window.y1, window.x0 : window.x1] + 0.5
    p = np.stack([x, y, np.ones_like(x)], -1) @ np.linalg.inv(bending.matrix).T
    return bending.lens.straight(p[..., :2] / p[..., 2:])
