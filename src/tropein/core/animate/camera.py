"""Cameras: solved ones read off a path, and the one that stands before the frame."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tropein.core.animate.ride import Path
from tropein.core.raster.lens import Lens
from tropein.core.raster.warp import Matrix

Array = NDArray[np.float64]
SPOT = "camera"  # a path of a camera track by this spot holds the camera's own numbers
STILL_FOCAL = 1.2  # of the frame's width: about what a normal lens sees


@dataclass(frozen=True, eq=False)
class Camera:
    """`pose` (4, 4) world to camera (x right, y down, z forward), `focal` and `centre` (2,) in pixels; `radial` is the lens's
    first radial term, of distances in focal lengths."""

    pose: Array
    focal: float
    centre: Array
    radial: float = 0.0

    @property
    def lens(self) -> Lens | None:
        """What bends straight lines; None when nothing does."""
        x, y = self.centre
        return Lens(self.radial / self.focal**2, (float(x), float(y))) if self.radial else None

    @property
    def turn(self) -> Array:
        """The pose's rotation (3, 3), whatever the world's units."""
        r = self.pose[:3, :3]
        return r / np.cbrt(np.linalg.det(r))

    def within(self, world: Array) -> Camera:
        """The same camera in a world that `world` (4, 4) takes the present one to."""
        return replace(self, pose=self.pose @ np.linalg.inv(world))

    def seen(self, model: Array, size: tuple[int, int], unit: float) -> Matrix | None:
        """The 3x3 matrix that takes a picture's pixels to the frame's before the lens bends it, the picture lying in the plane z = 0 of `model`
        (4, 4), its middle at the origin, `unit` scene units to a pixel. None where any of it lies behind the camera."""
        # so few numbers are quicker one by one, and this is asked of every card at every moment of the shutter
        w, h = size
        x, y, z = (
            (unit * a, unit * b, at - unit * (w / 2 * a + h / 2 * b))
            for a, b, _, at in (self.pose[:3] @ model).tolist()
        )
        if min(z[2], z[0] * w + z[2], z[1] * h + z[2], z[0] * w + z[1] * h + z[2]) <= 1e-6 * self.focal:
            return None
        across, down = self.centre.tolist()
        f = self.focal
        return np.array(
            [[f * a + across * c for a, c in zip(x, z, strict=True)],
             [f * b + down * c for b, c in zip(y, z, strict=True)], z]
        )  # fmt: skip

    def depth(self, point: Array) -> float:
        """How far before the camera a point (3,) lies."""
        return float(self.pose[2, :3] @ point + self.pose[2, 3])


def standing(size: tuple[int, int]) -> Camera:
    """The camera before the frame: the frame itself lies at z = 0, its middle at the origin."""
    w, h = size
    focal = STILL_FOCAL * w
    pose = placed((0, 0, focal), (0, 0, 0))
    return Camera(pose, focal, np.array([w / 2, h / 2]))


def numbers(pose: Array, focal: float, centre: Array, radial: float = 0.0) -> Array:
    """A camera as 8 pairs, so that it can travel as a path."""
    return np.r_[np.asarray(pose)[:3].ravel(), focal, centre, radial].reshape(8, 2)


def at(path: Path, frame: float) -> Camera | None:
    """The camera of a path of `numbers` at a frame; between frames its turn stays a turn."""
    values = path.at(frame)
    if values is None:
        return None
    flat = values.ravel()
    pose = np.eye(4)
    pose[:3] = flat[:12].reshape(3, 4)
    u, _, v = np.linalg.svd(pose[:3, :3])
    pose[:3, :3] = u @ v
    return Camera(pose, float(flat[12]), flat[13:15], float(flat[15]))


def placed(position: Sequence[float] | Array, turn_deg: Sequence[float] | Array) -> Array:
    """A 4x4 model: turned about x, then y, then z, then moved."""
    (a, b, c), (x, y, z) = (math.radians(angle) for angle in turn_deg), position
    ca, sa, cb, sb, cc, sc = math.cos(a), math.sin(a), math.cos(b), math.sin(b), math.cos(c), math.sin(c)
    return np.array(
        [
            [cc * cb, cc * sb * sa - sc * ca, cc * sb * ca + sc * sa, x],
            [sc * cb, sc * sb * sa + cc * ca, sc * sb * ca - cc * sa, y],
            [-sb, cb * sa, cb * ca, z],
            [0.0, 0.0, 0.0, 1.0],
        ]
    )
