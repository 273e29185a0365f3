"""The subject's own colour in its soft edge, without the old background.

Source: Forte, Approximate Fast Foreground Colour Estimation, IEEE ICIP 2021: both colours are guessed from what lies around,
weighed by coverage, and the subject's is corrected so that the picture is met.
"""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

RADII_PX = (45, 4)
STRIP = 96  # rows a thread takes at a time


def cleaned(rgb: NDArray[np.float32], alpha: NDArray[np.float32], amount: float, scale: float) -> NDArray[np.float32]:
    """(h, w, 3) linear light; `alpha` (h, w) 0..1; `scale` of the picture against full size. Where it covers wholly or not at all
    nothing changes."""
    soft = (alpha > 0) & (alpha < 1)
    if amount <= 0 or not soft.any():
        return rgb
    wide, near = (max(1, round(radius * scale)) for radius in RADII_PX)
    ends = [np.flatnonzero(soft.any(axis))[[0, -1]] for axis in (1, 0)]
    far = wide + near + 1
    rows, columns = (slice(max(0, int(first) - far), int(last) + far) for first, last in ends)
    out = np.array(rgb, np.float32, order="C")
    within = np.ascontiguousarray(alpha[rows, columns])
    out[rows, columns] = _cleaned(out[rows, columns].copy(), within, soft[rows, columns].copy(), amount, wide, near)
    return out


def _cleaned(
    rgb: NDArray[np.float32], alpha: NDArray[np.float32], soft: NDArray[np.bool_], amount: float, wide: int, near: int
) -> NDArray[np.float32]:
    side = 2 * near + 1  # of what the second guess looks at
    around = cv2.dilate(soft.astype(np.uint8), np.ones((side, side), np.uint8)) > 0
    subject, ground, own, other = (np.zeros(rgb.shape, np.float32) for _ in range(4))
    _guessed(rgb, rgb, rgb, alpha, around, wide, subject, ground)
    _guessed(rgb, subject, ground, alpha, soft, near, own, other)
    rgb[soft] += np.float32(amount) * (np.maximum(own[soft], 0) - rgb[soft])
    return rgb


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _guessed(rgb, subject, ground, alpha, where, radius, new_subject, new_ground):  # type: ignore[no-untyped-def]
    """Where it is asked for: the mean of both colours within a box, weighed by coverage, the subject's corrected to meet the picture. Sums of
    columns go along from row to row, and along a row their sums from its start."""
    h, w = alpha.shape
    strips = -(-h // STRIP)
    for strip in nb.prange(strips):
        first, last = strip * STRIP, min(h, (strip + 1) * STRIP)
        columns, along = np.zeros((8, w)), np.zeros((8, w + 1))
        for y in range(max(0, first - radius), min(h, first + radius)):
            _added(subject, ground, alpha, y, 1.0, columns)
        for y in range(first, last):
            if y + radius < h:
                _added(subject, ground, alpha, y + radius, 1.0, columns)
            if y - radius - 1 >= 0 and y > first:
                _added(subject, ground, alpha, y - radius - 1, -1.0, columns)
            low, high = 0, w
            while low < w and not where[y, low]:
                low += 1
            while high > low and not where[y, high - 1]:
                high -= 1
            if high == low:
                continue
            low, high = max(0, low - radius), min(w, high + radius)
            for c in range(8):
                total = 0.0
                along[c, low] = 0
                for x in range(low, high):
                    total += columns[c, x]
                    along[c, x + 1] = total
            tiny = 1e-5 * (2 * radius + 1) ** 2
            for x in range(low, high):
                if not where[y, x]:
                    continue
                a, b = max(0, x - radius), min(w, x + radius + 1)
                k = alpha[y, x]
                inside, outside = along[6, b] - along[6, a] + tiny, along[7, b] - along[7, a] + tiny
                for c in range(3):
                    own = np.float32((along[c, b] - along[c, a]) / inside)
                    other = np.float32((along[3 + c, b] - along[3 + c, a]) / outside)
                    new_subject[y, x, c] = own + k * (rgb[y, x, c] - k * own - (1 - k) * other)
                    new_ground[y, x, c] = other


@nb.njit(nogil=True)
def _added(subject, ground, alpha, y, sign, columns):  # type: ignore[no-untyped-def]
    for x in range(alpha.shape[1]):
        a = np.float64(alpha[y, x])
        k, n = sign * a, sign * (1 - a)
        columns[0, x] += k * subject[y, x, 0]
        columns[1, x] += k * subject[y, x, 1]
        columns[2, x] += k * subject[y, x, 2]
        columns[3, x] += n * ground[y, x, 0]
        columns[4, x] += n * ground[y, x, 1]
        columns[5, x] += n * ground[y, x, 2]
        columns[6, x] += k
        columns[7, x] += n
