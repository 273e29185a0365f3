"""Working on straight colour as the display shows it: the plain way that point effects are held to."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.colour import DISPLAY, WORKING, convert
from tropein.core.raster.picture import Picture

Colours = NDArray[np.float32]
TINY = 1e-6


def on_display(picture: Picture, change: Callable[[Colours], Colours]) -> Picture:
    """`change` gives (h, w, 3) straight display values for others; what covers nothing stays as it is."""
    if picture.window.empty:
        return picture
    alpha = picture.pixels[..., 3:]
    straight = np.ascontiguousarray(np.maximum(picture.pixels[..., :3] / np.maximum(alpha, TINY), 0), np.float32)
    changed = np.maximum(change(convert(straight, WORKING, DISPLAY)), 0)
    light = convert(np.ascontiguousarray(changed, np.float32), DISPLAY, WORKING) * alpha
    out = np.where(alpha <= TINY, picture.pixels[..., :3], light)
    return Picture(np.ascontiguousarray(np.concatenate([out, alpha], -1), np.float32), picture.window)
