"""Planes of luma and chroma, as they are coded, into registers. Sources: see raster/yuv.py."""

from __future__ import annotations

import numba as nb
import numpy as np

from tropein.core.raster.srgb import light
from tropein.core.rows.op import PLANES, REGISTERS, Kernel, at, carray

f = np.float32
S = REGISTERS * 4
BLOCK = 64  # pixels; where all of them are clear nothing is computed
NO_CURVE, DISPLAY_CURVE, TABLE = 0, 1, 2


@nb.njit(inline="always")
def twice(samples, out, left):  # type: ignore[no-untyped-def]
    """A row of samples (samples[i + 1] is sample i) on twice as many pixels; the first sample lies `left` (0..1) of the way to the second of
    its two pixels."""
    n = out.size // 2
    before, here, after = samples[0:n], samples[1 : n + 1], samples[2 : n + 2]
    e0, o1 = left * f(0.5), (f(1) - left) * f(0.5)
    e1, o0 = f(1) - e0, f(1) - o1
    for i in range(n):
        out[2 * i] = e0 * before[i] + e1 * here[i]
        out[2 * i + 1] = o0 * here[i] + o1 * after[i]


@nb.njit(inline="always")
def _chroma(first, second, share, middle, doubled, scratch, out, begin, count, left):  # type: ignore[no-untyped-def]
    """Chroma of `count` pixels from `begin` on, between two rows of samples, about 0, from out[0] on."""
    n = first.size
    if not doubled:
        a, b, o = first[begin : begin + count], second[begin : begin + count], out[:count]
        for i in range(count):
            o[i] = share * f(a[i]) + (f(1) - share) * f(b[i]) - middle
        return
    low, high = begin // 2, (begin + count - 1) // 2  # samples whose pixels are wanted, and one on either side
    wide = scratch[: high - low + 3]
    a, b, inner = first[low : high + 1], second[low : high + 1], wide[1 : high - low + 2]
    for i in range(inner.size):
        inner[i] = share * f(a[i]) + (f(1) - share) * f(b[i]) - middle
    left_of, right_of = max(low - 1, 0), min(high + 1, n - 1)
    wide[0] = share * f(first[left_of]) + (f(1) - share) * f(second[left_of]) - middle
    wide[high - low + 2] = share * f(first[right_of]) + (f(1) - share) * f(second[right_of]) - middle
    twice(wide, out[: 2 * (high - low + 1)], left)


@nb.njit(inline="always")
def _coded(a, k, n, arrays, dtype, size, x0, x1, ax, ay):  # type: ignore[no-untyped-def]
    p = carray(arrays, 6)
    d, w, cw, ch, kind = k[0] * 4, k[4], k[5], k[6], k[7]
    m, begin, y = x1 - x0, ax + x0 - k[2], ay - k[3]
    across, down = k[8] == 2, k[9] == 2
    # of the rows of chroma, the one before and how much of it
    j, near = y, f(1)
    if down:
        place = (f(y) - n[13]) * f(0.5)
        j = np.int64(max(np.floor(place), f(0)))
        near = f(1) - min(max(place - f(j), f(0)), f(1))
    j = min(j, ch - 1)
    after = min(j + 1, ch - 1)
    lead = begin & 1 if across else 0
    chroma = (a[S], a[S + 1])
    for c in range(2):
        first = carray(at(p[1 + c] + j * cw * size, dtype), cw)
        second = carray(at(p[1 + c] + after * cw * size, dtype), cw)
        _chroma(first, second, near, n[2], across, a[S + 2], chroma[c], begin, m, n[12])
    u, v, lum = a[S, lead : lead + m], a[S + 1, lead : lead + m], a[S + 2, :m]
    luma = carray(at(p[0] + (y * w + begin) * size, dtype), m)
    gain, low = n[0], n[0] * n[1]
    for i in range(m):
        lum[i] = f(luma[i]) * gain - low
    curve, last = carray(at(p[4], np.float32), k[10]), f(k[10] - 1)
    cover = a[d + 3, x0:x1]
    block = BLOCK if k[1] else m
    for s in range(0, m, block):
        e = min(s + block, m)
        co = cover[s:e]
        if k[1]:
            al, some = carray(at(p[3] + (y * w + begin + s) * size, dtype), e - s), np.int32(0)
            for i in range(al.size):
                some |= np.int32(al[i])
            for i in range(al.size):
                co[i] = f(al[i]) * n[3]
            if some == 0:
                for c in range(3):
                    a[d + c, x0 + s : x0 + e] = f(0)
                continue
        else:
            for i in range(co.size):
                co[i] = f(1)
        for c in range(3):
            o, ku, kv = a[d + c, x0 + s : x0 + e], n[4 + c], n[8 + c]
            lu, us, vs = lum[s:e], u[s:e], v[s:e]
            for i in range(o.size):
                o[i] = min(max(lu[i] + ku * us[i] + kv * vs[i], f(0)), f(1))
            if kind == DISPLAY_CURVE:
                for i in range(o.size):
                    o[i] = light(o[i])
            elif kind == TABLE:
                for i in range(o.size):
                    o[i] = curve[np.uint32(o[i] * last + f(0.5))]
            if k[1]:
                for i in range(o.size):  # where nothing is covered, whatever stands there
                    o[i] = o[i] * co[i] if co[i] > f(0) else f(0)


@Kernel
def load_coded_bytes(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Planes of bytes into register ints[0]. arrays: luma, two of chroma, alpha, a curve; ints: whether there is alpha [1], where the picture begins [2:4], its
    width, width and height of chroma, what curve, pixels a sample of chroma stands for across and down, size of the curve; numbers:
    gain and offset of luma, middle of chroma, gain of alpha, gains of chroma for red, green, blue [4:7] and [8:11], where chroma
    lies across and down [12:14]."""
    a, k, n = carray(row, (PLANES, width)), carray(ints, 12), carray(numbers, 16)
    _coded(a, k, n, arrays, np.uint8, 1, x0, x1, ax, ay)


@Kernel
def load_coded_words(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """The same of planes of two bytes."""
    a, k, n = carray(row, (PLANES, width)), carray(ints, 12), carray(numbers, 16)
    _coded(a, k, n, arrays, np.uint16, 2, x0, x1, ax, ay)
