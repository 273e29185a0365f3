"""What a camera sees through: one focal length, the picture's middle, and one radial term."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.lens import Lens

Array = NDArray[np.float64]


@dataclass(frozen=True)
class Optics:
    """`focal` in pixels; `radial` is the first radial term, of distances in focal lengths (Brown 1971); `size` (w, h), whose middle
    is the principal point."""

    focal: float
    size: tuple[int, int]
    radial: float = 0.0

    @classmethod
    def through(cls, lens: Lens | None, focal: float, size: tuple[int, int]) -> Optics:
        return cls(focal, size, 0.0 if lens is None else lens.bend * focal**2)

    @property
    def lens(self) -> Lens | None:
        """What bends straight lines; None when nothing does."""
        w, h = self.size
        return Lens(self.radial / self.focal**2, (w / 2, h / 2)) if self.radial else None

    @property
    def matrix(self) -> Array:
        """(3, 3) of the picture before the lens bends it."""
        w, h = self.size
        return np.array([[self.focal, 0, w / 2], [0, self.focal, h / 2], [0, 0, 1.0]])

    def straightened(self, places: Array) -> Array:
        """Where seen places (..., 2) lie without the lens."""
        return places if self.lens is None else self.lens.straight(places)

    def seen(self, points: Array) -> Array:
        """Where points (..., 3) in the camera's axes are seen, (..., 2) pixels; NaN or worse behind it."""
        with np.errstate(divide="ignore", invalid="ignore"):
            flat = self.focal * points[..., :2] / points[..., 2:] + np.array(self.size) / 2
        return flat if self.lens is None else self.lens.seen(flat)

    def unbent(self) -> Optics:
        return replace(self, radial=0.0)


def reprojection_errors(tracks: Array, poses: Array, points: Array, optics: Optics) -> Array:
    """(tracks, frames) distances in pixels between tracks (tracks, frames, 2) and points (tracks, 3) seen by poses
    (frames, 3, 4); NaN where unseen, infinite behind the camera."""
    p = np.einsum("fij,tj->tfi", poses, np.c_[points, np.ones(len(points))])
    gap = np.linalg.norm(optics.seen(p) - tracks, axis=2)
    return np.where(p[..., 2] > 1e-6, gap, np.where(np.isnan(tracks[..., 0]), np.nan, np.inf))
