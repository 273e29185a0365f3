"""Holes in what should be solid, and crumbs in what should be clear."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]
Mask = NDArray[np.bool_]
SOLID, CLEAR = (
    0.98,
    0.02,
)  # coverage: less than the first is a hole where all around is solid, more than the second a crumb
LARGEST = 0.06  # of the picture's diagonal: what is larger is thought meant


@dataclass(frozen=True, eq=False)
class Faults:
    """(h, w) masks of what is small enough to be a mistake, and the sizes of each, in pixels across."""

    holes: Mask
    crumbs: Mask
    hole_sizes: NDArray[np.float64]
    crumb_sizes: NDArray[np.float64]


def faults(plane: Plane, holes_px: float, crumbs_px: float) -> Faults:
    """What is enclosed by solid or stands in the clear, up to so many pixels across (the side of a square of its area)."""
    holes, hole_sizes = _islands(plane < SOLID, holes_px, 4, border=False)
    crumbs, crumb_sizes = _islands(plane > CLEAR, crumbs_px, 8, border=True)
    return Faults(holes, crumbs, hole_sizes, crumb_sizes)


def mended(plane: Plane, holes_px: float, crumbs_px: float) -> Plane:
    """Coverage with its small holes closed and its small crumbs dropped."""
    found = faults(plane, holes_px, crumbs_px)
    return np.where(found.holes, np.float32(1), np.where(found.crumbs, np.float32(0), plane))


def _islands(mask: Mask, most_px: float, connectivity: int, border: bool) -> tuple[Mask, NDArray[np.float64]]:
    """The parts of a mask that are at most so large; those that touch the border only where `border` says so."""
    if most_px <= 0 or not mask.any():
        return np.zeros_like(mask), np.zeros(0)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(mask.astype(np.uint8), connectivity=connectivity)
    x, y, w, h, area = stats.T
    kept = area <= most_px**2
    if not border:
        kept &= (x > 0) & (y > 0) & (x + w < mask.shape[1]) & (y + h < mask.shape[0])
    kept[0] = False
    return kept[labels], np.sqrt(area[kept].astype(np.float64))


def largest_px(width: int, height: int) -> float:
    """Up to this size, in pixels of such a picture, a hole or a crumb is thought a mistake."""
    return LARGEST * float(width**2 + height**2) ** 0.5
