"""Grain and the light of clouds over a register: see raster/grain.py and grain_like.py, whose patterns these are."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.colour import LUMA
from tropein.core.raster.grain import TILE, place_of_tile, planar_tile, strength_at
from tropein.core.raster.grain_like import ENTRIES
from tropein.core.raster.srgb import light, shown
from tropein.core.rows.coded import twice
from tropein.core.rows.op import PLANES, REGISTERS, Kernel, at, carray
from tropein.core.rows.points import Use

f = np.float32
S = REGISTERS * 4


@nb.njit(inline="always")
def _amount(seen, gain, response):  # type: ignore[no-untyped-def]
    grey = min(seen, f(1))
    return gain * (f(1) - response + response * f(4) * grey * (f(1) - grey))


@Kernel
def grain(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Over register ints[0], display values; where ints[1], linear and not opaque. arrays: a tile (ints[2], 3, ints[2]) float32, laid so that
    (ints[3], ints[4]) of the frame is its corner; numbers: gain, response."""
    a, k, n, p = carray(row, (PLANES, width)), carray(ints, 5), carray(numbers, 2), carray(arrays, 1)
    d, size, gain, response = k[0] * 4, k[2], n[0], n[1]
    y = (ay - k[4]) % size
    for c in range(3):
        tile = carray(at(p[0] + (y * 3 + c) * size * 4, np.float32), size)
        x = x0
        while x < x1:
            across = (ax + x - k[3]) % size
            end = min(x1, x + size - across)
            o, t, cover = a[d + c, x:end], tile[across : across + end - x], a[d + 3, x:end]
            if k[1] == 0:
                for i in range(o.size):
                    o[i] = max(o[i] + _amount(o[i], gain, response) * t[i], f(0))
            else:
                for i in range(o.size):
                    s = shown(max(o[i] / max(cover[i], f(1e-6)), f(0)))
                    v = light(max(s + _amount(s, gain, response) * t[i], f(0))) * cover[i]
                    o[i] = v if cover[i] > f(1e-6) else o[i]
            x = end


@Kernel
def grain_alike(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """As `grain`, of a tile whose channels go together, as strong as arrays[1] (ENTRIES + 1,) says of their brightness, which numbers weigh."""
    a, k, n, p = carray(row, (PLANES, width)), carray(ints, 5), carray(numbers, 3), carray(arrays, 2)
    d, size, gains = k[0] * 4, k[2], carray(at(p[1], np.float32), ENTRIES + 1)
    y, cover = (ay - k[4]) % size, a[d + 3, x0:x1]
    bright, gain = a[S + 3, : x1 - x0], a[S + 4, : x1 - x0]
    for c in range(3):
        own, seen, weight = a[d + c, x0:x1], a[S + c, : x1 - x0], n[c]
        if k[1] == 0:
            for i in range(own.size):
                seen[i] = own[i]
        else:
            for i in range(own.size):
                seen[i] = shown(max(own[i] / max(cover[i], f(1e-6)), f(0)))
        for i in range(own.size):
            bright[i] = weight * seen[i] + (bright[i] if c else f(0))
    for i in range(gain.size):
        place = min(max(bright[i], f(0)), f(1)) * f(ENTRIES)
        j = min(np.int32(place), np.int32(ENTRIES - 1))
        gain[i] = gains[j] + (gains[j + 1] - gains[j]) * (place - f(j))
    for c in range(3):
        tile = carray(at(p[0] + (y * 3 + c) * size * 4, np.float32), size)
        x = x0
        while x < x1:
            across = (ax + x - k[3]) % size
            end = min(x1, x + size - across)
            o, t, much = a[d + c, x:end], tile[across : across + end - x], gain[x - x0 : end - x0]
            seen, part = a[S + c, x - x0 : end - x0], cover[x - x0 : end - x0]
            if k[1] == 0:
                for i in range(o.size):
                    o[i] = max(seen[i] + much[i] * t[i], f(0))
            else:
                for i in range(o.size):
                    v = light(max(seen[i] + much[i] * t[i], f(0))) * part[i]
                    o[i] = v if part[i] > f(1e-6) else o[i]
            x = end


def film(amount: float, size: float, colour: float, tones: float, seed: int, frame: float, scale: float) -> Use:
    """Grain by its numbers: see raster.grain.film_grain; size in pixels of the shot, of which the picture has `scale` as many."""
    y, x = place_of_tile(seed, frame)
    tile = planar_tile(size * scale, colour, seed)
    return Use(grain, (strength_at(amount, size, scale), tones), (TILE, -x, -y), (tile,), "display")


def alike(tile: NDArray[np.float32], gains: NDArray[np.float32], seed: int, frame: float) -> Use:
    """Grain as it was measured: see raster.grain_like.grain_like."""
    y, x = place_of_tile(seed, frame)
    given = (tile, np.ascontiguousarray(gains, np.float32))
    return Use(grain_alike, LUMA.tolist(), (TILE, -x, -y), given, "display")


@Kernel
def clouds(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Adds the light of a plane (ints[3] rows of ints[2]), one value for every pixel or, where ints[6] is 2, for two of them, the first at
    (ints[4], ints[5]) of the frame, times numbers[0] plus numbers[1], in the colour numbers[2:5], to register ints[0] where it covers."""
    a, k, n, p = carray(row, (PLANES, width)), carray(ints, 7), carray(numbers, 5), carray(arrays, 1)
    d, w, h, m, halved = k[0] * 4, k[2], k[3], x1 - x0, k[6] == 2
    y, first = ay - k[5], ax + x0 - k[4]
    gain, level, zero = n[0], n[1], f(0)
    iy, ty = y, zero
    if halved:
        fy = min(max(f(y) * f(0.5) - f(0.25), zero), f(h - 1))
        iy = np.int64(fy)
        ty = fy - f(iy)
    top = carray(at(p[0] + iy * w * 4, np.float32), w)
    low = carray(at(p[0] + min(iy + 1, h - 1) * w * 4, np.float32), w)
    lit, cover = a[S, : m + 2], a[d + 3, x0:x1]
    if halved:
        begin, end = first // 2, (first + m - 1) // 2 + 1
        line = a[S + 1, : end - begin + 2]
        above, under, inner = top[begin:end], low[begin:end], line[1 : end - begin + 1]
        for i in range(inner.size):
            inner[i] = (above[i] + (under[i] - above[i]) * ty) * gain + level
        left, right = max(begin - 1, 0), min(end, w - 1)
        line[0] = (top[left] + (low[left] - top[left]) * ty) * gain + level
        line[end - begin + 1] = (top[right] + (low[right] - top[right]) * ty) * gain + level
        twice(line, lit[: 2 * (end - begin)], f(0.5))
        lit = lit[first & 1 :]
    else:
        part = top[first : first + m]
        for i in range(m):
            lit[i] = part[i] * gain + level
    for c in range(3):
        o, g = a[d + c, x0:x1], n[2 + c]
        for i in range(m):
            o[i] += max(lit[i], zero) * cover[i] * g
