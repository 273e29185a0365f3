"""At which scale a layer's own picture is worked on."""

from __future__ import annotations

import math

from tropein.core.raster.warp import Matrix


def working_scale(matrix: Matrix, size: tuple[int, int], scale: float) -> float:
    """Exact for what is only laid as large as it is, else the power of two above what is seen. `matrix`: the picture's pixels to the
    shot's; `scale`: the plan's pixels per shot pixel."""
    (a, b, x0), (c, d, y0), (g, h, i) = matrix.tolist()
    if g or h:
        width, height = size
        p = [
            ((a * x + b * y + x0) / z, (c * x + d * y + y0) / z)
            for x, y in ((0, 0), (width, 0), (width, height), (0, height))
            if (z := g * x + h * y + i)
        ]
        sides = (width, height, width, height)
        stretch = max(math.dist(p[k], p[k - 3]) / sides[k] for k in range(4)) if len(p) == 4 else math.inf
    else:
        stretch = max(math.hypot(a, c), math.hypot(b, d))
        if b == 0 and c == 0 and a == d == 1:
            return min(1.0, scale)
    wanted = min(1.0, max(stretch * scale, 1 / 64))
    return float(2.0 ** math.ceil(math.log2(wanted) - 1e-9))
