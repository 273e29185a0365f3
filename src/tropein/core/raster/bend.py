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
    """Each pixel of `window` is what lies (dx, dy) pixels from it, arrays of the window's size, or one row or column for all. Beyond an opaque picture's edges it goes on
    mirrored."""
    w = picture.window
    border = cv2.BORDER_REFLECT if picture.opaque else cv2.BORDER_CONSTANT
    xs = np.arange(window.x0 - w.x0, window.x1 - w.x0, dtype=np.float32)
    ys = np.arange(window.y0 - w.y0, window.y1 - w.y0, dtype=np.float32)
    pixels, shape = np.ascontiguousarray(picture.pixels), (window.height, window.width)
    at_x, at_y = (np.ascontiguousarray(np.broadcast_to(v, shape)) for v in (xs[None] + dx, ys[:, None] + dy))
    return Picture(cv2.remap(pixels, at_x, at_y, cv2.INTER_LINEAR, borderMode=border), window)
