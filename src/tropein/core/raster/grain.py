"""Film-like grain and band-limited noise that come out the same for the same seed on every machine."""

from __future__ import annotations

import math
from functools import lru_cache

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.colour import decode_table, encode_table, look_up
from tropein.core.raster.picture import Pixels

TILE = 512


@nb.njit(inline="always")
def _hash(x, y, seed):  # type: ignore[no-untyped-def]
    """An integer hash with good avalanche (the finaliser of MurmurHash3, Appleby 2011)."""
    # products of two uint32 are uint64 here: what overflows must be cut off by hand
    low = np.uint64(0xFFFFFFFF)
    h = (np.uint64(np.uint32(x)) * np.uint64(0x8DA6B343) ^ np.uint64(np.uint32(y)) * np.uint64(0xD8163841)) & low
    h ^= np.uint64(np.uint32(seed))
    h ^= h >> np.uint64(16)
    h = (h * np.uint64(0x85EBCA6B)) & low
    h ^= h >> np.uint64(13)
    h = (h * np.uint64(0xC2B2AE35)) & low
    h ^= h >> np.uint64(16)
    return h


@nb.njit(parallel=True, cache=True, error_model="numpy")
def _noise(out, x0, y0, cell, drift, seed, octaves, gain):  # type: ignore[no-untyped-def]
    h, w = out.shape
    for row in nb.prange(h):
        amplitude, size = np.float32(1.0), np.float32(cell)
        for o in range(octaves):
            fy = (np.float32(row + y0) + np.float32(0.5)) / size
            fz = np.float32(drift) * np.float32(1 << o) * np.float32(0.5)
            iy, iz = np.int64(np.floor(fy)), np.int64(np.floor(fz))
            ty, tz = fy - np.float32(iy), fz - np.float32(iz)
            ty, tz = ty * ty * (np.float32(3) - np.float32(2) * ty), tz * tz * (np.float32(3) - np.float32(2) * tz)
            last = np.int64(-1 << 40)
            left, right = np.float32(0), np.float32(0)
            for col in range(w):
                fx = (np.float32(col + x0) + np.float32(0.5)) / size
                ix = np.int64(np.floor(fx))
                if ix != last:  # the lattice values change once a cell, not once a pixel
                    last = ix
                    for side in range(2):
                        v = np.float32(0)
                        for k in range(4):
                            yy, zz = iy + (k & 1), iz + (k >> 1)
                            weight = (ty if k & 1 else np.float32(1) - ty) * (tz if k >> 1 else np.float32(1) - tz)
                            bits = _hash(ix + side, yy, seed + o * 7919 + zz * 104729)
                            v += weight * np.float32(bits) * np.float32(1.0 / 4294967296.0)
                        if side == 0:
                            left = v
                        else:
                            right = v
                tx = fx - np.float32(ix)
                tx = tx * tx * (np.float32(3) - np.float32(2) * tx)
                value = left + (right - left) * tx
                out[row, col] = (np.float32(0) if o == 0 else out[row, col]) + (value - np.float32(0.5)) * amplitude
            amplitude *= np.float32(gain)
            size *= np.float32(0.5)


def fractal(
    width: int, height: int, cell_px: float, *, x0: int = 0, y0: int = 0, drift: float = 0.0, seed: int = 0,
    octaves: int = 5, gain: float = 0.5,
) -> Pixels:  # fmt: skip
    """(height, width) value noise of several octaves, about -0.5..0.5 at gain 0; moves in place as `drift` grows."""
    out = np.empty((height, width), np.float32)
    _noise(out, x0, y0, float(cell_px), float(drift), seed, octaves, gain)
    return out


@nb.njit(parallel=True, cache=True, error_model="numpy")
def _white(out, x0, y0, seed):  # type: ignore[no-untyped-def]
    """Four numbers a pixel, each the sum of four uniform bytes: near enough to Gaussian, of mean 0 and variance 1."""
    k = np.float32(1.0 / 147.8017)
    for row in nb.prange(out.shape[0]):
        for col in range(out.shape[1]):
            for c in range(4):
                bits = _hash(np.int64(col + x0) * 4 + c, np.int64(row + y0), seed)
                total = (bits & 255) + ((bits >> 8) & 255) + ((bits >> 16) & 255) + ((bits >> 24) & 255)
                out[row, col, c] = (np.float32(total) - np.float32(510)) * k


@lru_cache(16)
def _tile(size_px: float, seed: int) -> Pixels:
    """(TILE, TILE, 4) grain of variance 1 that joins itself at its borders."""
    noise = np.empty((TILE, TILE, 4), np.float32)
    _white(noise, 0, 0, seed)
    if size_px > 0.2:
        reach = math.ceil(4 * size_px)
        around = cv2.copyMakeBorder(noise, reach, reach, reach, reach, cv2.BORDER_WRAP)
        noise = cv2.GaussianBlur(around, (0, 0), size_px)[reach:-reach, reach:-reach]
    return np.ascontiguousarray(noise / noise.std())


@nb.njit(parallel=True, cache=True, error_model="numpy")
def _grainy(pixels, tile, y0, x0, gain, own, response, encode, decode, out):  # type: ignore[no-untyped-def]
    """Adds grain to display values: a share common to all channels, a share of each one's own."""
    tiny, one = np.float32(1e-6), np.float32(1)
    common = np.sqrt(one - own * own)
    n = tile.shape[0]
    for y in nb.prange(pixels.shape[0]):
        row = tile[(y + y0) % n]
        at = x0 % n
        for x in range(pixels.shape[1]):
            a = pixels[y, x, 3]
            out[y, x, 3] = a
            if a > tiny:
                inverse = one / a
                for c in range(3):
                    v = max(pixels[y, x, c] * inverse, np.float32(0))
                    shown = look_up(np.float32(v).view(np.uint32), encode)
                    grey = min(shown, one)
                    # film shows its grain most in the middle tones
                    amount = gain * (one - response + response * np.float32(4) * grey * (one - grey))
                    shown = max(shown + amount * (common * row[at, 3] + own * row[at, c]), np.float32(0))
                    out[y, x, c] = look_up(np.float32(shown).view(np.uint32), decode) * a
            else:
                for c in range(3):
                    out[y, x, c] = pixels[y, x, c]
            at += 1
            if at == n:
                at = 0


def film_grain(pixels: Pixels, x0: int, y0: int, size_px: float, amount: float, colour: float, response: float, seed: int, frame: float) -> Pixels:  # fmt: skip
    """(h, w, 4) linear pixels with grain laid over their display values.

    size_px: standard deviation of a grain's blur; amount: standard deviation of the grain, display values; colour 0..1: the
    share the channels do not have in common; response 0..1: how much more the middle tones show. x0, y0, seed and frame
    fix the pattern: one tile, laid at another place in every frame.
    """
    tile = _tile(round(size_px, 2), seed)
    place = int(_hash(round(frame * 64), 7, seed))
    out = np.empty_like(pixels)
    f = np.float32
    y, x = y0 + (place & 0xFFFF), x0 + (place >> 16)
    _grainy(
        np.ascontiguousarray(pixels), tile, y, x, f(amount), f(colour), f(response), encode_table(), decode_table(), out
    )
    return out


@nb.njit(parallel=True, cache=True, error_model="numpy")
def _lit(pixels, clouds, step, contrast, level, gains, out):  # type: ignore[no-untyped-def]
    """Adds clouds, drawn on every `step`-th pixel, as light where the picture covers."""
    h, w = clouds.shape
    zero, half = np.float32(0), np.float32(0.5)
    scale = np.float32(1.0 / step)
    for y in nb.prange(pixels.shape[0]):
        fy = min(max((np.float32(y) + half) * scale - half, zero), np.float32(h - 1))
        iy = min(int(fy), max(h - 2, 0))
        ty = fy - np.float32(iy)
        below = min(iy + 1, h - 1)
        for x in range(pixels.shape[1]):
            fx = min(max((np.float32(x) + half) * scale - half, zero), np.float32(w - 1))
            ix = min(int(fx), max(w - 2, 0))
            tx = fx - np.float32(ix)
            right = min(ix + 1, w - 1)
            top = clouds[iy, ix] + (clouds[iy, right] - clouds[iy, ix]) * tx
            bottom = clouds[below, ix] + (clouds[below, right] - clouds[below, ix]) * tx
            light = max((top + (bottom - top) * ty) * contrast + level, zero) * pixels[y, x, 3]
            for c in range(3):
                out[y, x, c] = pixels[y, x, c] + light * gains[c]
            out[y, x, 3] = pixels[y, x, 3]


def cloud_light(pixels: Pixels, clouds: NDArray[np.float32], step: int, contrast: float, level: float, gains: NDArray[np.float32]) -> Pixels:  # fmt: skip
    """(h, w, 4) pixels with the light of `clouds` (h / step, w / step), times contrast plus level, in `gains` (3,)."""
    out = np.empty_like(pixels)
    _lit(np.ascontiguousarray(pixels), clouds, step, np.float32(contrast), np.float32(level), gains, out)
    return out
