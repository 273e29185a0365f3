"""Light of what lies behind, let in over the edge of what lies before it."""

from __future__ import annotations

import cv2
import numpy as np

from tropein.core.raster.blur import gaussian
from tropein.core.raster.picture import Picture


def wrapped(picture: Picture, under: Picture, amount: float, width_px: float) -> Picture:
    """`picture` with the blurred light of `under` laid into its edge, strongest at the outline and gone `width_px` inside of
    it. Coverage stays as it is."""
    if amount <= 0 or picture.window.empty or under.window.empty:
        return picture
    window = picture.window.meet(under.window)
    if window.empty:
        return picture
    alpha = picture.pixels[..., 3:4]
    solid = cv2.merge([np.ascontiguousarray(picture.pixels[..., 3])] * 4)
    around = gaussian(Picture(solid, picture.window), width_px / 2)
    inward = np.clip(2 * (1 - around.fill(picture.window)[..., 3:4]), 0, 1)
    light = gaussian(Picture(under.fill(picture.window), picture.window), width_px).fill(picture.window)[..., :3]
    share = amount * inward
    pixels = picture.pixels.copy()
    pixels[..., :3] += share * alpha * (light - pixels[..., :3] / np.maximum(alpha, 1e-4)) * (alpha > 1e-4)
    return Picture(pixels, picture.window)
