"""Pictures as files hold them: display codes with straight alpha, and halves."""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.picture import Pixels
from tropein.core.raster.srgb import FAST, shown

f, i32 = np.float32, np.int32
MOST_HALF = f(65504)  # the largest of them


def codes16(pixels: Pixels) -> NDArray[np.uint16]:
    """(h, w, 4) display-encoded, straight alpha, of linear premultiplied (h, w, 4) pixels; nothing has no colour."""
    out = np.empty(pixels.shape, np.uint16)
    _codes16(np.ascontiguousarray(pixels, np.float32), out)
    return out


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy", fastmath=FAST)
def _codes16(pixels, out):  # type: ignore[no-untyped-def]
    """A row's channels are laid out one after another: only loops over what lies in one piece become vector instructions."""
    zero, one, top, half, tiny = f(0), f(1), f(65535), f(0.5), f(1e-5)
    width = pixels.shape[1]
    for y in nb.prange(pixels.shape[0]):
        row, made = pixels[y], out[y]
        cover, line, codes = np.empty(width, np.float32), np.empty(width, np.float32), np.empty((4, width), np.uint16)
        for x in range(width):
            cover[x] = row[x, 3]
        for c in range(4):
            coded = codes[c]
            for x in range(width):
                line[x] = row[x, c]
            if c < 3:
                for x in range(width):
                    share = max(line[x] / max(cover[x], tiny), zero)
                    line[x] = shown(share if cover[x] > zero else zero)
            for x in range(width):
                coded[x] = np.uint16(i32(min(max(line[x], zero), one) * top + half))
        for x in range(width):
            for c in range(4):
                made[x, c] = codes[c, x]


def halves(pixels: Pixels) -> NDArray[np.float16]:
    """(n, h, w) of (h, w, n) float32 from 0 to what a half can hold, rounded to the nearest, halfway to the even one."""
    h, w, n = pixels.shape
    out = np.empty((n, h, w), np.uint16)
    _halves(np.ascontiguousarray(pixels, np.float32), out)
    return out.view(np.float16)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _halves(pixels, out):  # type: ignore[no-untyped-def]
    height, width, n = pixels.shape
    for y in nb.prange(height):
        line = np.empty(width, np.float32)
        for c in range(n):
            row, made = pixels[y], out[c, y]
            for x in range(width):
                line[x] = min(max(row[x, c], f(0)), MOST_HALF)
            bits = line.view(np.int32)
            for x in range(width):
                # a normal number gets another exponent and loses 13 bits; a smaller one is rounded by adding what has its last bit there
                b = bits[x]
                normal = i32(i32(b - i32(112 << 23)) + i32(0xFFF) + i32(i32(b >> i32(13)) & i32(1))) >> i32(13)
                small = f(line[x] + f(0.5)).view(np.int32) - i32(126 << 23)
                made[x] = np.uint16(small if b < i32(113 << 23) else normal)
