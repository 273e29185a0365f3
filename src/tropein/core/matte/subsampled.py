"""Colour detail that 4:2:0 footage lost, put back where brightness shows it.

Within a small window colour follows brightness nearly along a line; its slope is read where both are known, on the coarse
grid, and applied to the brightness's own fine detail (as in guided upsampling: He & Sun, Fast Guided Filter, 2015)."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.colour import DISPLAY, LUMA, WORKING, convert

WINDOW, FLAT = 5, 1e-3  # cells on the coarse grid; variance of display luma below which nothing is carried over


def restored(rgb: NDArray[np.float32]) -> NDArray[np.float32]:
    """(h, w, 3) linear light with its colour sharpened to its brightness."""
    h, w = rgb.shape[:2]
    if min(h, w) < 2 * WINDOW:
        return rgb
    shown = convert(np.ascontiguousarray(rgb), WORKING, DISPLAY)
    luma = np.ascontiguousarray(shown @ LUMA)
    small = (max(1, w // 2), max(1, h // 2))
    coarse_luma = cv2.resize(luma, small, interpolation=cv2.INTER_AREA)
    fine = luma - cv2.resize(coarse_luma, (w, h), interpolation=cv2.INTER_LINEAR)
    chroma = cv2.resize(shown - luma[..., None], small, interpolation=cv2.INTER_AREA)

    def around(values: NDArray[np.float32]) -> NDArray[np.float32]:
        return cv2.blur(values, (WINDOW, WINDOW), borderType=cv2.BORDER_REFLECT)

    mean = around(coarse_luma)
    spread = around(coarse_luma * coarse_luma) - mean * mean
    both = around(chroma * coarse_luma[..., None]) - around(chroma) * mean[..., None]
    slope = both / (np.maximum(spread, 0) + FLAT)[..., None]
    slope = cv2.resize(slope, (w, h), interpolation=cv2.INTER_LINEAR)
    smooth = cv2.resize(chroma, (w, h), interpolation=cv2.INTER_CUBIC)
    sharper = luma[..., None] + smooth + slope * fine[..., None]
    return convert(np.ascontiguousarray(np.maximum(sharper, 0)), DISPLAY, WORKING)
