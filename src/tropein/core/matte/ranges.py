"""Coverage from ranges of brightness and colour, on display-encoded values, where they match what the eye sees."""

from __future__ import annotations

from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.colour import LUMA
from tropein.core.raster.srgb import FAST, shown

Plane = NDArray[np.float32]
f = np.float32
HARD = f(1e-4)  # the least softness: a step


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
    t = min(max((value - (at - softness)) / softness, f(0)), f(1))
    return t * t * (f(3) - f(2) * t)


@nb.njit(inline="always")
def _display(pixels, y, r, g, b, out):  # type: ignore[no-untyped-def]
    """A row's display values, and its coverage, 1 where the pixels have none, in `out`."""
    n = pixels.shape[2]
    row = pixels[y].reshape(pixels.shape[1] * n)
    if n == 4:
        for x in range(r.size):
            r[x] = row[4 * x]
            g[x] = row[4 * x + 1]
            b[x] = row[4 * x + 2]
            out[x] = row[4 * x + 3]
    else:
        for x in range(r.size):
            r[x] = row[3 * x]
            g[x] = row[3 * x + 1]
            b[x] = row[3 * x + 2]
            out[x] = f(1)
    for x in range(r.size):
        r[x] = shown(max(r[x], f(0)))
    for x in range(g.size):
        g[x] = shown(max(g[x], f(0)))
    for x in range(b.size):
        b[x] = shown(max(b[x], f(0)))


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy", fastmath=FAST)
def _luma(pixels, weights, low, high, softness, out):  # type: ignore[no-untyped-def]
    wr, wg, wb = weights[0], weights[1], weights[2]
    for y in nb.prange(out.shape[0]):
        lines = np.empty((3, out.shape[1]), np.float32)
        r, g, b, made = lines[0], lines[1], lines[2], out[y]
        _display(pixels, y, r, g, b, made)
        for x in range(made.size):
            value = wr * r[x] + wg * g[x] + wb * b[x]
            made[x] *= _ramp(value, low, softness) * (f(1) - _ramp(value, high + softness, softness))


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy", fastmath=FAST)
def _colour(pixels, hue, width, saturation, dark, light, softness, soft_light, out):  # type: ignore[no-untyped-def]
    one, tiny = f(1), f(1e-6)
    half, soft_saturation = width * f(0.5), max(softness * max(saturation, f(0.05)), HARD)
    soft_hue, soft_light, all_hues = max(half * softness, HARD), max(soft_light, HARD), width >= f(360)
    for y in nb.prange(out.shape[0]):
        lines = np.empty((3, out.shape[1]), np.float32)
        red, green, blue, made = lines[0], lines[1], lines[2], out[y]
        _display(pixels, y, red, green, blue, made)
        for x in range(made.size):
            r, g, b = red[x], green[x], blue[x]
            top = max(max(r, g), b)
            chroma = top - min(min(r, g), b)
            part = one / max(chroma, tiny)
            other = f(2) + (b - r) * part if top == g else f(4) + (r - g) * part
            turn = (g - b) * part if top == r else other
            away = turn * f(60) - hue + f(180)
            away = abs(away - f(360) * np.floor(away * f(1 / 360)) - f(180))
            share = f(0) if all_hues else _ramp(away, half * (one + softness) + f(1e-3), soft_hue)
            share = (one - share) * _ramp(chroma / max(top, tiny), saturation, soft_saturation)
            share *= _ramp(top, dark, soft_light) * (one - _ramp(top, light + soft_light, soft_light))
            made[x] *= share * min(chroma * f(50), one)  # grey has no hue: it fades out as its colour does


def luma(pixels: NDArray[np.float32], low: float, high: float, softness: float) -> Plane:
    """(h, w) coverage of (h, w, 4) premultiplied or (h, w, 3) linear light whose display luma lies between low and high, as far as they cover."""
    out = np.empty(pixels.shape[:2], np.float32)
    _luma(np.ascontiguousarray(pixels), LUMA, f(low), f(high), max(f(softness), HARD), out)
    return out


def colour(pixels: NDArray[np.float32], r: ColourRange) -> Plane:
    """The same by hue, saturation and lightness (HSV's hue and saturation)."""
    out = np.empty(pixels.shape[:2], np.float32)
    soft_light = r.softness * 0.5 * min(1.0, max(r.light - r.dark, 0.05))
    bounds = f(r.hue), f(r.hue_width), f(r.saturation), f(r.dark), f(r.light), f(r.softness), f(soft_light)
    _colour(np.ascontiguousarray(pixels), *bounds, out)
    return out
