"""Pictures averaged along a move: smears, zoom blurs, spin blurs. By doubling: each pass averages the picture moved a little on and a little
back, by half as far as the pass before, so that a way of n pixels costs 2 log2 n passes and every step of it weighs the same."""

from __future__ import annotations

import math
from collections.abc import Callable

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.picture import Picture, Pixels, Window
from tropein.core.raster.warp import Matrix, translation

MOST_PASSES, FARTHEST = 12, 256


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
    straight = move(1.0)
    if np.array_equal(straight[:2, :2], np.eye(2)) and np.array_equal(straight[2], [0, 0, 1]):
        return Picture(_pushed(pixels, straight[:2, 2], far_px, border), window)
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


def _pushed(pixels: Pixels, way: NDArray[np.float64], far_px: float, border: int) -> Pixels:
    """The same along a straight way: both pictures of a pass at once, between pixels whose weights are the same everywhere."""
    aside = [min(math.ceil(abs(v) / 2) + 2, FARTHEST) for v in way]  # beyond that what lies at the sides goes on
    padded = cv2.copyMakeBorder(pixels, aside[1], aside[1], aside[0], aside[0], border)
    rows = padded.shape[0]
    padded = np.ascontiguousarray(padded).reshape(rows, -1)
    other = np.empty_like(padded)
    share = 0.25
    for _ in range(min(MOST_PASSES, max(1, math.ceil(math.log2(max(far_px, 1.0))) + 1))):
        _both(padded, pixels.shape[2], float(way[0] * share), float(way[1] * share), other)
        padded, other = other, padded
        share /= 2
    h, w = pixels.shape[:2]
    padded = padded.reshape(rows, -1, pixels.shape[2])
    return np.ascontiguousarray(padded[aside[1] : aside[1] + h, aside[0] : aside[0] + w])


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _both(pixels, n, x, y, out):  # type: ignore[no-untyped-def]
    """The mean of a picture (h, w * n) and of itself, moved by (x, y) and by as much the other way; what lies beyond its sides is what lies at them."""
    h, w = pixels.shape[0], pixels.shape[1] // n
    ix, iy = int(np.floor(x)), int(np.floor(y))
    tx, ty = np.float32(x - ix), np.float32(y - iy)
    one, half = np.float32(1), np.float32(0.5)
    a, b = half * (one - tx) * (one - ty), half * tx * (one - ty)
    c, d = half * (one - tx) * ty, half * tx * ty
    low, high = min(max(abs(ix) + 1, 0), w), max(w - abs(ix) - 2, 0)
    for row in nb.prange(h):
        # what was at (x, y) before comes here: (ix, iy) and one more, and the same the other way
        r0, r1 = min(max(row + iy, 0), h - 1), min(max(row + iy + 1, 0), h - 1)
        s0, s1 = min(max(row - iy, 0), h - 1), min(max(row - iy - 1, 0), h - 1)
        p0, p1, q0, q1, line = pixels[r0], pixels[r1], pixels[s0], pixels[s1], out[row]
        if high > low:  # all eight lie within their rows
            b0, b1, e0, e1 = (low + ix) * n, (low - ix) * n, (high + ix) * n, (high - ix) * n
            u0, v0, u1, v1 = p0[b0:e0], q0[b1:e1], p0[b0 + n : e0 + n], q0[b1 - n : e1 - n]
            u2, v2, u3, v3 = p1[b0:e0], q1[b1:e1], p1[b0 + n : e0 + n], q1[b1 - n : e1 - n]
            made = line[low * n : high * n]
            for i in range(made.size):
                made[i] = a * (u0[i] + v0[i]) + b * (u1[i] + v1[i]) + c * (u2[i] + v2[i]) + d * (u3[i] + v3[i])
        for part in range(2):
            for col in range(low if part == 0 else w - high) if low <= high else range(w if part == 0 else 0):
                at = col if part == 0 else high + col
                s, t = min(max(at + ix, 0), w - 1) * n, min(max(at + ix + 1, 0), w - 1) * n
                f, g = min(max(at - ix, 0), w - 1) * n, min(max(at - ix - 1, 0), w - 1) * n
                for k in range(n):
                    line[at * n + k] = (
                        a * (p0[s + k] + q0[f + k]) + b * (p0[t + k] + q0[g + k])
                        + c * (p1[s + k] + q1[f + k]) + d * (p1[t + k] + q1[g + k])
                    )  # fmt: skip


def _reached(w: Window, move: Callable[[float], Matrix]) -> Window:
    corners = np.array([[w.x0, w.y0, 1], [w.x1, w.y0, 1], [w.x1, w.y1, 1], [w.x0, w.y1, 1.0]])
    ways = [corners @ move(t).T for t in np.linspace(-0.5, 0.5, 17)]
    at = np.concatenate([p[:, :2] for p in ways])
    (x0, y0), (x1, y1) = np.floor(at.min(0)).astype(int) - 1, np.ceil(at.max(0)).astype(int) + 1
    return Window(int(x0), int(y0), int(x1), int(y1))
