"""The floor of a solved scene as a camera sees it: where every pixel's ray meets it, and a soft shadow that lies on it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.lens import Lens

Array = NDArray[np.float64]
Plane = NDArray[np.float32]


def floor_hit(
    pose: Array,
    focal: float,
    centre: Array,
    height: float,
    to_picture: Array,
    corner: tuple[int, int],
    size: tuple[int, int],
    lens: Lens | None = None,
) -> tuple[Array, Array, Array]:
    """Where each pixel's ray meets the level plane `height` over the floor (y = 0, y down): x and z in the world, and how far
    that is from the camera, all (h, w); not a number, and infinitely far, where it does not.

    pose: (4, 4) world to camera, which may scale; focal and centre in the picture's pixels; `to_picture` (3x3) takes the pixels that
    are wanted, `size` (w, h) of them from `corner` (x, y) on, to the picture's, which a lens may bend.
    """
    away = np.linalg.inv(pose[:3, :3])
    eye = -away @ pose[:3, 3]
    rays = away @ np.array([[1 / focal, 0, -centre[0] / focal], [0, 1 / focal, -centre[1] / focal], [0, 0, 1.0]])
    x = (np.arange(size[0]) + corner[0] + 0.5)[None]
    y = (np.arange(size[1]) + corner[1] + 0.5)[:, None]
    u, v, before = (row[0] * x + row[1] * y + row[2] for row in to_picture)
    if lens is not None:
        straight = lens.straight(np.stack([u / before, v / before], -1))
        u, v = straight[..., 0] * before, straight[..., 1] * before
    along = [rays[i, 0] * u + rays[i, 1] * v + rays[i, 2] * before for i in range(3)]
    with np.errstate(divide="ignore", invalid="ignore"):
        steps = (-height - eye[1]) / along[1]
        steps = np.where(np.isfinite(steps) & (steps * np.sign(before) > 0), steps, np.nan)
        far = np.abs(steps) * np.sqrt(along[0] ** 2 + along[1] ** 2 + along[2] ** 2)
    return eye[0] + steps * along[0], eye[2] + steps * along[2], np.where(np.isfinite(far), far, np.inf)


def contact_shadow(x: Array, z: Array, foot: Array, half_way: Array, lift: float, soft: float) -> Plane:
    """How much of the light from above a standing card keeps off the floor at points (h, w) of it, 0..1: all along its foot, from
    `foot - half_way` to `foot + half_way` (x, z), fading with distance by a Gaussian of `soft` and, the higher (`lift`) it
    hangs, wider and fainter."""
    length2 = max(float(half_way @ half_way), 1e-12)
    dx, dz = x - foot[0], z - foot[1]
    along = np.clip((dx * half_way[0] + dz * half_way[1]) / length2, -1, 1)
    gap2 = (dx - along * half_way[0]) ** 2 + (dz - along * half_way[1]) ** 2
    wide = max(soft, 1e-6) + max(lift, 0.0) * 0.5
    faint = max(soft, 1e-6) / wide
    with np.errstate(invalid="ignore"):
        return np.nan_to_num(faint * np.exp(-gap2 / (2 * wide * wide)), nan=0.0).astype(np.float32)
