"""What differs from an empty picture of the same place, whatever shadow falls on it.

A shadow dims a surface and keeps its colour (Horprasert, Harwood & Davis, A Statistical Approach for Real-time Robust Background
Subtraction and Shadow Detection, IEEE ICCV FRAME-RATE workshop, 1999): brightness and colour are compared apart.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.colour import LUMA

FLOOR = 0.01  # linear light below which colour says nothing
COLOUR_WEIGHT = 6.0


@dataclass(frozen=True)
class Difference:
    """`threshold` and `softness` of the difference (0..1), `shadow` 0..1: how deep a shadow still counts as the empty place."""

    threshold: float
    softness: float
    shadow: float


def coverage(rgb: NDArray[np.float32], empty: NDArray[np.float32], chosen: Difference) -> NDArray[np.float32]:
    """(h, w) 0..1 where `rgb` (h, w, 3), linear, is not what `empty` shows there."""
    now, there = (cv2.GaussianBlur(p, (0, 0), 0.8) for p in (rgb, empty))
    bright, was = (np.maximum(p @ LUMA, 0) + FLOOR for p in (now, there))
    colour = np.linalg.norm((now + FLOOR) / bright[..., None] - (there + FLOOR) / was[..., None], axis=2)
    weight = np.minimum(bright, was) / (np.minimum(bright, was) + 4 * FLOOR)  # in the dark colour is noise
    ratio = bright / was
    dimmed = np.maximum(0, (1 - chosen.shadow) - ratio)  # darker than any shadow that is let pass
    lit = np.maximum(0, ratio - 1.0)
    change = np.where(ratio < 1, dimmed, lit) * was / (was + 4 * FLOOR)
    far = np.hypot(COLOUR_WEIGHT * 0.1 * colour * weight, change)
    t = np.clip((far - chosen.threshold) / max(chosen.softness, 1e-3), 0, 1)
    return (t * t * (3 - 2 * t)).astype(np.float32)
