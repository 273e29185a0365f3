"""Coverage by distance: how far away the floor of a solved scene is at every pixel, beyond its horizon endlessly far."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]


def coverage(distance: NDArray[np.floating[Any]], near: float, far: float) -> Plane:
    """0 up to `near`, 1 from `far` on, a smoothstep in between; the other way round where far is nearer than near."""
    if abs(far - near) < 1e-9:
        return (distance >= near).astype(np.float32)
    t = np.clip((np.minimum(distance, 1e12) - near) / (far - near), 0, 1)
    return np.asarray(t * t * (3 - 2 * t), np.float32)
