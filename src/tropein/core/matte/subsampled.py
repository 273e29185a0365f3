"""Colour detail that 4:2:0 and 4:2:2 footage lost, put back where brightness shows it.

Within a small window colour follows brightness nearly along a line; its slope is read where both are known, on the coarse
grid of the file's own chroma samples, and applied to the brightness's own fine detail (as in guided upsampling: He & Sun, Fast
Guided Filter, 2015)."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.colour import DISPLAY, LUMA, WORKING, convert
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
    shown = convert(np.ascontiguousarray(rgb), WORKING, DISPLAY)
    luma = np.ascontiguousarray(shown @ LUMA)
    chroma = _samples(_samples(shown - luma[..., None], 0, cells.down, cells.at_down), 1, cells.across, cells.at_across)
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
    detail = luma - fine(coarse, cv2.INTER_LINEAR)
    sharper = luma[..., None] + fine(chroma, cv2.INTER_CUBIC) + fine(slope, cv2.INTER_LINEAR) * detail[..., None]
    return convert(np.ascontiguousarray(np.maximum(sharper, 0)), DISPLAY, WORKING)


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
