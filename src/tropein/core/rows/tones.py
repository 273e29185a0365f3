"""A curve for each channel, a gain by luma, and saturation, in one operation.

Curves are tables of 64 steps an octave from 2^-14 on, small enough to stay at hand; between their entries, and below, they run straight.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache

import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.colour import LUMA, decoded, encoded
from tropein.core.raster.tone import of_black
from tropein.core.rows.op import PLANES, REGISTERS, Kernel, at, carray
from tropein.core.rows.points import Use

f = np.float32
S = REGISTERS * 4
LOWEST = np.int32(0x38800000)  # the bits of 2^-14
LAST = 30 * 64  # up to 2^16; what is brighter goes on as the last step does
_STEPS = (np.arange(LAST + 1, dtype=np.uint32) << 17) + np.uint32(LOWEST)
GRID: NDArray[np.float32] = np.concatenate([np.zeros(1, np.float32), _STEPS.view(np.float32)])


@nb.njit(inline="always")
def _entry(v, bits):  # type: ignore[no-untyped-def]
    """Which entry of a table a value from 0 follows, and how far."""
    above = np.int32(bits - LOWEST)
    step = np.int32(min(np.int32(above >> np.int32(17)), np.int32(LAST - 1)))
    share = f(np.int32(above - np.int32(step << np.int32(17)))) * f(1 / 131072)
    low = above < np.int32(0)
    return np.int32(0) if low else np.int32(step + np.int32(1)), v * f(16384) if low else share


@Kernel
def tone(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Register ints[0], linear; ints[1]: it is not opaque; ints[2]: there is a gain by luma. numbers: saturation, weights of luma [1:4], what black becomes [4:7];
    arrays: tables over GRID of red, green, blue and the gain."""
    a, k, n, p = carray(row, (PLANES, width)), carray(ints, 3), carray(numbers, 7), carray(arrays, 1)
    d, m = k[0] * 4, x1 - x0
    tables = carray(at(p[0], np.float32), (4, LAST + 2))
    zero, tiny = f(0), f(1e-6)
    cover, entry, share, lum = a[d + 3, x0:x1], a[S, :m].view(np.int32), a[S + 1, :m], a[S + 2, :m]
    for c in range(3):
        o, t = a[d + c, x0:x1], tables[c]
        if k[1]:
            for i in range(m):
                o[i] /= cover[i] if cover[i] > tiny else f(1)
        for i in range(m):
            v = max(o[i], zero)
            entry[i], share[i] = _entry(v, f(v).view(np.int32))
        for i in range(m):
            q = np.uint32(entry[i])
            v = t[q]
            o[i] = v + share[i] * (t[q + np.uint32(1)] - v)
    r, g, b, sat = a[d, x0:x1], a[d + 1, x0:x1], a[d + 2, x0:x1], n[0]
    wr, wg, wb = n[1], n[2], n[3]
    if k[2] or sat != f(1):
        for i in range(m):
            lum[i] = wr * r[i] + wg * g[i] + wb * b[i]
    if k[2]:
        t = tables[3]
        for i in range(m):
            v = max(lum[i], zero)
            entry[i], share[i] = _entry(v, f(v).view(np.int32))
        for i in range(m):
            q = np.uint32(entry[i])
            v = t[q]
            share[i] = v + share[i] * (t[q + np.uint32(1)] - v)
        for i in range(m):
            lum[i] *= share[i]
        for c in range(3):
            o = a[d + c, x0:x1]
            for i in range(m):
                o[i] *= share[i]
    for c in range(3):
        o = a[d + c, x0:x1]
        if sat != f(1):
            for i in range(m):
                o[i] = lum[i] + (o[i] - lum[i]) * sat
        if k[1]:
            for i in range(m):
                v = max(o[i], zero)
                rest = v - n[4 + c]
                o[i] = v * cover[i] if cover[i] > tiny else (rest if rest > zero else zero)
        else:
            for i in range(m):
                o[i] = max(o[i], zero)


def toned(
    curves: Sequence[NDArray[np.float32]] | NDArray[np.float32],
    saturation: float = 1.0,
    luma_gain: NDArray[np.float32] | None = None,
) -> Use:
    """Tables over GRID of each channel, and of a gain by luma."""
    rows = [*curves, curves[0] if luma_gain is None else luma_gain]
    tables = np.ascontiguousarray(np.stack(rows), np.float32)
    black = of_black(curves, saturation, luma_gain, GRID)
    numbers = (saturation, *LUMA.tolist(), *black.tolist())
    has_gain = int(luma_gain is not None)

    mixes = saturation != 1 or luma_gain is not None  # each channel by itself need not be light in between

    def on_display() -> Use:
        given = _read_of_display(tables.tobytes(), mixes)
        return Use(tone, numbers, (has_gain,), (given,), "display", gives_light=mixes)

    return Use(tone, numbers, (has_gain,), (tables,), "linear", on_display)


@lru_cache(64)
def _read_of_display(tables: bytes, gives_light: bool) -> NDArray[np.float32]:
    """Four tables over linear values as such over display values, those of the channels of light or of display values."""
    *channels, gain = np.frombuffer(tables, np.float32).reshape(4, -1)
    read = [np.interp(decoded(GRID), GRID, table).astype(np.float32) for table in channels]
    return np.stack([*(read if gives_light else map(encoded, read)), gain])
