"""Per-channel curves, luma curve and saturation in one pass over the pixels."""

from __future__ import annotations

from collections.abc import Sequence

import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.colour import GRID, LUMA, look_up
from tropein.core.raster.picture import Picture, Pixels


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _tone(pixels, curves, luma_gain, has_luma, saturation, weights, black, out):  # type: ignore[no-untyped-def]
    zero, one, tiny = np.float32(0), np.float32(1), np.float32(1e-6)
    sat, none = np.float32(saturation), np.zeros(3, np.float32)
    for y in nb.prange(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            a = pixels[y, x, 3]
            clear = a <= tiny  # light that covers nothing: changed as if it did, but where there is none none comes
            inv = one if a >= one or clear else one / a
            r = look_up(np.float32(max(pixels[y, x, 0] * inv, zero)).view(np.uint32), curves[0])
            g = look_up(np.float32(max(pixels[y, x, 1] * inv, zero)).view(np.uint32), curves[1])
            b = look_up(np.float32(max(pixels[y, x, 2] * inv, zero)).view(np.uint32), curves[2])
            if has_luma or sat != one:
                lum = weights[0] * r + weights[1] * g + weights[2] * b
                if has_luma:
                    gain = look_up(np.float32(max(lum, zero)).view(np.uint32), luma_gain)
                    r, g, b, lum = r * gain, g * gain, b * gain, lum * gain
                r, g, b = lum + (r - lum) * sat, lum + (g - lum) * sat, lum + (b - lum) * sat
            share, off = (one, black) if clear else (a, none)
            out[y, x, 0] = max(max(r, zero) - off[0], zero) * share
            out[y, x, 1] = max(max(g, zero) - off[1], zero) * share
            out[y, x, 2] = max(max(b, zero) - off[2], zero) * share
            out[y, x, 3] = a


def of_black(
    curves: Sequence[NDArray[np.float32]] | NDArray[np.float32], saturation: float, luma_gain: NDArray[np.float32] | None,
    grid: NDArray[np.float32] = GRID,
) -> NDArray[np.float32]:  # fmt: skip
    """(3,) what black becomes; tables over `grid`."""
    rgb = np.array([c[0] for c in curves], np.float32)
    if luma_gain is not None:
        rgb = rgb * np.interp(float(rgb @ LUMA), grid, luma_gain).astype(np.float32)
    lum = rgb @ LUMA
    return np.maximum(lum + (rgb - lum) * np.float32(saturation), 0).astype(np.float32)


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
    black = of_black(curves, saturation, luma_gain)
    _tone(pixels, curves, luma_gain if has else curves[0], has, float(saturation), LUMA, black, out)
    return Picture(out, picture.window)
