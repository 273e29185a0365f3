"""Coverage from ranges of brightness and colour, on display-encoded values, where they match what the eye sees."""

from __future__ import annotations

from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.colour import LUMA, encode_table, look_up_above

Plane = NDArray[np.float32]


@dataclass(frozen=True)
class ColourRange:
    """Hue and its whole width in degrees; saturation 0..1 from; lightness from and to; softness 0..1 of each range."""

    hue: float
    hue_width: float
    saturation: float
    dark: float
    light: float
    softness: float


@nb.njit(inline="always")
def _ramp(value, at, softness):  # type: ignore[no-untyped-def]
    """0 below, 1 above, a smooth ramp of `softness` ending at `at`."""
    if softness < np.float32(1e-4):
        return np.float32(1) if value >= at else np.float32(0)
    t = min(max((value - (at - softness)) / softness, np.float32(0)), np.float32(1))
    return t * t * (np.float32(3) - np.float32(2) * t)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _luma(rgb, bits, curve, weights, low, high, softness, out):  # type: ignore[no-untyped-def]
    for y in nb.prange(out.shape[0]):
        for x in range(out.shape[1]):
            value = np.float32(0)
            for c in range(3):
                value += weights[c] * look_up_above(rgb[y, x, c], bits[y, x, c], curve)
            out[y, x] = _ramp(value, low, softness) * (np.float32(1) - _ramp(value, high + softness, softness))


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _colour(rgb, bits, curve, hue, width, saturation, dark, light, softness, soft_light, out):  # type: ignore[no-untyped-def]
    one, tiny = np.float32(1), np.float32(1e-6)
    half, soft_saturation = width / np.float32(2), softness * max(saturation, np.float32(0.05))
    for y in nb.prange(out.shape[0]):
        for x in range(out.shape[1]):
            r = look_up_above(rgb[y, x, 0], bits[y, x, 0], curve)
            g = look_up_above(rgb[y, x, 1], bits[y, x, 1], curve)
            b = look_up_above(rgb[y, x, 2], bits[y, x, 2], curve)
            top, chroma = max(r, g, b), max(r, g, b) - min(r, g, b)
            safe = max(chroma, tiny)
            turn = (g - b) / safe
            if top != r:
                turn = np.float32(2) + (b - r) / safe if top == g else np.float32(4) + (r - g) / safe
            away = turn * np.float32(60) - hue + np.float32(180)
            away = abs(away - np.float32(360) * np.floor(away / np.float32(360)) - np.float32(180))
            share = one
            if width < np.float32(360):
                share -= _ramp(away, half * (one + softness) + np.float32(1e-3), half * softness)
            share *= _ramp(chroma / max(top, tiny), saturation, soft_saturation)
            share *= _ramp(top, dark, soft_light) * (one - _ramp(top, light + soft_light, soft_light))
            out[y, x] = share * min(chroma * np.float32(50), one)  # grey has no hue: it fades out as its colour does


def luma(rgb: NDArray[np.float32], low: float, high: float, softness: float) -> Plane:
    """(h, w) coverage of (h, w, 3) linear light whose display luma lies between low and high."""
    out = np.empty(rgb.shape[:2], np.float32)
    _luma(rgb, rgb.view(np.uint32), encode_table(), LUMA, np.float32(low), np.float32(high), np.float32(softness), out)
    return out


def colour(rgb: NDArray[np.float32], r: ColourRange) -> Plane:
    """(h, w) coverage of (h, w, 3) linear light by hue, saturation and lightness (HSV's hue and saturation)."""
    out = np.empty(rgb.shape[:2], np.float32)
    soft_light = r.softness * 0.5 * min(1.0, max(r.light - r.dark, 0.05))
    f = np.float32
    bounds = f(r.hue), f(r.hue_width), f(r.saturation), f(r.dark), f(r.light), f(r.softness), f(soft_light)
    _colour(rgb, rgb.view(np.uint32), encode_table(), *bounds, out)
    return out
