"""Display encoding (IEC 61966-2-1) as arithmetic that compilers put into vector instructions, where tables cannot be.

Powers by exponents: log2 and exp2 as polynomials through Chebyshev's nodes, of degree 6 and 5. Against the exact curve 1e-6 of full scale.
"""

from __future__ import annotations

import numba as nb
import numpy as np

f = np.float32
FAST = {"contract", "nsz", "arcp"}  # what compilers may do to arithmetic that it becomes vectors
_L = tuple(f(v) for v in (0.58496249, 0.96182084, -0.32061303, 0.14172474, -0.07079686, 0.04390748, -0.02456854))
_X = tuple(f(v) for v in (0.99999988, 0.69315451, 0.24014182, 0.05586034, 0.00894959, 0.00189375))
L0, L1, L2, L3, L4, L5, L6 = _L
X0, X1, X2, X3, X4, X5 = _X


@nb.njit(inline="always")
def exp2(v):  # type: ignore[no-untyped-def]
    """2 ** v of a float32 within -126..127."""
    low = np.floor(v)
    r = v - low
    r2 = r * r  # in pairs, so that one part need not wait for the other
    share = f((X0 + r * X1) + r2 * ((X2 + r * X3) + r2 * (X4 + r * X5)))
    return np.int32(share.view(np.int32) + np.int32(np.int32(low) << np.int32(23))).view(np.float32)


@nb.njit(inline="always")
def power(v, exponent):  # type: ignore[no-untyped-def]
    """v ** exponent of a float32 above 0."""
    bits = f(v).view(np.int32)
    whole = f(np.int32(np.int32(bits >> np.int32(23)) - np.int32(127)))
    m = np.int32(np.int32(bits & np.int32(0x7FFFFF)) | np.int32(0x3F800000)).view(np.float32) - f(1.5)
    m2 = m * m
    m4 = m2 * m2
    return exp2((whole + (((L0 + m * L1) + m2 * (L2 + m * L3)) + m4 * ((L4 + m * L5) + m2 * L6))) * exponent)


@nb.njit(inline="always")
def shown(v):  # type: ignore[no-untyped-def]
    """Linear light, from 0, as display values."""
    return v * f(12.92) if v <= f(0.0031308) else f(1.055) * power(v, f(1 / 2.4)) - f(0.055)


@nb.njit(inline="always")
def light(v):  # type: ignore[no-untyped-def]
    """Display values, from 0, as linear light."""
    return v * f(1 / 12.92) if v <= f(0.04045) else power((v + f(0.055)) * f(1 / 1.055), f(2.4))
