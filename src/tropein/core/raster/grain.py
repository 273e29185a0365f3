"""Film-like grain and band-limited noise that come out the same for the same seed on every machine."""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np

from tropein.core.raster.colour import decode_table, encode_table, look_up
from tropein.core.raster.picture import Pixels


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


@nb.njit(parallel=True, cache=True, error_model="numpy")
def _grainy(pixels, noise, gain, own, response, encode, decode, out):  # type: ignore[no-untyped-def]
    """Adds noise to display values: a share common to all channels, a share of each one's own."""
    tiny, one = np.float32(1e-6), np.float32(1)
    common = np.sqrt(one - own * own)
    for y in nb.prange(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            a = pixels[y, x, 3]
            out[y, x, 3] = a
            for c in range(3):
                if a <= tiny:
                    out[y, x, c] = pixels[y, x, c]
                    continue
                v = max(pixels[y, x, c] / a, np.float32(0))
                shown = look_up(np.float32(v).view(np.uint32), encode)
                grey = min(shown, one)
                # film shows its grain most in the middle tones
                amount = gain * (one - response + response * np.float32(4) * grey * (one - grey))
                shown = max(shown + amount * (common * noise[y, x, 3] + own * noise[y, x, c]), np.float32(0))
                out[y, x, c] = look_up(np.float32(shown).view(np.uint32), decode) * a


def film_grain(pixels: Pixels, x0: int, y0: int, size_px: float, amount: float, colour: float, response: float, seed: int) -> Pixels:  # fmt: skip
    """(h, w, 4) linear pixels with grain laid over their display values.

    size_px: standard deviation of a grain's blur; amount: standard deviation of the grain, display values; colour 0..1: the
    share the channels do not have in common; response 0..1: how much more the middle tones show. x0, y0 and seed fix
    the pattern.
    """
    noise = np.empty(pixels.shape, np.float32)
    _white(noise, x0, y0, seed)
    if size_px > 0.2:
        noise = cv2.GaussianBlur(noise, (0, 0), size_px, borderType=cv2.BORDER_REFLECT)
        taps = cv2.getGaussianKernel(2 * round(3 * size_px) + 1 if size_px >= 0.5 else 5, size_px)
        amount = amount / float((taps**2).sum())  # what blurring took away, in both directions
    out = np.empty_like(pixels)
    f = np.float32
    _grainy(np.ascontiguousarray(pixels), noise, f(amount), f(colour), f(response), encode_table(), decode_table(), out)
    return out
