"""Colour detail that 4:2:0 and 4:2:2 footage lost, put back where brightness shows it.

Within a small window colour follows brightness nearly along a line; its slope is read where both are known, on the coarse
grid of the file's own chroma samples, and applied to the brightness's own fine detail (as in guided upsampling: He & Sun, Fast
Guided Filter, 2015)."""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.colour import LUMA, decode_table, encode_table, look_up_above, looked_up
from tropein.core.raster.yuv import Cells

WINDOW, FLAT = 5, 1e-3  # cells on the coarse grid; variance of display luma below which nothing is carried over
UNBLURRINGS = 3  # rounds; each leaves at most half of what the one before left

Planes = NDArray[np.float32]


def restored(rgb: Planes, cells: Cells) -> Planes:
    """(h, w, 3) linear light, whose chroma was interpolated linearly between its samples, with its colour sharpened to its
    brightness."""
    h, w = rgb.shape[:2]
    if min(h, w) < 2 * WINDOW or cells.across == cells.down == 1:
        return rgb
    luma, away = np.empty((h, w), np.float32), np.empty((h, w, 3), np.float32)
    rgb = np.ascontiguousarray(rgb)
    _parted(rgb, rgb.view(np.uint32), encode_table(), LUMA, luma, away)
    chroma = _samples(_samples(away, 0, cells.down, cells.at_down), 1, cells.across, cells.at_across)
    coarse = _seen(_seen(luma, 0, cells.down, cells.at_down), 1, cells.across, cells.at_across)

    def around(values: Planes) -> Planes:
        return cv2.blur(values, (WINDOW, WINDOW), borderType=cv2.BORDER_REFLECT)

    def fine(values: Planes, how: int) -> Planes:
        a, d = 1 / cells.across, 1 / cells.down
        to = np.array([[a, 0, -cells.at_across * (1 - a)], [0, d, -cells.at_down * (1 - d)]], np.float32)
        return cv2.warpAffine(values, to, (w, h), flags=how | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE)

    mean = around(coarse)
    spread = around(coarse * coarse) - mean * mean
    both = around(chroma * coarse[..., None]) - around(chroma) * mean[..., None]
    slope = both / (np.maximum(spread, 0) + FLAT)[..., None]
    out = np.empty((h, w, 3), np.float32)
    _sharper(luma, fine(coarse, cv2.INTER_LINEAR), fine(chroma, cv2.INTER_CUBIC), fine(slope, cv2.INTER_LINEAR), out)
    return looked_up(out, decode_table())


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _parted(rgb, bits, curve, weights, luma, away):  # type: ignore[no-untyped-def]
    """Display luma of linear light, and each channel's way from it."""
    for y in nb.prange(luma.shape[0]):
        for x in range(luma.shape[1]):
            total = np.float32(0)
            for c in range(3):
                shown = look_up_above(rgb[y, x, c], bits[y, x, c], curve)
                away[y, x, c] = shown
                total += weights[c] * shown
            luma[y, x] = total
            for c in range(3):
                away[y, x, c] -= total


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _sharper(luma, coarse, chroma, slope, out):  # type: ignore[no-untyped-def]
    for y in nb.prange(luma.shape[0]):
        for x in range(luma.shape[1]):
            here = luma[y, x]
            detail = here - coarse[y, x]
            for c in range(3):
                out[y, x, c] = here + chroma[y, x, c] + slope[y, x, c] * detail


def _halves(values: Planes, axis: int) -> tuple[Planes, Planes]:
    """Every first and every second row (or column); an odd last one stands for both."""
    if values.shape[axis] % 2:
        values = np.concatenate([values, values[-1:] if axis == 0 else values[:, -1:]], axis)
    return (values[::2], values[1::2]) if axis == 0 else (values[:, ::2], values[:, 1::2])


def _samples(values: Planes, axis: int, count: int, at: float) -> Planes:
    """What was stored, along one axis, of what was interpolated from it."""
    if count == 1:
        return values
    first, second = _halves(values, axis)
    if at != 0.5:
        return np.ascontiguousarray(second if at == 1 else first)
    blurred = (first + second) * np.float32(0.5)  # an eighth of either neighbour is in it
    out = blurred
    for _ in range(UNBLURRINGS):
        out = out + blurred - _mixed(out, axis, 0.125)
    return out


def _seen(luma: Planes, axis: int, count: int, at: float) -> Planes:
    """Brightness as a chroma sample saw it, along one axis."""
    if count == 1:
        return luma
    first, second = _halves(luma if at == 0.5 else _mixed(luma, axis, 0.25), axis)
    return np.ascontiguousarray((first + second) * np.float32(0.5) if at == 0.5 else (second if at == 1 else first))


def _mixed(values: Planes, axis: int, share: float) -> Planes:
    """Each value with a share of either neighbour along one axis."""
    line, one = np.array([share, 1 - 2 * share, share], np.float32), np.ones(1, np.float32)
    across, down = (one, line) if axis == 0 else (line, one)
    return cv2.sepFilter2D(np.ascontiguousarray(values), -1, across, down, borderType=cv2.BORDER_REPLICATE)
