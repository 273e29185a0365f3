"""Where particles are: each is followed from its own birth, so that any frame stands alone.

Drag is integrated exactly (an exponential integrator); turbulence is the curl of smoothed noise in a periodic tile (Bridson, Hourihan & Nordenstam
2007), looked up twice, the two sliding past each other, so that it boils.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache

import numba as nb
import numpy as np
import scipy
from numpy.typing import NDArray

from tropein.core.raster.hashed import hashed, of_each

Array = NDArray[np.float64]
Places = Callable[[NDArray[np.uint64], NDArray[np.int64]], Array]
TILE, EDDY_CELLS, SMOOTH_CELLS = 32, 5.0, 1.35
STEP_S = 1 / 24  # of what turbulence moves
OCTAVES, NEXT_SIZE, NEXT_SHARE = 3, 2.03, 0.55
LEAST_DRAG = 1e-3

# columns of what is known of a moment at which particles may be born; lengths in px, times in s, angles in degrees
BIRTH = ("x", "y", "wide", "high", "deep", "life", "life_varies", "speed", "speed_varies", "direction", "fan", "fall", "drag", "wind_x", "wind_y", "turbulence", "eddy", "boil")  # fmt: skip
# columns of what comes out: place and velocity, age, the share of its life that is over
BORN = ("x", "y", "z", "u", "v", "w", "age", "share")


@lru_cache(1)
def tile() -> NDArray[np.float32]:
    """(n, n, n, 3) float32, its root mean square length 1; without sources or sinks."""
    rng = np.random.default_rng(20)
    a, b, c = (
        scipy.ndimage.gaussian_filter(rng.standard_normal((TILE,) * 3), SMOOTH_CELLS, mode="wrap") for _ in range(3)
    )

    def along(v: Array, axis: int) -> Array:
        return (np.roll(v, -1, axis) - np.roll(v, 1, axis)) / 2

    # axes are z, y, x; the columns of the field x, y, z
    field = np.stack([along(c, 1) - along(b, 0), along(a, 0) - along(c, 2), along(b, 2) - along(a, 1)], -1)
    return np.ascontiguousarray(field / np.sqrt((field**2).sum(-1).mean()), np.float32)


@nb.njit(inline="always")
def _field(tile, x, y, z):  # type: ignore[no-untyped-def]
    """The field between the corners of a cell, in cells."""
    n = tile.shape[0]
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    tx, ty, tz = x - fx, y - fy, z - fz
    ix, iy, iz = int(fx) & (n - 1), int(fy) & (n - 1), int(fz) & (n - 1)
    jx, jy, jz = (ix + 1) & (n - 1), (iy + 1) & (n - 1), (iz + 1) & (n - 1)
    a, b, c = 0.0, 0.0, 0.0
    for k in range(8):
        w = (tx if k & 1 else 1 - tx) * (ty if k & 2 else 1 - ty) * (tz if k & 4 else 1 - tz)
        v = tile[jz if k & 4 else iz, jy if k & 2 else iy, jx if k & 1 else ix]
        a += w * v[0]
        b += w * v[1]
        c += w * v[2]
    return a, b, c


@nb.njit(inline="always")
def _turbulence(tile, x, y, z, now, eddy, boil):  # type: ignore[no-untyped-def]
    """Its velocity at a place, of root mean square 1."""
    a, b, c, share, power = 0.0, 0.0, 0.0, 1.0, 0.0
    size, slide = EDDY_CELLS / eddy, 2.5 * boil * now
    for _ in range(OCTAVES):
        px, py, pz = x * size, y * size, z * size
        a0, b0, c0 = _field(tile, px + slide, py + 0.7 * slide, pz + 0.4 * slide)
        a1, b1, c1 = _field(tile, px - slide + 11.3, py - 0.7 * slide + 5.1, pz - 0.4 * slide + 7.7)
        a += share * (a0 + a1)
        b += share * (b0 + b1)
        c += share * (c0 + c1)
        power += 2 * share * share
        share *= NEXT_SHARE
        size *= NEXT_SIZE
        slide *= 1.7
    by = 1 / np.sqrt(power)
    return a * by, b * by, c * by


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _fly(tile, seed, numbers, births, times, starts, now, ramp, out, alive):  # type: ignore[no-untyped-def]
    for k in nb.prange(numbers.size):
        i, t = numbers[k], times[k]
        row = births[int(t[0])]
        life = row[5] * (1 + row[6] * (2 * hashed(seed, i, 2) - 1))
        age = now - t[1]
        alive[k] = 0 <= age < life
        if not alive[k]:
            continue
        turn, far = 6.283185307179586 * hashed(seed, i, 3), np.sqrt(hashed(seed, i, 4))
        x = row[0] + 0.5 * row[2] * far * np.cos(turn)
        y = row[1] + 0.5 * row[3] * far * np.sin(turn)
        if starts.shape[0]:
            x, y = starts[k, 0], starts[k, 1]
        z = row[4] * (hashed(seed, i, 5) - 0.5)
        # within a cone about the direction, evenly by area of the sphere
        speed = row[7] * (1 + row[8] * (2 * hashed(seed, i, 6) - 1))
        half = np.radians(min(row[10], 360.0)) / 2
        tilt, about = np.arccos(1 - hashed(seed, i, 7) * (1 - np.cos(half))), 6.283185307179586 * hashed(seed, i, 8)
        along, aside, away = np.cos(tilt), np.sin(tilt) * np.cos(about), np.sin(tilt) * np.sin(about)
        c, s = np.cos(np.radians(row[9])), np.sin(np.radians(row[9]))
        u, v, w = speed * (along * c - aside * s), speed * (along * s + aside * c), speed * away
        drag = max(row[12], LEAST_DRAG)
        left, here = age, t[1]
        while left > 1e-9:
            d = min(STEP_S, left) if row[15] > 0 else left
            e = np.exp(-drag * d)
            f = (1 - e) / drag
            ax, ay, az = row[13], row[14] + row[11] / drag, 0.0  # the velocity it tends to
            if row[15] > 0:
                gain = row[15] * min(1.0, (here - t[1] + d / 2) / ramp)
                p, q, r = _turbulence(tile, x + u * d / 2, y + v * d / 2, z + w * d / 2, here + d / 2, row[16], row[17])
                ax, ay, az = ax + gain * p, ay + gain * q, az + gain * r
            x += ax * d + (u - ax) * f
            y += ay * d + (v - ay) * f
            z += az * d + (w - az) * f
            u, v, w = ax + (u - ax) * e, ay + (v - ay) * e, az + (w - az) * e
            left -= d
            here += d
        o = out[k]
        o[0], o[1], o[2], o[3], o[4], o[5], o[6], o[7] = x, y, z, u, v, w, age, age / life


def counts(seed: int, first: int, expected: Array, most: int) -> NDArray[np.int64]:
    """How many are born within each of some moments, of as many as are expected: the fraction is drawn by lot, of each moment by itself, so that
    what is changed in one changes no other. Each has at most its share of `most` in all."""
    expected = np.minimum(expected, most / len(expected))
    which = np.arange(first, first + len(expected)).astype(np.int64).view(np.uint64)
    return np.floor(expected + of_each(seed, which, 1)).astype(np.int64)


def flown(
    seed: int,
    first: int,
    born: NDArray[np.int64],
    births: Array,
    rate: float,
    now: float,
    ramp: float = 0.25,
    places: Places | None = None,
) -> tuple[Array, NDArray[np.uint64], NDArray[np.int64]]:
    """Of `born[i]` particles within frame first + i, all that live at frame `now`: (n, 8) their BORN columns, their numbers, and in
    which frame each was born. `births` (frames, 18): the BIRTH columns of each; rate: frames a second; ramp: seconds after which turbulence has them.
    `places(numbers, of)`: (n, 2) where each is born, in place of the discs of `births`; NaN where it is not."""
    of = np.repeat(np.arange(len(born)), born)
    within = np.arange(len(of)) - np.repeat(np.cumsum(born) - born, born)
    numbers = ((first + of).astype(np.int64) << 24 | within).view(np.uint64)
    at = (within + of_each(seed, numbers, 0)) / np.maximum(born[of], 1)  # one in each equal part of the frame
    times = np.stack([of.astype(float), (first + of + at) / rate], 1)
    out, alive = np.empty((len(of), len(BORN))), np.zeros(len(of), np.bool_)
    starts = np.empty((0, 2)) if places is None else np.ascontiguousarray(places(numbers, of), float)
    _fly(tile(), seed, numbers, np.ascontiguousarray(births, float), times, starts, now / rate, ramp, out, alive)
    if places is not None:
        alive &= np.isfinite(starts[:, 0])
    return out[alive], numbers[alive], of[alive]
