"""Gaussian blur at any size, at a cost that hardly grows with the radius."""

from __future__ import annotations

import math

import cv2
import numpy as np

from tropein.core.raster.picture import Picture, Pixels

DIRECT_SIGMA_PX = 4.0  # up to here the kernel is applied as it is; beyond, on a reduced picture


def gaussian(picture: Picture, sigma_px: float) -> Picture:
    """Blurred by a Gaussian in linear light. The window grows by three sigma, unless the picture is opaque to its
    edges: then it keeps its size and its edges are continued outwards.
    """
    if sigma_px < 0.05 or picture.window.empty:
        return picture
    if picture.opaque:
        return Picture(blurred(picture.pixels, sigma_px, cv2.BORDER_REPLICATE), picture.window)
    window = picture.window.grow(math.ceil(3 * sigma_px) + 1)
    return Picture(blurred(picture.fill(window), sigma_px, cv2.BORDER_CONSTANT), window)


def softened(plane: Pixels, sigma_px: float) -> Pixels:
    """The same of a plane (h, w) within its own window; outside it is 0."""
    return plane if sigma_px < 0.05 else blurred(plane, sigma_px, cv2.BORDER_CONSTANT)


def blurred(pixels: Pixels, sigma: float, border: int) -> Pixels:
    """Pixels (h, w) or (h, w, n) of one window, what lies beyond it as OpenCV's `border` says."""
    if sigma <= DIRECT_SIGMA_PX:
        k = 2 * math.ceil(3 * sigma) + 1
        return cv2.GaussianBlur(pixels, (k, k), sigma, borderType=border)
    n = 2 ** int(math.floor(math.log2(sigma / DIRECT_SIGMA_PX * 2)))
    h, w = pixels.shape[:2]
    margin = n * 4
    small_h, small_w = -(-(h + 2 * margin) // n), -(-(w + 2 * margin) // n)
    padded = cv2.copyMakeBorder(pixels, margin, small_h * n - h - margin, margin, small_w * n - w - margin, border)
    small = cv2.resize(padded, (small_w, small_h), interpolation=cv2.INTER_AREA)
    # the area filter and the linear interpolation add variance of their own: (n^2-1)/12 and about n^2/6
    rest = math.sqrt(max(sigma**2 - (n**2 - 1) / 12 - n**2 / 6, 0.01)) / n
    k = 2 * math.ceil(3 * rest) + 1
    small = cv2.GaussianBlur(small, (k, k), rest, borderType=border)
    big = cv2.resize(small, (small_w * n, small_h * n), interpolation=cv2.INTER_LINEAR)
    return np.ascontiguousarray(big[margin : margin + h, margin : margin + w])
