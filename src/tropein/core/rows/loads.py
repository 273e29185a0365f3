"""Pictures into registers, and out of them."""

from __future__ import annotations

import numpy as np

from tropein.core.rows.op import PLANES, REGISTERS, Kernel, at, carray

f = np.float32
S = REGISTERS * 4


@Kernel
def load(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Linear premultiplied float32 pixels arrays[0] into register ints[0]; a row of them has ints[1] floats, the first pixel lies at
    (ints[2], ints[3]) of the frame."""
    a, k, p = carray(row, (PLANES, width)), carray(ints, 4), carray(arrays, 1)
    m, d = x1 - x0, k[0] * 4
    pixels = carray(at(p[0] + ((ay - k[3]) * k[1] + (ax + x0 - k[2]) * 4) * 4, np.float32), 4 * m)
    r, g, b, cover = a[d, x0:x1], a[d + 1, x0:x1], a[d + 2, x0:x1], a[d + 3, x0:x1]
    for i in range(m):  # in one loop, so that what is read together is taken apart in vectors
        r[i] = pixels[4 * i]
        g[i] = pixels[4 * i + 1]
        b[i] = pixels[4 * i + 2]
        cover[i] = pixels[4 * i + 3]


@Kernel
def load_bytes(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Codes of one byte, RGB or with straight alpha, into register ints[0] through the curve arrays[1]; ints[1:4] as in load, ints[4] channels."""
    a, k, p = carray(row, (PLANES, width)), carray(ints, 5), carray(arrays, 2)
    m, d, n = x1 - x0, k[0] * 4, k[4]
    codes = carray(at(p[0] + (ay - k[3]) * k[1] + (ax + x0 - k[2]) * n, np.uint8), n * m)
    curve = carray(at(p[1], np.float32), 256)
    cover = a[d + 3, x0:x1]
    if n == 3:
        for c in range(3):
            o, s = a[d + c, x0:x1], codes[c:]
            for i in range(m):
                o[i] = curve[s[np.uint64(3 * i)]]
        for i in range(m):
            cover[i] = f(1)
    else:
        s = codes[3:]
        for i in range(m):
            cover[i] = f(s[4 * i]) * f(1 / 255)
        for c in range(3):
            o, s = a[d + c, x0:x1], codes[c:]
            for i in range(m):
                o[i] = curve[s[np.uint64(4 * i)]] * cover[i]


@Kernel
def load_words(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """The same for codes of two bytes."""
    a, k, p = carray(row, (PLANES, width)), carray(ints, 5), carray(arrays, 2)
    m, d, n = x1 - x0, k[0] * 4, k[4]
    codes = carray(at(p[0] + ((ay - k[3]) * k[1] + (ax + x0 - k[2]) * n) * 2, np.uint16), n * m)
    curve = carray(at(p[1], np.float32), 65536)
    cover = a[d + 3, x0:x1]
    for i in range(m):
        cover[i] = f(codes[4 * i + 3]) * f(1 / 65535) if n == 4 else f(1)
    for c in range(3):
        o = a[d + c, x0:x1]
        for i in range(m):
            o[i] = curve[codes[np.uint64(n * i + c)]] * cover[i]


@Kernel
def keep(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Register ints[0] out to linear premultiplied float32 pixels; ints and arrays as in load."""
    a, k, p = carray(row, (PLANES, width)), carray(ints, 4), carray(arrays, 1)
    m, d = x1 - x0, k[0] * 4
    pixels = carray(at(p[0] + ((ay - k[3]) * k[1] + (ax + x0 - k[2]) * 4) * 4, np.float32), 4 * m)
    r, g, b, cover = a[d, x0:x1], a[d + 1, x0:x1], a[d + 2, x0:x1], a[d + 3, x0:x1]
    for i in range(m):
        pixels[4 * i] = r[i]
        pixels[4 * i + 1] = g[i]
        pixels[4 * i + 2] = b[i]
        pixels[4 * i + 3] = cover[i]


@Kernel
def keep_bytes(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Register ints[0], display values, out to RGB bytes; a row of them has ints[1] bytes."""
    a, k, p = carray(row, (PLANES, width)), carray(ints, 4), carray(arrays, 1)
    m, d = x1 - x0, k[0] * 4
    out = carray(at(p[0] + (ay - k[3]) * k[1] + (ax + x0 - k[2]) * 3, np.uint8), 3 * m)
    zero, top, half = f(0), f(255), f(0.5)
    q = a[S : S + 3].view(np.uint8)
    for c in range(3):
        o, s = q[c, :m], a[d + c, x0:x1]
        for i in range(m):
            o[i] = np.uint8(np.int32(min(max(s[i] * top + half, zero), top)))
    r, g, b = q[0, :m], q[1, :m], q[2, :m]
    for i in range(m):
        out[3 * i] = r[i]
        out[3 * i + 1] = g[i]
        out[3 * i + 2] = b[i]
