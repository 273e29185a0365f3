"""Light that spreads from what is bright, over several scales at once, at the cost of little more than one enlargement."""

from __future__ import annotations

import math

import cv2
import numba as nb
import numpy as np

from tropein.core.raster.colour import LUMA
from tropein.core.raster.picture import Picture, Pixels


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _bright(pixels, weights, threshold, out):  # type: ignore[no-untyped-def]
    zero, tiny, low = np.float32(0), np.float32(1e-6), np.float32(threshold)
    for y in nb.prange(pixels.shape[0]):
        for x in range(pixels.shape[1]):
            luma = weights[0] * pixels[y, x, 0] + weights[1] * pixels[y, x, 1] + weights[2] * pixels[y, x, 2]
            share = max(luma - low * pixels[y, x, 3], zero) / max(luma, tiny)
            for c in range(4):
                out[y, x, c] = pixels[y, x, c] * share


def bright(picture: Picture, threshold: float) -> Picture:
    """The light above a linear brightness, its alpha in proportion."""
    out = np.empty_like(picture.pixels)
    _bright(np.ascontiguousarray(picture.pixels), LUMA, float(threshold), out)
    return Picture(out, picture.window)


def reduction(sigma_px: float) -> int:
    """By which power of two a picture can be reduced before a blur of this size; 1 up to a sigma of 4."""
    return 1 if sigma_px <= 4 else 2 ** int(math.log2(sigma_px / 2))


def spread(picture: Picture, radius_px: float, scales: int) -> Picture:
    """The sum of `scales` Gaussians, the widest of sigma `radius_px` and each next half as wide.

    Each is blurred on a reduced picture; on the way back up every level is added to the next finer one, so that only
    the last enlargement is at full size. The window grows by three sigma, except for a picture opaque to its border,
    whose edges are continued outwards.
    """
    sigmas = [radius_px / 2**i for i in range(scales)]
    steps = [reduction(s) for s in sigmas]
    coarsest = max(steps)
    opaque, window = picture.opaque, picture.window
    reach = 4 * coarsest if opaque else math.ceil(3 * radius_px) + 1
    h, w = window.height + 2 * reach, window.width + 2 * reach
    right, bottom = -w % coarsest, -h % coarsest
    border = cv2.BORDER_REPLICATE if opaque else cv2.BORDER_CONSTANT
    level = cv2.copyMakeBorder(picture.pixels, reach, reach + bottom, reach, reach + right, border)
    blurred: dict[int, Pixels] = {}
    n = 1
    while n <= coarsest:
        if n > 1:
            level = cv2.resize(level, (level.shape[1] // 2, level.shape[0] // 2), interpolation=cv2.INTER_AREA)
        for sigma in (s for s, own in zip(sigmas, steps, strict=True) if own == n and s > 0.05):
            # reducing by areas adds (n^2 - 1) / 12 of variance, doubling back by lines (n^2 - 1) / 4
            rest = math.sqrt(sigma**2 - (n**2 - 1) / 3) / n
            k = 2 * math.ceil(3 * rest) + 1
            part = cv2.GaussianBlur(level, (k, k), rest, borderType=border)
            blurred[n] = blurred[n] + part if n in blurred else part
        n *= 2
    total: Pixels | None = None
    while n > 1:
        n //= 2
        if total is not None:
            total = cv2.resize(total, (total.shape[1] * 2, total.shape[0] * 2), interpolation=cv2.INTER_LINEAR)
        if n in blurred:
            total = blurred[n] if total is None else cv2.add(total, blurred[n], dst=total)
    if total is None:
        return picture
    margin = 0 if opaque else reach
    grown = window.grow(margin)
    y, x = reach - margin, reach - margin
    return Picture(total[y : y + grown.height, x : x + grown.width], grown)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _add_light(picture, py, px, light, ly, lx, gains, out):  # type: ignore[no-untyped-def]
    h, w, _ = out.shape
    ph, pw, _ = picture.shape
    zero, one = np.float32(0), np.float32(1)
    for y in nb.prange(h):
        inside = py <= y < py + ph
        for x in range(w):
            own = inside and px <= x < px + pw
            for c in range(4):
                under = picture[y - py, x - px, c] if own else zero
                value = under + light[y + ly, x + lx, c] * gains[c]
                out[y, x, c] = min(value, one) if c == 3 else value


def glowing(picture: Picture, threshold: float, radius_px: float, scales: int, tint: Pixels, amount: float) -> Picture:
    """The picture with the light above `threshold`, spread, tinted (3,) and multiplied by `amount`, added to it. A
    picture opaque to its border keeps its window."""
    light = spread(bright(picture, threshold), radius_px, scales)
    window = picture.window if picture.opaque else light.window.join(picture.window)
    gains = np.append(np.asarray(tint, np.float32), 1).astype(np.float32) * np.float32(amount / scales)
    out = np.empty((window.height, window.width, 4), np.float32)
    at, source = picture.window, np.ascontiguousarray(light.pixels)
    offsets = window.y0 - light.window.y0, window.x0 - light.window.x0
    _add_light(np.ascontiguousarray(picture.pixels), at.y0 - window.y0, at.x0 - window.x0, source, *offsets, gains, out)
    return Picture(out, window)
