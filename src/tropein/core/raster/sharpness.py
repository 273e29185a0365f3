"""How wide edges are.

An edge blurred by a Gaussian of s has a gradient that falls by sqrt(s^2 + r^2) / s when it is blurred once more by r, so s is
read from that ratio (Zhuo & Sim, Defocus map estimation from a single image, Pattern Recognition 44, 2011).
"""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]
# blurs in pixels: before anything, against grain; and once more, to compare
FIRST_PX, AGAIN_PX = 1.5, 2.0
OPERATOR_PX2 = 0.54  # variance that the gradient's own operator adds
STRONGEST = 97.0  # percentile of the gradients; edges at least half as steep are read
FEWEST, WIDEST_PX = 40, 20.0


def edge_sigma(plane: Plane, where: NDArray[np.bool_] | None = None, share: float = 50.0) -> float | None:
    """Standard deviation in pixels of the blur of a picture's sharp edges, 0..20; None where it has no edges to tell.

    plane: (h, w) linear light or coverage; where: (h, w) what counts; share: a percentage of them is
    sharper than this.
    """
    if min(plane.shape) < 8:
        return None
    steep = _slope(cv2.GaussianBlur(plane, (0, 0), FIRST_PX))
    less = _slope(cv2.GaussianBlur(plane, (0, 0), float(np.hypot(FIRST_PX, AGAIN_PX))))
    ridge = steep >= 0.98 * cv2.dilate(steep, np.ones((3, 3), np.uint8))
    if where is not None:
        ridge &= where
    if ridge.sum() < FEWEST:
        return None
    edges = ridge & (steep >= max(0.5 * float(np.percentile(steep[ridge], STRONGEST)), 1e-4))
    if edges.sum() < FEWEST:
        return None
    ratio = steep[edges] / np.maximum(less[edges], 1e-9)
    variance = AGAIN_PX**2 / np.maximum(ratio**2 - 1, (AGAIN_PX / WIDEST_PX) ** 2) - FIRST_PX**2 - OPERATOR_PX2
    return float(np.sqrt(np.clip(np.percentile(variance, share), 0, WIDEST_PX**2)))


def _slope(plane: Plane) -> Plane:
    """Size of the gradient."""
    x = cv2.Sobel(plane, cv2.CV_32F, 1, 0, ksize=3, scale=1 / 8)
    y = cv2.Sobel(plane, cv2.CV_32F, 0, 1, ksize=3, scale=1 / 8)
    return np.hypot(x, y)
