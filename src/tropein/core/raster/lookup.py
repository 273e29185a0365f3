"""Colours through a table of colours, between whose corners it is read as six tetrahedra (Sakamoto and Itooka 1981)."""

from __future__ import annotations

import numba as nb
import numpy as np

from tropein.core.raster.colour import Table
from tropein.core.raster.picture import Pixels


def looked_up_in(display: Pixels, table: Table) -> Pixels:
    """(h, w, 3) display values through a table (n, n, n, 3) over 0..1, indexed blue, green, red; what is beyond keeps how far beyond it is."""
    out = np.empty_like(display)
    _look(np.ascontiguousarray(display), table, out)
    return out


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _look(display: Pixels, table: Table, out: Pixels) -> None:
    n = table.shape[0] - 1
    for y in nb.prange(display.shape[0]):
        for x in range(display.shape[1]):
            r, g, b = display[y, x, 0], display[y, x, 1], display[y, x, 2]
            cr = min(max(r, np.float32(0)), np.float32(1)) * np.float32(n)
            cg = min(max(g, np.float32(0)), np.float32(1)) * np.float32(n)
            cb = min(max(b, np.float32(0)), np.float32(1)) * np.float32(n)
            i, j, k = min(int(cr), n - 1), min(int(cg), n - 1), min(int(cb), n - 1)
            fr, fg, fb = cr - np.float32(i), cg - np.float32(j), cb - np.float32(k)
            # from the lowest corner to the highest, along the axes by how far each goes
            i1, j1, k1, i2, j2, k2 = i, j, k, i + 1, j + 1, k + 1
            first, second, third = fr, fg, fb
            if fr >= fg:
                if fg >= fb:
                    i1, k2 = i + 1, k
                elif fr >= fb:
                    i1, j2, second, third = i + 1, j, fb, fg
                else:
                    k1, j2, first, second, third = k + 1, j, fb, fr, fg
            elif fb >= fg:
                k1, i2, first, second, third = k + 1, i, fb, fg, fr
            elif fb >= fr:
                j1, i2, first, second, third = j + 1, i, fg, fb, fr
            else:
                j1, k2, first, second, third = j + 1, k, fg, fr, fb
            for c in range(3):
                v0, v1 = table[k, j, i, c], table[k1, j1, i1, c]
                v2, v3 = table[k2, j2, i2, c], table[k + 1, j + 1, i + 1, c]
                v = v0 + first * (v1 - v0) + second * (v2 - v1) + third * (v3 - v2)
                beyond = display[y, x, c] - min(max(display[y, x, c], np.float32(0)), np.float32(1))
                out[y, x, c] = v + beyond
