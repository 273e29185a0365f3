"""A picture seen through a matrix, into a register: bicubic, or bilinear.

Keys 1981 (cubic convolution; a = -0.75 as in OpenCV, with whose warps it agrees). Sixteen taps are four rows of sixteen floats, which
processors load and multiply as they are.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numba as nb
import numpy as np
from llvmlite import ir
from numba import types
from numba.extending import intrinsic
from numpy.typing import NDArray

from tropein.core.rows.op import PLANES, REGISTERS, Kernel, at, carray

_intrinsic: Any = intrinsic
f = np.float32
S = REGISTERS * 4
PARTS = 128  # of a pixel, to which places are rounded: what drifts slowly must not do so in steps
NOTHING, MIRROR, REPEAT = 0, 1, 2


@lru_cache(4)
def weights(parts: int) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
    """Weights of four taps for a place so many parts of a pixel beyond the second: (parts + 1, 16), each four times, once for each channel; and
    (parts + 1, 4)."""
    t, a = np.arange(parts + 1) / parts, -0.75
    far = lambda x: ((a * x - 5 * a) * x + 8 * a) * x - 4 * a  # noqa: E731
    near = lambda x: ((a + 2) * x - (a + 3)) * x * x + 1  # noqa: E731
    down = np.ascontiguousarray(np.stack([far(t + 1), near(t), near(1 - t), far(2 - t)], 1), np.float32)
    return np.ascontiguousarray(np.repeat(down, 4, axis=1)), down


@_intrinsic
def _cubic(typingctx, source, stride, across, down, out):  # type: ignore[no-untyped-def]
    """Sixteen RGBA taps whose first is `source`, their rows `stride` floats apart, weighed, to four floats at `out`."""

    def made(context, builder, signature, args):  # type: ignore[no-untyped-def]
        source, stride, across, down, out = args
        whole, single = ir.IntType(32), ir.FloatType()
        wide, four = ir.VectorType(single, 8), ir.VectorType(single, 4)
        fast = ("contract",)

        def read(pointer, offset):  # type: ignore[no-untyped-def]
            place = builder.gep(pointer, [ir.Constant(ir.IntType(64), offset)])
            return builder.load(builder.bitcast(place, wide.as_pointer()), align=4)

        def spread(value):  # type: ignore[no-untyped-def]
            none = ir.Constant(wide, ir.Undefined)
            vector = builder.insert_element(none, value, ir.Constant(whole, 0))
            return builder.shuffle_vector(vector, none, ir.Constant(ir.VectorType(whole, 8), [0] * 8))

        left = right = None
        row = source
        for i in range(4):  # rows first: the weights across are the same for all of them
            k = spread(builder.load(builder.gep(down, [ir.Constant(ir.IntType(64), i)])))
            a, b = builder.fmul(k, read(row, 0), flags=fast), builder.fmul(k, read(row, 8), flags=fast)
            left = a if left is None else builder.fadd(left, a, flags=fast)
            right = b if right is None else builder.fadd(right, b, flags=fast)
            row = builder.gep(row, [stride])
        total = builder.fadd(
            builder.fmul(left, read(across, 0), flags=fast),
            builder.fmul(right, read(across, 8), flags=fast),
            flags=fast,
        )
        none = ir.Constant(wide, ir.Undefined)
        halves = [
            builder.shuffle_vector(total, none, ir.Constant(ir.VectorType(whole, 4), [n + i for i in range(4)]))
            for n in (0, 4)
        ]
        builder.store(builder.fadd(*halves, flags=fast), builder.bitcast(out, four.as_pointer()), align=4)
        return context.get_dummy_value()

    return types.none(source, types.int64, across, down, out), made


@_intrinsic
def _linear(typingctx, source, stride, x, y, out):  # type: ignore[no-untyped-def]
    """Four RGBA taps, `x` and `y` (float32) of the way from the first to the last, to four floats at `out`."""

    def made(context, builder, signature, args):  # type: ignore[no-untyped-def]
        source, stride, x, y, out = args
        whole, single = ir.IntType(32), ir.FloatType()
        four = ir.VectorType(single, 4)
        fast = ("contract",)

        def read(pointer, offset):  # type: ignore[no-untyped-def]
            place = builder.gep(pointer, [ir.Constant(ir.IntType(64), offset)])
            return builder.load(builder.bitcast(place, four.as_pointer()), align=4)

        def spread(value):  # type: ignore[no-untyped-def]
            none = ir.Constant(four, ir.Undefined)
            vector = builder.insert_element(none, value, ir.Constant(whole, 0))
            return builder.shuffle_vector(vector, none, ir.Constant(ir.VectorType(whole, 4), [0] * 4))

        def between(a, b, share):  # type: ignore[no-untyped-def]
            return builder.fadd(a, builder.fmul(builder.fsub(b, a, flags=fast), share, flags=fast), flags=fast)

        share, below = spread(x), builder.gep(source, [stride])
        above, under = (between(read(row, 0), read(row, 4), share) for row in (source, below))
        builder.store(between(above, under, spread(y)), builder.bitcast(out, four.as_pointer()), align=4)
        return context.get_dummy_value()

    return types.none(source, types.int64, types.float32, types.float32, out), made


@_intrinsic
def _plus(typingctx, pointer, n):  # type: ignore[no-untyped-def]
    """A pointer, n elements on."""

    def made(context, builder, signature, args):  # type: ignore[no-untyped-def]
        return builder.gep(args[0], [args[1]])

    return pointer(pointer, types.int64), made


@nb.njit(inline="always")
def _within(i, n, edge):  # type: ignore[no-untyped-def]
    """Which pixel of n stands for pixel i; -1 for none."""
    if 0 <= i < n:
        return i
    if edge == NOTHING:
        return np.int64(-1)
    if edge == MIRROR:
        i = i % (2 * n)
        return i if i < n else 2 * n - 1 - i
    return min(max(i, np.int64(0)), n - 1)


@nb.njit
def _by_taps(pixels, w, h, u, v, iu, iv, wx, wy, taps, edge, out):  # type: ignore[no-untyped-def]
    """Near the picture's border: tap by tap."""
    r, g, b, c = f(0), f(0), f(0), f(0)
    for j in range(taps):
        y = _within(v + j, h, edge)
        if y < 0:
            continue
        for i in range(taps):
            x = _within(u + i, w, edge)
            if x < 0:
                continue
            k = wx[iu + i] * wy[iv + j]
            q = (y * w + x) * 4
            r += k * pixels[q]
            g += k * pixels[q + 1]
            b += k * pixels[q + 2]
            c += k * pixels[q + 3]
    out[0], out[1], out[2], out[3] = r, g, b, c


@nb.njit
def _outside(pixels, w, h, us, vs, su, sv, low, high, weights, parts, bicubic, edge, out):  # type: ignore[no-untyped-def]
    """Places from `low` to `high` in a row, near a picture's border or beyond it."""
    for i in range(low, high):
        u, v, target = np.int64(us[i]), np.int64(vs[i]), out[4 * i : 4 * i + 4]
        if bicubic:
            iu, iv = np.int64(su[i] * parts + f(0.5)) * 4, np.int64(sv[i] * parts + f(0.5)) * 4
            _by_taps(pixels, w, h, u - 1, v - 1, iu, iv, weights, weights, 4, edge, target)
        else:
            one = (f(1) - su[i], su[i], f(1) - sv[i], sv[i])
            _by_taps(pixels, w, h, u, v, 0, 2, one, one, 2, edge, target)


@nb.njit
def _line(a, row, width, x0, m, ax, ay, t, source, w, h, edge, bicubic, parts_of, across, down):  # type: ignore[no-untyped-def]
    """m pixels of a row from column x0 on, seen through the matrix t (9), as RGBA into four rows of scratch from S + 2 on."""
    parts = f(parts_of)
    pixels, weights = carray(source, w * h * 4), carray(down, (parts_of + 1) * 4)
    us, vs = a[S, :m], a[S + 1, :m]
    yc, xs = ay + 0.5, ax + x0 + 0.5
    u0, v0, z0 = t[0] * xs + t[1] * yc + t[2], t[3] * xs + t[4] * yc + t[5], t[6] * xs + t[7] * yc + t[8]
    du, dv, dz = f(t[0]), f(t[3]), f(t[6])
    flat = t[6] == 0 and t[7] == 0
    if flat:
        bu, bv = f(u0 / t[8] - 0.5), f(v0 / t[8] - 0.5)
        ku, kv = f(t[0] / t[8]), f(t[3] / t[8])
        for i in range(m):
            x = f(np.int32(i))
            us[i] = bu + ku * x
            vs[i] = bv + kv * x
    else:
        bu, bv, bz = f(u0), f(v0), f(z0)
        for i in range(m):
            x = f(np.int32(i))
            z = bz + dz * x
            share = f(1) / z
            us[i] = (bu + du * x) * share - f(0.5) if z > f(1e-9) else f(-1e6)
            vs[i] = (bv + dv * x) * share - f(0.5) if z > f(1e-9) else f(-1e6)
    far = f(w + h + 64)
    first, last = (1, 2) if bicubic else (0, 1)
    place, sx, sy = a[S + 6, :m].view(np.int32), a[S + 7, :m].view(np.int32), a[S + 8, :m].view(np.int32)
    for i in range(m):
        u, v = min(max(us[i], -far), far + far), min(max(vs[i], -far), far + far)
        fu, fv = np.floor(u), np.floor(v)
        us[i], vs[i] = u - fu, v - fv
        sx[i], sy[i] = np.int32(fu), np.int32(fv)
    # what lies along a row in a picture's inside does so without a gap
    begin, end, x_last, y_last = 0, m, np.int32(w - last), np.int32(h - last)
    while begin < m and not (first <= sx[begin] < x_last and first <= sy[begin] < y_last):
        begin += 1
    while end > begin and not (first <= sx[end - 1] < x_last and first <= sy[end - 1] < y_last):
        end -= 1
    line = _plus(row, (S + 2) * width)  # four rows of scratch as one of RGBA
    out = carray(line, 4 * m)
    for part in range(2):
        low, high = (0, begin) if part == 0 else (end, m)
        if low < high:
            _outside(pixels, w, h, sx, sy, us, vs, low, high, weights, parts, bicubic, edge, out)
    corner = np.int32(first * (w + 1))
    for i in range(m):
        place[i] = np.int32(sy[i] * np.int32(w)) + sx[i] - corner
    line, inner = _plus(line, 4 * begin), place[begin:end]
    if bicubic:
        qx, qy, su, sv = sx[begin:end], sy[begin:end], us[begin:end], vs[begin:end]
        for i in range(inner.size):
            qx[i] = np.int32(su[i] * parts + f(0.5)) << np.int32(4)
        for i in range(inner.size):
            qy[i] = np.int32(sv[i] * parts + f(0.5)) << np.int32(2)
        for i in range(inner.size):
            _cubic(
                _plus(source, np.int64(inner[i]) * 4), w * 4, _plus(across, np.int64(qx[i])), _plus(down, np.int64(qy[i])),
                _plus(line, np.int64(4 * i)),
            )  # fmt: skip
    else:
        su, sv = us[begin:end], vs[begin:end]
        for i in range(inner.size):
            _linear(_plus(source, np.int64(inner[i]) * 4), w * 4, su[i], sv[i], _plus(line, np.int64(4 * i)))


@Kernel
def sample(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Contiguous RGBA pixels arrays[0] (ints[2] rows of ints[1]) into register ints[0]; the matrix arrays[1] (9 float64) takes pixels of the
    frame to theirs. ints[3]: what lies beyond their edges; ints[4]: 1 bicubic, 0 bilinear; ints[5]: parts of
    a pixel to which places are rounded, arrays[2:4]: the weights of so many."""
    a, k, p = carray(row, (PLANES, width)), carray(ints, 6), carray(arrays, 4)
    t, d, m = carray(at(p[1], np.float64), 9), k[0] * 4, x1 - x0
    across, down = at(p[2], np.float32), at(p[3], np.float32)
    _line(a, row, width, x0, m, ax, ay, t, at(p[0], np.float32), k[1], k[2], k[3], k[4] != 0, k[5], across, down)
    out = carray(_plus(row, (S + 2) * width), 4 * m)
    zero, whole = f(0), f(1)
    r, g, b, cover = a[d, x0:x1], a[d + 1, x0:x1], a[d + 2, x0:x1], a[d + 3, x0:x1]
    for i in range(m):
        r[i] = max(out[4 * i], zero)
        g[i] = max(out[4 * i + 1], zero)
        b[i] = max(out[4 * i + 2], zero)
        cover[i] = min(max(out[4 * i + 3], zero), whole)


@nb.njit
def _reach(t, x, y, w, h, m):  # type: ignore[no-untyped-def]
    """Between which of m pixels of a row that begins at (x, y) of the frame a picture of w x h, seen through t, can be seen."""
    low, high = 0.0, float(m)
    z, dz = t[6] * x + t[7] * y + t[8], t[6]
    for i in range(5):  # what must be above 0, and how it grows along the row
        if i == 0:
            at_start, grows = z, dz
        else:
            axis = (i - 1) // 2 * 3
            place, moved = t[axis] * x + t[axis + 1] * y + t[axis + 2], t[axis]
            if i % 2:
                at_start, grows = place + z, moved + dz
            else:
                far = (w if axis == 0 else h) + 1.0
                at_start, grows = far * z - place, far * dz - moved
        if abs(grows) > 1e-12:
            zero = -at_start / grows
            if grows > 0:
                low = max(low, np.floor(zero))
            else:
                high = min(high, np.ceil(zero) + 1)
        elif at_start <= 0:
            high = low
    return np.int64(min(low, m)), np.int64(max(high, 0))


@Kernel
def mean(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Of contiguous RGBA pixels arrays[0] (ints[2] rows of ints[1]), seen through each of ints[3] matrices arrays[1], bilinear and with nothing
    around them, the share numbers[0], added to register ints[0]."""
    a, k, p = carray(row, (PLANES, width)), carray(ints, 4), carray(arrays, 2)
    d, share, source = k[0] * 4, carray(numbers, 1)[0], at(p[0], np.float32)
    matrices = carray(at(p[1], np.float64), 9 * k[3])
    for j in range(k[3]):
        t = matrices[9 * j : 9 * j + 9]
        low, high = _reach(t, ax + x0 + 0.5, ay + 0.5, k[1], k[2], x1 - x0)
        m = high - low
        if m <= 0:
            continue
        first = x0 + low
        _line(a, row, width, first, m, ax, ay, t, source, k[1], k[2], NOTHING, False, 0, source, source)
        out = carray(_plus(row, (S + 2) * width), 4 * m)
        last = first + m
        r, g, b, cover = a[d, first:last], a[d + 1, first:last], a[d + 2, first:last], a[d + 3, first:last]
        for i in range(m):
            r[i] += out[4 * i] * share
            g[i] += out[4 * i + 1] * share
            b[i] += out[4 * i + 2] * share
            cover[i] += out[4 * i + 3] * share
