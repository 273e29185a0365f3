"""Random numbers without an order: each is asked for by what it is of, and is the same from every worker and frame.

SplitMix64's finaliser (Steele, Lea & Flood 2014) over a seed, a number and an attribute.
"""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

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


def of_cells(
    seed: int, moment: int, kind: int, rows: NDArray[np.int64], columns: NDArray[np.int64]
) -> NDArray[np.float64]:
    """Numbers 0..1 in float64, one for each cell of a lattice and moment (Wang-like mixing of 32 bits), the same at any size a picture is looked at in."""
    h = (
        rows[:, None] * 0x9E3779B1
        + columns[None] * 0x85EBCA77
        + (moment * 0xC2B2AE3D + seed * 0x27D4EB2F + kind * 0x165667B1)
    ) & 0xFFFFFFFF
    for shift, factor in ((15, 0x2C1B3C6D), (12, 0x297A2D39)):
        h = ((h ^ (h >> shift)) * factor) & 0xFFFFFFFF
    return (h ^ (h >> 15)) / 2.0**32
