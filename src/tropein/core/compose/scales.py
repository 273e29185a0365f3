"""At which scale a layer's own picture is worked on."""

from __future__ import annotations

import math

import numpy as np

from tropein.core.raster.warp import Matrix


def working_scale(matrix: Matrix, size: tuple[int, int], scale: float) -> float:
    """Exact for what is only laid as large as it is, else the power of two above what is seen. `matrix`: the picture's pixels to the
    shot's; `scale`: the plan's pixels per shot pixel."""
    a, b, c, d = matrix[0, 0], matrix[0, 1], matrix[1, 0], matrix[1, 1]
    if matrix[2, 0] or matrix[2, 1]:
        w, h = size
        p = np.c_[[[0, 0], [w, 0], [w, h], [0, h]], np.ones(4)] @ matrix.T
        p = p[:, :2] / p[:, 2:]
        sides = np.linalg.norm(np.roll(p, -1, 0) - p, axis=1) / np.array([w, h, w, h])
        stretch = float(sides.max())
    else:
        stretch = max(math.hypot(a, c), math.hypot(b, d))
        if b == 0 and c == 0 and a == d == 1:
            return min(1.0, scale)
    wanted = min(1.0, max(stretch * scale, 1 / 64))
    return float(2.0 ** math.ceil(math.log2(wanted) - 1e-9))
