"""Blur as a lens makes it: every point becomes the shape of its aperture."""

from __future__ import annotations

import math
from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.picture import Pixels
from tropein.core.raster.streaming import HALF, enlarged, halved

SUPER = 8  # samples across a pixel of the shape
LEAST_PX = 0.5


@lru_cache(32)
def shape(radius: float, blades: int, roundness: float, turn: float) -> NDArray[np.float32]:
    """(n, n) coverage that sums to 1: a disc, or a polygon whose sides bulge with roundness 0..1."""
    r = math.ceil(radius)
    n = 2 * r + 1
    at = (np.arange(n * SUPER) + 0.5) / SUPER - n / 2
    x, y = at[None], at[:, None]
    away = np.hypot(x, y)
    if blades >= 3:
        wedge = 2 * math.pi / blades
        a = np.mod(np.arctan2(y, x) - math.radians(turn), wedge) - wedge / 2
        side = np.cos(wedge / 2) / np.cos(a)
        away = away / (side + roundness * (1 - side))
    inside = (away <= radius).astype(np.float32)
    kernel = inside.reshape(n, SUPER, n, SUPER).mean((1, 3))
    return np.ascontiguousarray(kernel / max(float(kernel.sum()), 1e-9), np.float32)


REDUCED_FROM_PX = 7.0  # wider ones are done on a quarter of the pixels: nothing fine is left


def through_aperture(
    layer: NDArray[np.float32], radius: float, blades: int, roundness: float, turn: float, border: int
) -> NDArray[np.float32]:
    """(h, w, c) through an aperture of this radius in pixels."""
    if radius < LEAST_PX:
        return layer
    if radius >= REDUCED_FROM_PX:
        h, w = layer.shape[:2]
        return enlarged(_filtered(halved(layer), radius / HALF, blades, roundness, turn, border), h, w)
    return _filtered(layer, radius, blades, roundness, turn, border)


def _filtered(
    layer: NDArray[np.float32], radius: float, blades: int, roundness: float, turn: float, border: int
) -> NDArray[np.float32]:
    kernel = shape(round(radius, 2), blades, roundness, turn)[::-1, ::-1]
    out: NDArray[np.float32] = cv2.filter2D(layer, -1, kernel, borderType=border)
    return np.maximum(out, 0, out=out)


def defocused(pixels: Pixels, radius: float, blades: int, roundness: float, turn: float, border: int) -> Pixels:
    """(h, w, 4) through an aperture of this radius in pixels."""
    if radius < LEAST_PX:
        return pixels
    out = _filtered(pixels, radius, blades, roundness, turn, border)
    np.minimum(out[..., 3], 1, out=out[..., 3])
    return out
