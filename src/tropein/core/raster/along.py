"""Pictures averaged along a move: smears, zoom blurs, spin blurs. By doubling: each pass averages the picture moved a little on and a little
back, by half as far as the pass before, so that a way of n pixels costs 2 log2 n passes and every step of it weighs the same."""

from __future__ import annotations

import math
from collections.abc import Callable

import cv2
import numpy as np

from tropein.core.raster.picture import Picture, Window
from tropein.core.raster.warp import Matrix, translation

MOST_PASSES = 12


def averaged(picture: Picture, move: Callable[[float], Matrix], far_px: float) -> Picture:
    """The mean of the picture over moves -0.5..0.5. `move` gives affine matrices, and `move(a)` after `move(b)` must be `move(a + b)`; `far_px` is how far the farthest pixel goes
    in all. The window grows with what is moved, unless the picture is opaque to its edges: then these go on outwards."""
    if far_px < 0.05 or picture.window.empty:
        return picture
    w = picture.window
    border = cv2.BORDER_REPLICATE if picture.opaque else cv2.BORDER_CONSTANT
    window = w if picture.opaque else w.join(_reached(w, move))
    pixels = picture.pixels if window == w else picture.fill(window)
    to, back = translation(window.x0 + 0.5, window.y0 + 0.5), translation(-window.x0 - 0.5, -window.y0 - 0.5)
    share = 0.25
    for _ in range(min(MOST_PASSES, max(1, math.ceil(math.log2(max(far_px, 1.0))) + 1))):
        moved = [
            cv2.warpAffine(
                pixels,
                (back @ move(way) @ to)[:2],
                (window.width, window.height),
                flags=cv2.INTER_LINEAR,
                borderMode=border,
            )  # fmt: skip
            for way in (-share, share)
        ]
        pixels = cv2.addWeighted(moved[0], 0.5, moved[1], 0.5, 0)
        share /= 2
    return Picture(np.ascontiguousarray(pixels), window)


def _reached(w: Window, move: Callable[[float], Matrix]) -> Window:
    corners = np.array([[w.x0, w.y0, 1], [w.x1, w.y0, 1], [w.x1, w.y1, 1], [w.x0, w.y1, 1.0]])
    ways = [corners @ move(t).T for t in np.linspace(-0.5, 0.5, 17)]
    at = np.concatenate([p[:, :2] for p in ways])
    (x0, y0), (x1, y1) = np.floor(at.min(0)).astype(int) - 1, np.ceil(at.max(0)).astype(int) + 1
    return Window(int(x0), int(y0), int(x1), int(y1))
