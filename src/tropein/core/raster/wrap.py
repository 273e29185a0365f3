"""Light of what lies behind, let in over the edge of what lies before it."""

from __future__ import annotations

import math

import cv2
import numba as nb
import numpy as np

from tropein.core.raster.blur import blurred
from tropein.core.raster.picture import Picture, Window, bounds


def wrapped(picture: Picture, under: Picture, amount: float, width_px: float) -> Picture:
    """`picture` with the blurred light of `under` laid into its edge, strongest at the outline and gone `width_px` inside of
    it. Coverage stays as it is."""
    if amount <= 0 or picture.window.empty or under.window.meet(picture.window).empty:
        return picture
    box = _around(picture, math.ceil(3 * width_px) + 1)
    if box.empty:
        return picture
    part, behind = picture.crop(box).pixels, np.ascontiguousarray(under.crop(box).pixels)
    if under.window.meet(box) != box:
        behind = under.fill(box)
    border = cv2.BORDER_REPLICATE if picture.opaque else cv2.BORDER_CONSTANT
    around = blurred(np.ascontiguousarray(part[..., 3]), width_px / 2, border)
    light = blurred(behind, width_px, cv2.BORDER_REPLICATE if under.opaque else cv2.BORDER_CONSTANT)
    pixels = picture.pixels.copy()
    y, x = box.y0 - picture.window.y0, box.x0 - picture.window.x0
    _let_in(pixels[y : y + box.height, x : x + box.width], around, light, np.float32(amount))
    return Picture(pixels, picture.window)


def _around(picture: Picture, reach: int) -> Window:
    """The part of a picture's window within reach of anything in it."""
    w, spans = picture.window, picture.extent.spans
    if spans is None:
        return w
    there = bounds(spans, w.y0)
    return there if there.empty else there.grow(reach).meet(w)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _let_in(pixels, around, light, amount):  # type: ignore[no-untyped-def]
    one, tiny = np.float32(1), np.float32(1e-4)
    for y in nb.prange(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            cover = pixels[y, x, 3]
            if cover > tiny:
                share = amount * min(max(2 * (one - around[y, x]), np.float32(0)), one)
                for c in range(3):
                    pixels[y, x, c] += share * (cover * light[y, x, c] - pixels[y, x, c])
