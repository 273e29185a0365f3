"""Random numbers without an order: each is asked for by what it is of, and is the same from every worker and frame.

SplitMix64's finaliser (Steele, Lea & Flood 2014) over a seed, a number and an attribute.
"""

from __future__ import annotations

import numba as nb
import numpy as np

U = np.uint64


@nb.njit(inline="always")
def hashed(seed, i, attribute):  # type: ignore[no-untyped-def]
    """0 to below 1, of 24 bits."""
    h = U(seed) * U(0x9E3779B97F4A7C15) ^ U(i) * U(0xBF58476D1CE4E5B9) ^ U(attribute) * U(0x94D049BB133111EB)
    h = (h ^ (h >> U(30))) * U(0xBF58476D1CE4E5B9)
    h = (h ^ (h >> U(27))) * U(0x94D049BB133111EB)
    h = h ^ (h >> U(31))
    return np.float64(h >> U(40)) / 16777216.0


@nb.njit(cache=True, nogil=True)
def of_each(seed, numbers, attribute):  # type: ignore[no-untyped-def]
    """The same of every one of an array of uint64."""
    out = np.empty(numbers.size)
    for k in range(numbers.size):
        out[k] = hashed(seed, numbers[k], attribute)
    return out
