"""Film-like grain and band-limited noise that come out the same for the same seed on every machine."""

from __future__ import annotations

import numba as nb
import numpy as np

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
