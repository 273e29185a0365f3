"""Pictures whose every pixel is taken from a little aside."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.picture import Picture, Window

Aside = NDArray[np.float32]


def bent_window(picture: Picture, far_px: float) -> Window:
    """The window of a picture whose pixels come from up to so far: it grows, unless the picture is opaque to its edges."""
    return picture.window if picture.opaque else picture.window.grow(math.ceil(far_px) + 1)


def bent(picture: Picture, window: Window, dx: Aside, dy: Aside) -> Picture:
    """Each pixel of `window` is what lies (dx, dy) pixels from it, arrays of the window's size. Beyond an opaque picture's edges it goes on
    mirrored."""
    w = picture.window
    border = cv2.BORDER_REFLECT if picture.opaque else cv2.BORDER_CONSTANT
    xs = np.arange(window.x0 - w.x0, window.x1 - w.x0, dtype=np.float32)
    ys = np.arange(window.y0 - w.y0, window.y1 - w.y0, dtype=np.float32)
    pixels = np.ascontiguousarray(picture.pixels)
    return Picture(cv2.remap(pixels, xs[None] + dx, ys[:, None] + dy, cv2.INTER_LINEAR, borderMode=border), window)
