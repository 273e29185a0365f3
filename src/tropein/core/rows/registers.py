"""Filling, copying and mixing registers, and between linear light and display values."""

from __future__ import annotations

import numpy as np

from tropein.core.raster.srgb import light, shown
from tropein.core.rows.op import PLANES, Kernel, at, carray

f = np.float32


@Kernel
def clear(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Nothing in register ints[0]."""
    a, d = carray(row, (PLANES, width)), carray(ints, 1)[0] * 4
    for c in range(4):
        a[d + c, x0:x1] = f(0)


@Kernel
def clear_around(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Nothing in register ints[0] outside the window ints[1:5], or in it outside the spans arrays[0], from row ints[5] of the frame on."""
    a, k, p = carray(row, (PLANES, width)), carray(ints, 6), carray(arrays, 1)
    d, first, last = k[0] * 4, k[1], k[3]
    if ay < k[2] or ay >= k[4]:
        first, last = ax + x1, ax + x1
    elif p[0] != 0:
        span = carray(at(p[0], np.int32), (ay - k[5] + 1, 2))[ay - k[5]]
        first, last = max(first, np.int64(span[0])), min(last, np.int64(span[1]))
        last = max(first, last)
    first, last = min(max(first - ax, x0), x1), min(max(last - ax, x0), x1)
    for c in range(4):
        a[d + c, x0:first] = f(0)
        a[d + c, last:x1] = f(0)


@Kernel
def copy(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Register ints[1] into ints[0]."""
    a, k = carray(row, (PLANES, width)), carray(ints, 2)
    for c in range(4):
        o, s = a[k[0] * 4 + c, x0:x1], a[k[1] * 4 + c, x0:x1]
        for i in range(o.size):
            o[i] = s[i]


@Kernel
def mix(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Of register ints[1] the share numbers[0] into ints[0]."""
    a, k, share = carray(row, (PLANES, width)), carray(ints, 2), carray(numbers, 1)[0]
    for c in range(4):
        o, s = a[k[0] * 4 + c, x0:x1], a[k[1] * 4 + c, x0:x1]
        for i in range(o.size):
            o[i] += (s[i] - o[i]) * share


@Kernel
def mix_where(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Of register ints[1] the share numbers[0] into ints[0] where the plane arrays[0] covers: of ints[2] columns, its first pixel
    at (ints[3], ints[4]) of the frame. ints[5]: the coverage stays as it is."""
    a, k, share = carray(row, (PLANES, width)), carray(ints, 6), carray(numbers, 1)[0]
    p = carray(arrays, 1)
    m = x1 - x0
    plane = carray(at(p[0] + ((ay - k[4]) * k[2] + ax + x0 - k[3]) * 4, np.float32), m)
    for c in range(3 if k[5] else 4):
        o, s = a[k[0] * 4 + c, x0:x1], a[k[1] * 4 + c, x0:x1]
        for i in range(m):
            o[i] += (s[i] - o[i]) * (plane[i] * share)


@Kernel
def cut(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Register ints[0] times a plane (as in mix_where)."""
    a, k = carray(row, (PLANES, width)), carray(ints, 6)
    p = carray(arrays, 1)
    m = x1 - x0
    plane = carray(at(p[0] + ((ay - k[4]) * k[2] + ax + x0 - k[3]) * 4, np.float32), m)
    for c in range(4):
        o = a[k[0] * 4 + c, x0:x1]
        for i in range(m):
            o[i] *= plane[i]


@Kernel
def encode(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Register ints[0] from linear light to display values, as it stands."""
    a, d = carray(row, (PLANES, width)), carray(ints, 1)[0] * 4
    for c in range(3):
        o = a[d + c, x0:x1]
        for i in range(o.size):
            o[i] = shown(max(o[i], f(0)))


@Kernel
def decode(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Register ints[0] from display values to linear light."""
    a, d = carray(row, (PLANES, width)), carray(ints, 1)[0] * 4
    for c in range(3):
        o = a[d + c, x0:x1]
        for i in range(o.size):
            o[i] = light(max(o[i], f(0)))


@Kernel
def wholly(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Register ints[0] as if it covered wholly: straight, and opaque."""
    a, d = carray(row, (PLANES, width)), carray(ints, 1)[0] * 4
    cover = a[d + 3, x0:x1]
    for c in range(3):
        o = a[d + c, x0:x1]
        for i in range(o.size):
            o[i] /= max(cover[i], f(1e-6))
    for i in range(cover.size):
        cover[i] = f(1)


@Kernel
def covered(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Register ints[0] with the coverage of ints[1]."""
    a, k = carray(row, (PLANES, width)), carray(ints, 2)
    cover = a[k[1] * 4 + 3, x0:x1]
    for c in range(3):
        o = a[k[0] * 4 + c, x0:x1]
        for i in range(o.size):
            o[i] *= cover[i]
    o = a[k[0] * 4 + 3, x0:x1]
    for i in range(o.size):
        o[i] = cover[i]
