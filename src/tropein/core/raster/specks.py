"""Drawing many soft discs, moving ones as what they sweep over while the shutter is open, and discs broken by noise.

A disc's profile is (1 - q^2)^2. A moving one is the exact integral of that along its way. Radii take in the pixel's own variance and opacity falls by as
much, so that small ones fade instead of flickering, and a picture at half size looks like the whole one reduced.
"""

from __future__ import annotations

from functools import lru_cache

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.picture import Pixels

STRIP = 32  # rows that one thread draws at a time
TINY = 8  # px, that a speck may reach of which pixels are counted
PIXEL = 2 / 3  # what is added to a radius squared
NOISE, NOISE_LEVELS, TEXELS = 512, 6, 90.0  # of the tile of noise; texels of it to a radius
# columns of a speck, px of the picture: middle, the way it went while the shutter was open, radius, opacity, light, cover, erosion, turn, where in the noise
SPECK = ("x", "y", "dx", "dy", "radius", "opacity", "red", "green", "blue", "cover", "erode", "turn", "nx", "ny")


@lru_cache(1)
def noise() -> tuple[NDArray[np.float32], NDArray[np.int64]]:
    """Billows 0..1 that repeat, each next level half as large, one after another, and where each begins."""
    rng = np.random.default_rng(5)
    total = np.zeros((NOISE, NOISE), np.float32)
    for o in range(5):
        cells = rng.standard_normal((NOISE, NOISE)).astype(np.float32)
        sigma = 26 / 2**o
        wide = np.tile(cells, (3, 3)) if sigma > 4 else np.pad(cells, 32, mode="wrap")
        off = NOISE if sigma > 4 else 32
        smooth = cv2.GaussianBlur(wide, (0, 0), sigma)[off : off + NOISE, off : off + NOISE]
        total += 0.46**o * np.abs(smooth / smooth.std())
    total = (total - total.min()) / (np.percentile(total, 99.5) - total.min())
    level, levels, begins = np.clip(total, 0, 1), [], [0]
    for _ in range(NOISE_LEVELS):
        levels.append(level.ravel())
        begins.append(begins[-1] + level.size)
        level = cv2.resize(level, (level.shape[1] // 2, level.shape[0] // 2), interpolation=cv2.INTER_AREA)
        level = np.clip(level.mean() + (level - level.mean()) * (levels[0].std() / level.std()), 0, 1)
    return np.concatenate(levels), np.array(begins[:-1], np.int64)


@nb.njit(inline="always")
def _chord(c, s):  # type: ignore[no-untyped-def]
    """The integral of (c - s^2)^2."""
    return s * (c * c - np.float32(2 / 3) * c * s * s + np.float32(0.2) * s * s * s * s)


@nb.njit(inline="always")
def swept(px, py, tx, ty, length):  # type: ignore[no-untyped-def]
    """A disc of radius 1 at a place (px, py) from the middle of its way of `length` along (tx, ty)."""
    zero = np.float32(0)
    s, p = px * tx + py * ty, px * ty - py * tx
    c = np.float32(1) - p * p
    if c <= zero:
        return zero
    if length < np.float32(0.05):
        f = max(c - s * s, zero)
        return f * f
    m, half = np.sqrt(c), length * np.float32(0.5)
    a, b = max(s - half, -m), min(s + half, m)
    return (_chord(c, b) - _chord(c, a)) / length if a < b else zero


@nb.njit(inline="always")
def _billow(noise, begin, side, x, y):  # type: ignore[no-untyped-def]
    """Between four texels of a level."""
    fx, fy = np.floor(x), np.floor(y)
    tx, ty = x - fx, y - fy
    mask = side - 1
    x0, y0 = int(fx) & mask, int(fy) & mask
    x1, y1 = (x0 + 1) & mask, (y0 + 1) & mask
    top = noise[begin + y0 * side + x0] * (1 - tx) + noise[begin + y0 * side + x1] * tx
    low = noise[begin + y1 * side + x0] * (1 - tx) + noise[begin + y1 * side + x1] * tx
    return top * (1 - ty) + low * ty


@nb.njit(inline="always")
def _lay(out, y, x, f, p):  # type: ignore[no-untyped-def]
    """So much of a speck over a pixel."""
    cover = min(f, np.float32(1)) * p[9]
    keep = np.float32(1) - cover
    out[y, x, 0] = out[y, x, 0] * keep + f * p[6]
    out[y, x, 1] = out[y, x, 1] * keep + f * p[7]
    out[y, x, 2] = out[y, x, 2] * keep + f * p[8]
    out[y, x, 3] = out[y, x, 3] * keep + cover


@nb.njit(cache=True, nogil=True, error_model="numpy")
def by_strip(specks, stretch, strips):  # type: ignore[no-untyped-def]
    """(the numbers of specks that reach each strip, in their order, strip after strip; where each strip's begin). They reach `stretch` times their
    radius and half of their way."""
    n = specks.shape[0]
    first, last = np.empty(n, np.int32), np.empty(n, np.int32)
    begins = np.zeros(strips + 1, np.int64)
    for k in range(n):
        radius = np.sqrt(specks[k, 4] * specks[k, 4] + np.float32(PIXEL))
        y, reach = specks[k, 1], radius * stretch + abs(specks[k, 3]) * np.float32(0.5)
        low, high = np.floor((y - reach) / STRIP), np.floor((y + reach) / STRIP)
        first[k], last[k] = min(max(low, 0.0), strips), max(min(high, strips - 1.0), -1.0)
        for s in range(first[k], last[k] + 1):
            begins[s + 1] += 1
    for s in range(strips):
        begins[s + 1] += begins[s]
    at, order = begins[:-1].copy(), np.empty(begins[strips], np.int32)
    for k in range(n):
        for s in range(first[k], last[k] + 1):
            order[at[s]] = k
            at[s] += 1
    return order, begins


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _draw(specks, order, begins_at, breakup, soft, noise, begins, out):  # type: ignore[no-untyped-def]
    h, w, _ = out.shape
    one, zero = np.float32(1), np.float32(0)
    lobes = abs(breakup)
    for strip in nb.prange((h + STRIP - 1) // STRIP):
        low, high = strip * STRIP, min(h, (strip + 1) * STRIP)
        of_it = np.empty(TINY * TINY, np.float32)
        for k in order[begins_at[strip] : begins_at[strip + 1]]:
            p = specks[k]
            r = np.sqrt(p[4] * p[4] + np.float32(PIXEL))
            reach_y = r + abs(p[3]) * np.float32(0.5)
            reach_x = r + abs(p[2]) * np.float32(0.5)
            x0, x1 = max(0, int(np.floor(p[0] - reach_x))), min(w, int(np.ceil(p[0] + reach_x)) + 1)
            y0, y1 = max(low, int(np.floor(p[1] - reach_y))), min(high, int(np.ceil(p[1] + reach_y)) + 1)
            if x0 >= x1 or y0 >= y1:
                continue
            far = np.sqrt(p[2] * p[2] + p[3] * p[3])
            tx, ty = (p[2] / far, p[3] / far) if far > np.float32(1e-6) else (one, zero)
            by = one / r
            length = far * by
            opacity = p[5] * p[4] * p[4] * by * by
            if r < np.float32(2) and length < one:  # of few pixels the sum is not the integral
                total = zero
                left, top = int(np.floor(p[0] - reach_x)), int(np.floor(p[1] - reach_y))
                wide = min(int(np.ceil(p[0] + reach_x)) + 1 - left, TINY)
                for y in range(min(int(np.ceil(p[1] + reach_y)) + 1 - top, TINY)):
                    for x in range(wide):
                        dx, dy = (
                            np.float32(left + x) + np.float32(0.5) - p[0],
                            np.float32(top + y) + np.float32(0.5) - p[1],
                        )
                        f = swept(dx * by, dy * by, tx, ty, length)
                        of_it[y * TINY + x] = f
                        total += f
                if total > zero:
                    opacity *= np.float32(1.0471976) * r * r / total
                if lobes == zero:
                    for y in range(y0, min(y1, top + TINY)):
                        for x in range(x0, min(x1, left + wide)):
                            f = of_it[(y - top) * TINY + x - left] * opacity
                            if f > zero:
                                _lay(out, y, x, f, p)
                    continue
            texel = np.float32(TEXELS) * by
            level = min(max(int(np.log2(max(texel, one))), 0), begins.size - 1)
            side, step = NOISE >> level, texel / np.float32(1 << level)
            c, s = np.cos(p[11]) * step, np.sin(p[11]) * step
            gain = one / soft
            for y in range(y0, y1):
                dy = np.float32(y) + np.float32(0.5) - p[1]
                for x in range(x0, x1):
                    dx = np.float32(x) + np.float32(0.5) - p[0]
                    if lobes > zero:
                        a, b = dx * by, dy * by
                        along = a * tx + b * ty
                        across = a * ty - b * tx
                        along /= one + length * np.float32(0.5)
                        d = one - along * along - across * across - p[10]
                        if d <= zero:
                            continue
                        n = _billow(
                            noise, begins[level], side, p[12] * side + c * dx - s * dy, p[13] * side + s * dx + c * dy
                        )
                        d = min(max((d - (lobes * n if breakup > zero else lobes * (one - n))) * gain, zero), one)
                        f = d * d * (np.float32(3) - np.float32(2) * d)
                    else:
                        f = swept(dx * by, dy * by, tx, ty, length)
                    f *= opacity
                    if f <= zero:
                        continue
                    _lay(out, y, x, f, p)


def specks(of: NDArray[np.float32], height: int, width: int, breakup: float = 0.0, soft: float = 0.6) -> Pixels:
    """(height, width, 4) premultiplied linear light of (n, 14) SPECK rows, laid in their order. `breakup`: how far noise eats into each, above 0 in
    threads, below 0 in lobes; soft: how wide the edge is that it leaves."""
    out = np.zeros((height, width, 4), np.float32)
    tile, begins = noise()
    of = np.ascontiguousarray(of, np.float32)
    order, begins_at = by_strip(of, np.float32(1), -(-height // STRIP))
    _draw(of, order, begins_at, np.float32(breakup), np.float32(max(soft, 0.02)), tile, begins, out)
    return out
