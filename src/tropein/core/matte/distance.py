"""Coverage by distance: how far away the floor of a solved scene is at every pixel, beyond its horizon endlessly far."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]
Array = NDArray[np.float64]


def along_floor(pose: Array, focal: float, centre: Array, height: float, to_picture: Array, corner: tuple[int, int],
                size: tuple[int, int]) -> Plane:  # fmt: skip
    """(h, w) distance from the camera to the level plane `height` over the floor (y = 0, y down), in the world's units; infinite
    where a pixel's ray does not meet it.

    pose: (4, 4) world to camera, which may scale; focal and centre in the picture's pixels; `to_picture` (3x3) takes the pixels that
    are wanted, `size` (w, h) of them from `corner` (x, y) on, to the picture's.
    """
    away = np.linalg.inv(pose[:3, :3])
    eye = -away @ pose[:3, 3]
    lens = np.array([[1 / focal, 0, -centre[0] / focal], [0, 1 / focal, -centre[1] / focal], [0, 0, 1.0]])
    rays = (away @ lens @ to_picture).astype(np.float64)
    w, h = size
    x = (np.arange(w) + corner[0] + 0.5)[None]
    y = (np.arange(h) + corner[1] + 0.5)[:, None]
    along = [rays[i, 0] * x + rays[i, 1] * y + rays[i, 2] for i in range(3)]
    scale = to_picture[2, 0] * x + to_picture[2, 1] * y + to_picture[2, 2]
    with np.errstate(divide="ignore", invalid="ignore"):
        steps = (-height - eye[1]) / along[1] * np.sign(scale)
        far = steps * np.sqrt(along[0] ** 2 + along[1] ** 2 + along[2] ** 2)
    return np.where(np.isfinite(far) & (steps > 0), far, np.inf).astype(np.float32)


def coverage(distance: Plane, near: float, far: float) -> Plane:
    """0 up to `near`, 1 from `far` on, a smoothstep in between; the other way round where far is nearer than near."""
    if abs(far - near) < 1e-9:
        return (distance >= near).astype(np.float32)
    t = np.clip((np.minimum(distance, 1e12) - near) / (far - near), 0, 1)
    return np.asarray(t * t * (3 - 2 * t), np.float32)
