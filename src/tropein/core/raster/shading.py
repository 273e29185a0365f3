"""Light within a cloud of particles: each is darker by what lies between it and the light.

Thickness is gathered in a coarse lattice and each particle walks through it towards the light; a part of the light is scattered and loses a quarter as
much on the way, so that a thick cloud does not go black.
"""

from __future__ import annotations

import numba as nb
import numpy as np
import scipy
from numpy.typing import NDArray

Array = NDArray[np.float64]
MOST_CELLS = 48  # along each side
SOFT, EDGE, OWN = 1.25, 4, 1.5  # cells: how far each is spread, what is kept free about them, how far itself reaches
THICKNESS, SCATTERED, SLOWER, FULL = 0.45, 0.35, 0.25, 1.15


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _gather(at, thickness, grid):  # type: ignore[no-untyped-def]
    for k in range(at.shape[0]):
        ix, iy, iz = int(at[k, 0]), int(at[k, 1]), int(at[k, 2])
        tx, ty, tz = at[k, 0] - ix, at[k, 1] - iy, at[k, 2] - iz
        for c in range(8):
            w = (tx if c & 1 else 1 - tx) * (ty if c & 2 else 1 - ty) * (tz if c & 4 else 1 - tz)
            grid[iz + (c >> 2), iy + ((c >> 1) & 1), ix + (c & 1)] += w * thickness[k]


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _walk(at, way, own, grid, out):  # type: ignore[no-untyped-def]
    d, h, w = grid.shape
    for k in range(at.shape[0]):
        total = 0.0
        x, y, z = at[k, 0] + own * way[0], at[k, 1] + own * way[1], at[k, 2] + own * way[2]
        while True:
            x, y, z = x + way[0], y + way[1], z + way[2]
            ix, iy, iz = int(np.floor(x)), int(np.floor(y)), int(np.floor(z))
            if ix < 0 or iy < 0 or iz < 0 or ix >= w - 1 or iy >= h - 1 or iz >= d - 1:
                break
            tx, ty, tz = x - ix, y - iy, z - iz
            for c in range(8):
                part = (tx if c & 1 else 1 - tx) * (ty if c & 2 else 1 - ty) * (tz if c & 4 else 1 - tz)
                total += part * grid[iz + (c >> 2), iy + ((c >> 1) & 1), ix + (c & 1)]
        out[k] = total


def shaded(places: Array, radius: Array, opacity: Array, towards: Array, cell: float) -> Array:
    """(n,) what of the light reaches each, 0..FULL, of particles at (n, 3) places of the lengths of `cell`; `towards`: (3,) of length 1, to the light."""
    if not len(places):
        return np.empty(0)
    low = np.floor(places.min(0) / cell) * cell
    # ever on the same lattice, so that it does not swim; coarser by halves only where the cloud is far larger than its parts
    while (np.ptp(places, axis=0) / cell).max() > MOST_CELLS:
        cell *= 2
        low = np.floor(places.min(0) / cell) * cell
    at = (places - low) / cell + EDGE
    grid = np.zeros(tuple(np.ceil(at.max(0)).astype(int)[::-1] + EDGE + 2))
    _gather(at, opacity * np.pi * radius**2 * THICKNESS / cell**2, grid)
    grid = scipy.ndimage.gaussian_filter(
        grid, SOFT, mode="constant"
    )  # then it matters little where in the lattice each lies
    thickness = np.empty(len(places))
    _walk(at, np.ascontiguousarray(towards, float), OWN, grid, thickness)
    return np.asarray(FULL * ((1 - SCATTERED) * np.exp(-thickness) + SCATTERED * np.exp(-SLOWER * thickness)))
