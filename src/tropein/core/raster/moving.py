"""A picture blurred along each thing's own motion, and averaged with its neighbours in time along it."""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.colour import LUMA, to_display
from tropein.core.raster.picture import Pixels

Flow = NDArray[np.float32]
LEAST_SIDE = 24  # smaller pictures have no motion that could be told
CELL = 16
MOST_STEPS = 48


def grey(pixels: Pixels) -> NDArray[np.uint8]:
    """(h, w, 4) in display codes, on grey where it is clear."""
    laid = pixels.copy()
    laid[..., :3] += np.float32(0.18) * (1 - laid[..., 3:4])
    codes = to_display(np.ascontiguousarray(laid, np.float32))
    return np.rint(codes[..., :3] @ LUMA).astype(np.uint8)


def flow(a: NDArray[np.uint8], b: NDArray[np.uint8]) -> Flow:
    """(h, w, 2) where each pixel of a lies in b, from where it is: DIS (Kroeger, Timofte, Dai, Van Gool, ECCV 2016)."""
    made: Flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM).calc(a, b, None)
    return made


def seen(values: NDArray[np.float32], at: NDArray[np.float32]) -> NDArray[np.float32]:
    """Values where `at` (h, w, 2) points."""
    out: NDArray[np.float32] = cv2.remap(values, at, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return out


def grid(h: int, w: int) -> NDArray[np.float32]:
    return np.stack(np.meshgrid(np.arange(w, dtype=np.float32), np.arange(h, dtype=np.float32)), -1)


def smeared(pixels: Pixels, way: Flow) -> Pixels:
    """(h, w, 4) each thing blurred along its way (pixels, the whole of it), which lies half before and half after where it is. What moves covers what
    it passes, as far as its own way reaches (McGuire, Hennessy, Bukowski, Osman 2012): the longest way nearby says along which line is looked."""
    out = np.empty_like(pixels)
    _smear(np.ascontiguousarray(pixels), np.ascontiguousarray(way), _longest(way), out)
    return out


def _longest(way: Flow) -> Flow:
    """The longest way in each cell and those around it, (rows, columns, 2)."""
    h, w = way.shape[:2]
    rows, columns = -(-h // CELL), -(-w // CELL)
    padded = cv2.copyMakeBorder(way, 0, rows * CELL - h, 0, columns * CELL - w, cv2.BORDER_REPLICATE)
    cells = padded.reshape(rows, CELL, columns, CELL, 2).swapaxes(1, 2).reshape(rows, columns, -1, 2)
    reach = max(1, int(np.ceil(np.hypot(way[..., 0], way[..., 1]).max() / 2 / CELL)))
    top = np.take_along_axis(cells, (cells**2).sum(-1).argmax(-1)[..., None, None], 2)[:, :, 0]
    for axis in (0, 1):  # a longest one is found along rows, then along columns
        edge = [(reach, reach) if a == axis else (0, 0) for a in (0, 1)] + [(0, 0)]
        ahead = np.pad(top, edge, mode="edge")
        near = np.stack([np.roll(ahead, s, axis) for s in range(-reach, reach + 1)], 2)
        near = near[reach:-reach] if axis == 0 else near[:, reach:-reach]
        top = np.take_along_axis(near, (near**2).sum(-1).argmax(-1)[..., None, None], 2)[:, :, 0]
    return np.ascontiguousarray(top, np.float32)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _smear(pixels: Pixels, way: Flow, longest: Flow, out: Pixels) -> None:
    h, w, _ = pixels.shape
    for y in nb.prange(h):
        for x in range(w):
            # cells meet without a seam: the line is taken from one of those around, at random
            jy, jx = ((x * 7 + y * 13) % 16) - 8, ((x * 11 + y * 5) % 16) - 8
            cy = min(max((y + jy) // CELL, 0), longest.shape[0] - 1)
            cx = min(max((x + jx) // CELL, 0), longest.shape[1] - 1)
            vx, vy = longest[cy, cx, 0], longest[cy, cx, 1]
            length = np.sqrt(vx * vx + vy * vy)
            if length < 0.5:
                for c in range(4):
                    out[y, x, c] = pixels[y, x, c]
                continue
            own = np.sqrt(way[y, x, 0] ** 2 + way[y, x, 1] ** 2)
            n = min(max(int(np.ceil(length)), 3), MOST_STEPS) | 1
            r = g = b = a = weight = np.float32(0)
            for i in range(n):
                t = (i + np.float32(0.5)) / n - np.float32(0.5)
                px, py = x + t * vx, y + t * vy
                qx, qy = int(np.floor(px + 0.5)), int(np.floor(py + 0.5))
                qx, qy = min(max(qx, 0), w - 1), min(max(qy, 0), h - 1)
                there = np.sqrt(way[qy, qx, 0] ** 2 + way[qy, qx, 1] ** 2)
                away = abs(t) * length
                # it is seen here if it comes as far as this, or if this is smeared over it
                k = min(max(there / 2 - away + np.float32(0.5), np.float32(0)), np.float32(1))
                k = max(k, min(max(own / 2 - away + np.float32(0.5), np.float32(0)), np.float32(1)))
                if abs(t) * n < 0.51:
                    k = max(k, np.float32(1))
                weight += k
                r += k * pixels[qy, qx, 0]
                g += k * pixels[qy, qx, 1]
                b += k * pixels[qy, qx, 2]
                a += k * pixels[qy, qx, 3]
            # what stands still is covered for as long as something passes, and seen else
            rest = max(n - weight, np.float32(0)) if own < 0.5 else np.float32(0)
            total = weight + rest
            out[y, x, 0] = (r + rest * pixels[y, x, 0]) / total
            out[y, x, 1] = (g + rest * pixels[y, x, 1]) / total
            out[y, x, 2] = (b + rest * pixels[y, x, 2]) / total
            out[y, x, 3] = (a + rest * pixels[y, x, 3]) / total
