"""Telling a thing from what is behind it by colour, and laying its outline where the colours say it is.

Pixel-wise posteriors after Bibby & Reid, Robust Real-Time Visual Tracking using Pixel-Wise Posteriors, ECCV 2008: a soft mask of
the thing, in the box's own coordinates, is moved so that the colours inside and outside of it are told apart best.
"""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.warp import Matrix

BINS = 16
SIDE = 64  # samples along each side of the box's surroundings
SPAN = 1.8  # how much wider than the box they are
STEPS = 4
LEARN = 0.04  # how much of what is new each frame adds to the colours
RESHAPE = 0.12  # and to the mask

_U = (np.arange(SIDE) + 0.5) / SIDE * 2 * SPAN - SPAN
GRID = np.stack(np.meshgrid(_U, _U), -1)  # (side, side, 2): places in the box, whose edges lie at -1 and 1
_STEP = 2 * SPAN / SIDE
FROM_GRID = np.array(
    [[_STEP, 0, _STEP / 2 - SPAN], [0, _STEP, _STEP / 2 - SPAN], [0, 0, 1]]
)  # samples to places in the box
_FAR = np.hypot(GRID[..., 0], GRID[..., 1])


def sampled(picture: NDArray[Any], box: Matrix) -> NDArray[Any]:
    """The surroundings of a box (side, side, ...): `box` (3x3) takes places in the box to pixels (whole at centres)."""
    m = (box @ FROM_GRID)[:2]
    return cv2.warpAffine(
        picture, m, (SIDE, SIDE), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderMode=cv2.BORDER_REPLICATE
    )


class Figure:
    """The colours of a thing and of what is around it, and its soft mask."""

    def __init__(self, picture: NDArray[np.uint8], box: Matrix) -> None:
        """From the reference: `picture` (h, w, 3)."""
        crop = sampled(picture, box)
        self.mask: NDArray[np.float64] = _first_mask(crop)
        self._middle = _middle(self.mask)
        self._inside = np.full(BINS**3, 1e-6)
        self._outside = np.full(BINS**3, 1e-6)
        self._count(crop, self.mask, 1.0)
        # what looks like the thing outside of its box, a neck under a head, is not heeded: it is not what was meant
        beyond = np.clip((np.abs(GRID).max(-1) - 0.95) / 0.1, 0, 1)
        self._heed = 1 - beyond * np.clip(2 * cv2.GaussianBlur(self.likely(crop), (0, 0), 2.0) - 0.4, 0, 1)

    def likely(self, crop: NDArray[np.uint8]) -> NDArray[np.float64]:
        """(side, side) 0..1: the chance of each colour to belong to the thing."""
        index = _bins(crop)
        return self._share[index]

    def laid(self, likely: NDArray[np.float64]) -> NDArray[np.float64]:
        """(3,): shift in the box's coordinates (its edges lie at -1 and 1) and growth that lay the mask where the colours say.

        Gauss-Newton on the sum of log(m p + (1 - m)(1 - p)).
        """
        at = np.zeros(3)
        p = np.clip(likely, 0.02, 0.98)
        for _ in range(STEPS):
            m = _moved(self.mask, at)
            gx, gy = (cv2.Sobel(m, cv2.CV_64F, dx, 1 - dx, ksize=1) / (2 * _STEP) for dx in (1, 0))
            # moving the mask by d changes it by -grad . d, growing it by k by -grad . u k
            grow = gx * GRID[..., 0] + gy * GRID[..., 1]
            j = -np.stack([gx, gy, grow], -1).reshape(-1, 3)
            pull = ((2 * p - 1) / (m * p + (1 - m) * (1 - p)) * self._heed).ravel()
            js = j * pull[:, None]
            normal = js.T @ js + np.diag([1e-3, 1e-3, 1.0]) * 30
            step = np.linalg.solve(normal, js.sum(0))
            at = at + np.clip(step, -0.1, 0.1)
            if np.abs(step).max() < 1e-3:
                break
        return np.clip(at, [-0.5, -0.5, -0.3], [0.5, 0.5, 0.3])

    def agreement(self, likely: NDArray[np.float64]) -> tuple[float, float]:
        """How likely the colours inside of the mask are the thing's, and those around it the ground's."""
        inside, around = self.mask > 0.7, (self.mask < 0.2) & (_FAR < 1.6) & (self._heed > 0.5)
        return float(likely[inside].mean()), float(1 - likely[around].mean()) if around.any() else 1.0

    def learn(self, crop: NDArray[np.uint8], likely: NDArray[np.float64]) -> NDArray[np.float64]:
        """What the thing looks like now, a little. The mask changes shape but not its middle: what that would have moved is
        returned (2,), in the box's coordinates, for the box to move instead."""
        self._count(crop, self.mask, LEARN)
        near = np.clip(1.6 - np.abs(GRID).max(-1), 0, 0.5) * 2
        told = cv2.GaussianBlur(np.clip(2 * likely - 0.5, 0, 1) * near * self._heed, (0, 0), 1.5)
        band = 4 * self.mask * (1 - self.mask)  # only its edge is open to change
        self.mask += RESHAPE * np.clip(band, 0, 1) * (told - self.mask)
        went = _middle(self.mask) - self._middle
        self.mask = _moved(self.mask, np.array([-went[0], -went[1], 0]))
        return went

    def _count(self, crop: NDArray[Any], mask: NDArray[Any], share: float) -> None:
        index = _bins(crop).ravel()
        ground = np.where(_FAR < 2.2, np.clip(1 - mask * 1.25, 0, 1), 0)
        for kept, weight in ((self._inside, np.clip(mask * 2 - 1, 0, 1)), (self._outside, ground)):
            counts = np.bincount(index, weight.ravel(), BINS**3)
            kept *= 1 - share
            kept += share * _smooth(counts / max(float(counts.sum()), 1e-9))
        self._share = self._inside / (self._inside + self._outside)


def _bins(crop: NDArray[np.uint8]) -> NDArray[np.intp]:
    q = (crop >> 4).astype(np.intp)
    return (q[..., 0] * BINS + q[..., 1]) * BINS + q[..., 2]


def _smooth(counts: NDArray[np.float64]) -> NDArray[np.float64]:
    """Neighbouring colours share what was counted: light changes, and grain."""
    cube = counts.reshape(BINS, BINS, BINS)
    for axis in range(3):
        padded = np.concatenate([cube.take([0], axis), cube, cube.take([-1], axis)], axis)
        lo, mid, hi = (padded.take(range(k, BINS + k), axis) for k in range(3))
        cube = 0.25 * lo + 0.5 * mid + 0.25 * hi
    return cube.ravel() + 2e-5


def _middle(mask: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray((mask[..., None] * GRID).sum((0, 1)) / max(float(mask.sum()), 1e-9))


def carried(plane: NDArray[np.float64], at: NDArray[np.float64]) -> NDArray[np.float64]:
    """What was sampled about a box, as it lies about the box once that was shifted and grown by `at`."""
    return _moved(plane, -at)


def _moved(mask: NDArray[np.float64], at: NDArray[np.float64]) -> NDArray[np.float64]:
    """The mask shifted and grown about the box's middle."""
    k, step = float(np.exp(at[2])), _STEP
    middle = (SIDE - 1) / 2
    m = np.array([[k, 0, middle - k * middle + at[0] / step], [0, k, middle - k * middle + at[1] / step]])
    return cv2.warpAffine(mask, m, (SIDE, SIDE), flags=cv2.INTER_LINEAR)


def _first_mask(crop: NDArray[np.uint8]) -> NDArray[np.float64]:
    """The thing in its box by GrabCut (Rother et al. 2004), or an ellipse where that finds no sensible outline."""
    ellipse = np.clip((1.0 - _FAR) * 6 + 0.5, 0, 1)
    box = np.abs(GRID).max(-1)
    labels = np.full((SIDE, SIDE), cv2.GC_BGD, np.uint8)
    labels[box < 1.02] = cv2.GC_PR_FGD
    labels[_FAR < 0.65] = cv2.GC_FGD
    cv2.setRNGSeed(7)
    try:
        cv2.grabCut(
            np.ascontiguousarray(crop), labels, None, np.zeros((1, 65)), np.zeros((1, 65)), 4, cv2.GC_INIT_WITH_MASK
        )
    except cv2.error:
        return ellipse
    found = np.isin(labels, (cv2.GC_FGD, cv2.GC_PR_FGD)).astype(np.float64)
    share = found[box < 1].mean()
    if not 0.3 < share < 0.97:
        return ellipse
    return cv2.GaussianBlur(found, (0, 0), 1.2)
