"""How a thing in a box looks, and finding it again about its last place by that."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.warp import Matrix
from tropein.core.track.box import Box
from tropein.core.track.figure import SIDE, SPAN

Look = NDArray[np.float32]
NEAR, NEAR_SIZES = (
    1.2,
    (-0.12, -0.04, 0.04, 0.12),
)  # how far about its last place it is looked for, of its size; log sizes
NEAR_ALIKE, NEAR_ALONE = 0.74, 0.1  # correlation with its last looks, and with what it is there more than anywhere near
EDGE = int(round(SIDE * (1 - 1 / SPAN) / 2))  # samples between the edge of the surroundings and the box
INNER = slice(EDGE, SIDE - EDGE)


def look_of(crop: NDArray[np.uint8]) -> Look:
    """(side, side) grey levels of a box's surroundings, (side, side, 3), a little smoothed."""
    return cv2.GaussianBlur(cv2.cvtColor(crop, cv2.COLOR_RGB2GRAY).astype(np.float32), (0, 0), 1.0)


def likeness(a: NDArray[Any], b: NDArray[Any], mask: NDArray[Any]) -> float:
    """Correlation of two looks where the thing is."""
    w = mask / max(mask.sum(), 1e-9)
    a, b = a - (w * a).sum(), b - (w * b).sum()
    return float((w * a * b).sum() / np.sqrt((w * a * a).sum() * (w * b * b).sum() + 1e-9))


def nearby(
    grey: NDArray[np.uint8], box: Box, in_picture: Callable[[Box], Matrix], looks: list[Look], mask: NDArray[np.float64]
) -> tuple[float, Box] | None:
    """(correlation, box) where a thing is, about where its box should be by now, by how it looked in its last frames, oldest first. Light
    may have changed, and its size a little. None where nothing there is like it, or more than one place is.

    grey (h, w); `in_picture` gives the matrix (3x3) that takes places in a box to pixels; `mask` (side, side) of the thing."""
    inside = np.float32(mask[INNER, INNER] > 0.5)
    side = SIDE - 2 * EDGE
    reach = int(side * NEAR)
    wide, start = side + 2 * reach, (1 - side - 2 * reach) / side
    to_box = np.array([[2 / side, 0, start], [0, 2 / side, start], [0, 0, 1]])
    kept = [looks[0]] if len(looks) < 2 else [looks[0], looks[len(looks) // 2]]
    found: list[tuple[float, float, Box]] = []
    for growth in NEAR_SIZES:
        tried = box.moved(np.zeros(2), growth, 0.0)
        m = (in_picture(tried) @ to_box)[:2]
        around = cv2.warpAffine(grey, m, (wide, wide), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP)
        around = cv2.GaussianBlur(np.float32(around), (0, 0), 1.0)
        scores = [cv2.matchTemplate(around, v[INNER, INNER], cv2.TM_CCOEFF_NORMED, mask=inside) for v in kept]
        score = np.maximum.reduce([np.nan_to_num(s, posinf=0, neginf=0) for s in scores])
        _, high, _, (x, y) = cv2.minMaxLoc(score)
        cv2.circle(score, (x, y), side // 4, -1.0, -1)
        shift = np.array([x - reach, y - reach]) / side * tried.sides
        found.append((high, float(score.max()), tried.moved(shift, 0.0, 0.0)))
    high, second, best = max(found, key=lambda f: f[0])
    return (high, best) if high >= NEAR_ALIKE and second <= high - NEAR_ALONE else None
