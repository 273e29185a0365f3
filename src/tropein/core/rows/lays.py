"""Laying one register over another: see raster/blend.py, whose functions these are."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from tropein.core.raster.blend import MODES
from tropein.core.rows.generated import kernel
from tropein.core.rows.op import PLANES, Kernel, carray

f = np.float32


@Kernel
def normal(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Register ints[1] over ints[0] with opacity numbers[0]; ints[2]: the lower one is opaque."""
    a, k, share = carray(row, (PLANES, width)), carray(ints, 3), carray(numbers, 1)[0]
    cover = a[k[1] * 4 + 3, x0:x1]
    for c in range(3 if k[2] else 4):
        o, s = a[k[0] * 4 + c, x0:x1], a[k[1] * 4 + c, x0:x1]
        for i in range(o.size):
            made = s[i] * share + o[i] * (f(1) - cover[i] * share)
            o[i] = made if cover[i] > f(0) or s[i] > f(0) else o[i]


@Kernel
def add(row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Register ints[1] added to ints[0]."""
    a, k, share = carray(row, (PLANES, width)), carray(ints, 3), carray(numbers, 1)[0]
    for c in range(3 if k[2] else 4):
        o, s = a[k[0] * 4 + c, x0:x1], a[k[1] * 4 + c, x0:x1]
        for i in range(o.size):
            o[i] += s[i] * share
    if not k[2]:
        o = a[k[0] * 4 + 3, x0:x1]
        for i in range(o.size):
            o[i] = min(o[i], f(1))


_HEAD = '''"""Blending by {mode}, on {how}."""

import numba as nb
import numpy as np

from tropein.core.raster.blend import {function}
from tropein.core.raster.srgb import light, shown
from tropein.core.rows.op import PLANES, REGISTERS, carray

f = np.float32
S = REGISTERS * 4
TINY = f(1e-6)


@nb.njit(inline="always")
def seen(v):
    return {seen}


@nb.njit(inline="always")
def lit(v):
    return {lit}


@nb.njit(inline="always")
def laid(o, s, m, sa, ba, own):
    """Straight light s, mixed with what is under it m, over premultiplied o; own: what there is of light that covers nothing."""
    made = sa * (f(1) - ba) * s + sa * ba * m + (f(1) - sa) * o
    return made if sa > TINY else o + (own if own > f(0) else f(0))


def mode(row, width, x0, x1, ax, ay, numbers, ints, arrays):
    A, k, share = carray(row, (PLANES, width)), carray(ints, 3), carray(numbers, 1)[0]
    m = x1 - x0
    cover, under = A[k[1] * 4 + 3, x0:x1], A[k[0] * 4 + 3, x0:x1]
    base, over = k[0] * 4, k[1] * 4
    opaque = k[2] != 0
'''
_SEPARABLE = """    t, q = A[S, :m], A[S + 1, :m]
    for c in range(3):
        o, s = A[base + c, x0:x1], A[over + c, x0:x1]
        if opaque:
            for i in range(m):
                t[i] = seen(o[i])
        else:
            for i in range(m):
                t[i] = seen(o[i] / max(under[i], TINY))
        for i in range(m):
            q[i] = seen(s[i] / max(cover[i], TINY))
        for i in range(m):
            q[i] = lit(separable({index}, t[i], q[i]))
        if opaque:
            for i in range(m):
                sa = cover[i] * share
                o[i] = o[i] + sa * (q[i] - o[i]) if sa > TINY else o[i] + (s[i] * share if s[i] > f(0) else f(0))
        else:
            for i in range(m):
                ba = under[i]
                straight = s[i] / max(cover[i], TINY)
                o[i] = laid(o[i], straight, q[i] if ba > TINY else straight, cover[i] * share, ba, s[i] * share)
"""
_WHOLE = """    R, G, B = A[base, x0:x1], A[base + 1, x0:x1], A[base + 2, x0:x1]
    r, g, b = A[over, x0:x1], A[over + 1, x0:x1], A[over + 2, x0:x1]
    for i in range(m):
        ba, sa = under[i], cover[i] * share
        if sa <= TINY:
            R[i], G[i], B[i] = R[i] + r[i] * share, G[i] + g[i] * share, B[i] + b[i] * share
            continue
        inv, ib = f(1) / cover[i], f(1) / max(ba, TINY)
        sr, sg, sb = r[i] * inv, g[i] * inv, b[i] * inv
        mr, mg, mb = sr, sg, sb
        if ba > TINY:
            mr, mg, mb = whole({index}, seen(R[i] * ib), seen(G[i] * ib), seen(B[i] * ib), seen(sr), seen(sg), seen(sb))
            mr, mg, mb = lit(mr), lit(mg), lit(mb)
        R[i], G[i], B[i] = laid(R[i], sr, mr, sa, ba, f(0)), laid(G[i], sg, mg, sa, ba, f(0)), laid(B[i], sb, mb, sa, ba, f(0))
"""
_END = """    if not opaque:
        for i in range(m):
            sa = cover[i] * share
            under[i] = sa + under[i] * (f(1) - sa) if sa > TINY else under[i]
"""


@lru_cache(64)
def laying(mode: str, display: bool) -> Kernel:
    """The kernel that lays register ints[1] over ints[0] with opacity numbers[0], both linear and premultiplied; ints[2]: the lower one is
    opaque. `display`: the blend function works on display values."""
    if mode in ("normal", "add"):
        return normal if mode == "normal" else add
    index = MODES.index(mode)
    function = "whole" if index >= MODES.index("hue") else "separable"
    how, seen, lit = (
        ("display values", "shown(max(v, f(0)))", "light(max(v, f(0)))") if display else ("linear light", "v", "v")
    )
    text = _HEAD.format(mode=mode, how=how, function=function, seen=seen, lit=lit)
    text += (_WHOLE if function == "whole" else _SEPARABLE).format(index=index) + _END
    return kernel("mode", text)
