"""Per-channel curves, luma curve and saturation in one pass over the pixels."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.colour import LUMA, look_up
from tropein.core.raster.picture import Picture, Pixels


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _tone(pixels, curves, luma_gain, has_luma, saturation, weights, out):  # type: ignore[no-untyped-def]
    zero, one, tiny = np.float32(0), np.float32(1), np.float32(1e-6)
    sat = np.float32(saturation)
    for y in nb.prange(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            a = pixels[y, x, 3]
            if a <= tiny:
                for c in range(4):
                    out[y, x, c] = zero
                continue
            inv = one if a >= one else one / a
            r = look_up(np.float32(max(pixels[y, x, 0] * inv, zero)).view(np.uint32), curves[0])
            g = look_up(np.float32(max(pixels[y, x, 1] * inv, zero)).view(np.uint32), curves[1])
            b = look_up(np.float32(max(pixels[y, x, 2] * inv, zero)).view(np.uint32), curves[2])
            if has_luma or sat != one:
                lum = weights[0] * r + weights[1] * g + weights[2] * b
                if has_luma:
                    gain = look_up(np.float32(max(lum, zero)).view(np.uint32), luma_gain)
                    r, g, b, lum = r * gain, g * gain, b * gain, lum * gain
                r, g, b = lum + (r - lum) * sat, lum + (g - lum) * sat, lum + (b - lum) * sat
            out[y, x, 0] = max(r, zero) * a
            out[y, x, 1] = max(g, zero) * a
            out[y, x, 2] = max(b, zero) * a
            out[y, x, 3] = a


def tone(
    picture: Picture, curves: NDArray[np.float32], saturation: float = 1.0, luma_gain: NDArray[np.float32] | None = None
) -> Picture:
    """Each channel through its table, then brightness scaled by a table over luma, then saturation about luma.

    curves: (3, 32769) tables over linear values (see colour.GRID); luma_gain: a table of factors. Works on straight
    colour, returns premultiplied.
    """
    pixels = np.ascontiguousarray(picture.pixels)
    out: Pixels = np.empty_like(pixels)
    has = luma_gain is not None
    _tone(pixels, curves, luma_gain if has else curves[0], has, float(saturation), LUMA, out)
    return Picture(out, picture.window)
