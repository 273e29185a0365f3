"""Counting bytes of pictures for scopes: by column, as colours, what is clipped."""

from __future__ import annotations

import numba as nb
import numpy as np


@nb.njit(cache=True, nogil=True)
def by_column(values, weight, counts):  # type: ignore[no-untyped-def]
    """Counts of bytes (h, w) by column, brightest on top."""
    rows, columns = counts.shape
    h, w = values.shape
    for y in range(h):
        for x in range(w):
            if weight[y, x] > 0:
                counts[rows - 1 - values[y, x] * rows // 256, x * columns // w] += 1


@nb.njit(cache=True, nogil=True)
def on_plane(rgb, weight, places, counts):  # type: ignore[no-untyped-def]
    h, w = weight.shape
    for y in range(h):
        for x in range(w):
            if weight[y, x] > 0:
                at = places[rgb[y, x, 0] >> 2, rgb[y, x, 1] >> 2, rgb[y, x, 2] >> 2]
                if at >= 0:
                    counts[at] += 1


@nb.njit(cache=True, nogil=True)
def luma(rgb, out):  # type: ignore[no-untyped-def]
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            light = 54 * np.int32(rgb[y, x, 0]) + 183 * np.int32(rgb[y, x, 1]) + 19 * np.int32(rgb[y, x, 2])
            out[y, x] = (light + 128) >> 8


@nb.njit(cache=True, nogil=True)
def clipped(rgb, weight):  # type: ignore[no-untyped-def]
    """(how many are looked at, how many of them are white in a channel, how many black)."""
    n, white, black = 0, 0, 0
    for y in range(weight.shape[0]):
        for x in range(weight.shape[1]):
            if weight[y, x] > 0:
                high = max(rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2])
                low = min(rgb[y, x, 0], rgb[y, x, 1], rgb[y, x, 2])
                n += 1
                white += high >= 254
                black += low <= 1
    return n, white, black
