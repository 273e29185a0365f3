"""Light that falls on a flat picture: round or a cone, full within one radius, gone beyond another."""

from __future__ import annotations

import math

import numba as nb
import numpy as np

from tropein.core.raster.picture import Picture, Pixels
from tropein.core.raster.warp import Matrix


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _pool(pixels, x0, y0, m, centre, inner, outer, aim, half_cone, soft_cone, light, kept, out):  # type: ignore[no-untyped-def]
    for y in nb.prange(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            px, py = x + x0 + 0.5, y + y0 + 0.5
            w = m[2, 0] * px + m[2, 1] * py + m[2, 2]
            dx = (m[0, 0] * px + m[0, 1] * py + m[0, 2]) / w - centre[0]
            dy = (m[1, 0] * px + m[1, 1] * py + m[1, 2]) / w - centre[1]
            far = math.sqrt(dx * dx + dy * dy)
            t = min(max((outer - far) / max(outer - inner, 1e-6), 0.0), 1.0)
            fall = t * t * (3 - 2 * t)
            if half_cone < math.pi and fall > 0:
                off = abs(math.atan2(dy, dx) - aim)
                off = min(off, 2 * math.pi - off)
                edge = min(max((half_cone + soft_cone - off) / max(soft_cone, 1e-6), 0.0), 1.0)
                fall *= edge * edge * (3 - 2 * edge)
            for c in range(3):
                out[y, x, c] = pixels[y, x, c] * np.float32(kept + light[c] * fall)
            out[y, x, 3] = pixels[y, x, 3]


def pool_of_light(
    picture: Picture, own: Matrix, centre: tuple[float, float], inner: float, outer: float, light: tuple[float, ...],
    kept: float, aim_deg: float = 0.0, cone_deg: float = 360.0, cone_soft_deg: float = 20.0,
) -> Picture:  # fmt: skip
    """The picture times what falls on it: `kept` of the light there was, and `light` (3, linear Rec.709) added to that within
    `inner` px of `centre`, fading by a smoothstep to nothing at `outer`.

    `own` (3x3) takes the picture's pixels to the space in which centre and radii are given. Below 360 degrees it shines
    only within a cone about `aim_deg` (clockwise from the right), whose edge fades over `cone_soft_deg`.
    """
    if picture.window.empty:
        return picture
    out: Pixels = np.empty_like(picture.pixels)
    w = picture.window
    _pool(
        np.ascontiguousarray(picture.pixels), w.x0, w.y0, np.ascontiguousarray(own, np.float64), np.array(centre, float),
        float(inner), float(max(outer, inner + 1e-3)), math.atan2(math.sin(math.radians(aim_deg)), math.cos(math.radians(aim_deg))),
        math.pi if cone_deg >= 360 else math.radians(cone_deg / 2), math.radians(cone_soft_deg), np.array(light, float), float(kept), out,
    )  # fmt: skip
    return Picture(out, w)
