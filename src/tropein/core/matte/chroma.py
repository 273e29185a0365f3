"""Chroma key: coverage from how much of the screen's light is missing, and the subject's colour without the screen.

A pixel is a share of the subject over a share of the screen, so coverage is linear in light: with d the excess of the
key channel over the larger of the others, alpha = (d(screen) - d(pixel)) / (d(screen) - d(subject)). What is left after the
screen's share is subtracted is the subject's own light (cf. Vlahos, US 4,344,085; Smith & Blinn, SIGGRAPH 1996).
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.matte.screen import Screen, excess

Plane = NDArray[np.float32]
Rgb = NDArray[np.float32]
SOLID = 0.97
FLOOR_SIGMA_PX, FLOOR_FADE_PX = 12.0, (32.0, 96.0)  # how far the subject's own colour is carried to its edge
CORE_ALPHA, FEATHER_PX = 0.6, 2.0
TINY = 1e-4


@dataclass(frozen=True)
class Keying:
    """See document.matte.ChromaPiece; core_px in pixels of the picture."""

    low: float = 0.03
    high: float = 0.97
    core_px: float = 6.0
    spill: float = 1.0
    balance: float = 0.0


@nb.njit(parallel=True, cache=True, error_model="numpy")
def _alpha(rgb, light, key, a, b, floor, low, high, out):  # type: ignore[no-untyped-def]
    for y in nb.prange(rgb.shape[0]):
        for x in range(rgb.shape[1]):
            screen = light[y, x, key] - max(light[y, x, a], light[y, x, b])
            here = rgb[y, x, key] - max(rgb[y, x, a], rgb[y, x, b])
            share = (screen - here) / max(screen - floor[y, x], np.float32(1e-4))
            out[y, x] = min(max((share - low) / (high - low), np.float32(0)), np.float32(1))


def coverage(rgb: Rgb, screen: Screen, keying: Keying, scale: float = 1.0) -> Plane:
    """(h, w) alpha 0..1 of (h, w, 3) linear light. scale: pixels of the picture per pixel of the footage."""
    floor = _floor(rgb, screen, scale)
    out = np.empty(rgb.shape[:2], np.float32)
    a, b = screen.others
    high = max(keying.high, keying.low + 0.01)
    _alpha(
        np.ascontiguousarray(rgb), np.ascontiguousarray(screen.light), screen.key, a, b, floor, np.float32(keying.low),
        np.float32(high), out,
    )  # fmt: skip
    if keying.core_px * scale >= 0.5:
        np.maximum(out, _core(out, keying.core_px * scale, scale), out=out)
    return out


def _halved(picture: NDArray[np.float32]) -> NDArray[np.float32]:
    h, w = picture.shape[:2]
    return cv2.resize(picture, (max(1, w // 2), max(1, h // 2)), interpolation=cv2.INTER_AREA)


def _floor(rgb: Rgb, screen: Screen, scale: float) -> Plane:
    """(h, w) the subject's own excess, at most 0, carried from where it is solid to its edges."""
    h, w = rgb.shape[:2]
    small, light = _halved(np.ascontiguousarray(rgb)), _halved(np.ascontiguousarray(screen.light))
    own, full = excess(small, screen.key), np.maximum(excess(light, screen.key), TINY)
    solid = (1 - own / full > SOLID).astype(np.uint8)
    solid = cv2.erode(solid, np.ones((3, 3), np.uint8), borderType=cv2.BORDER_CONSTANT, borderValue=0)
    sigma = FLOOR_SIGMA_PX * scale / 2
    weight = cv2.GaussianBlur(solid.astype(np.float32), (0, 0), max(sigma, 0.5))
    carried = cv2.GaussianBlur(np.minimum(own, 0) * solid, (0, 0), max(sigma, 0.5)) / (weight + 0.05)
    near, far = (p * scale / 2 for p in FLOOR_FADE_PX)
    deep = cv2.distanceTransform(solid, cv2.DIST_L2, 3)
    fade = np.clip((far - deep) / max(far - near, 1e-3), 0, 1)
    return cv2.resize((carried * fade).astype(np.float32), (w, h), interpolation=cv2.INTER_LINEAR)


def _core(alpha: Plane, radius_px: float, scale: float) -> Plane:
    """The insides of what is mostly solid, feathered: holes in the body are closed, smoke stays soft."""
    h, w = alpha.shape
    small = _halved(alpha)
    r = max(1, round(radius_px / 2))
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * r + 1, 2 * r + 1))
    inside = cv2.erode((small > CORE_ALPHA).astype(np.uint8), disc, borderType=cv2.BORDER_REPLICATE)
    if not inside.any():
        return np.zeros_like(alpha)
    count, labels = cv2.connectedComponents(inside, connectivity=4)
    size = np.bincount(labels.ravel(), minlength=count)
    solid = np.bincount(labels.ravel(), weights=(small > SOLID).ravel(), minlength=count)
    kept = solid > 0.5 * size
    kept[0] = False
    feather = cv2.GaussianBlur(kept[labels].astype(np.float32), (0, 0), max(FEATHER_PX * scale / 2, 0.4))
    return cv2.resize(feather, (w, h), interpolation=cv2.INTER_LINEAR)


@nb.njit(parallel=True, cache=True, error_model="numpy")
def _subject(rgb, light, alpha, key, a, b, spill, balance, out):  # type: ignore[no-untyped-def]
    zero = np.float32(0)
    for y in nb.prange(rgb.shape[0]):
        for x in range(rgb.shape[1]):
            rest = np.float32(1) - alpha[y, x]
            for c in range(3):
                out[y, x, c] = max(rgb[y, x, c] - rest * light[y, x, c], zero)
            screen = max(light[y, x, key] - max(light[y, x, a], light[y, x, b]), np.float32(1e-4))
            over = (
                max(out[y, x, key] - max(out[y, x, a], out[y, x, b]), zero) / screen * spill * (np.float32(1) - balance)
            )
            for c in range(3):
                out[y, x, c] = max(out[y, x, c] - over * light[y, x, c], zero)
            most = (out[y, x, a] + out[y, x, b]) / np.float32(2)
            above = max(out[y, x, key] - most, zero)
            out[y, x, key] -= above * min(spill * balance, np.float32(1))


def subject(rgb: Rgb, screen: Screen, alpha: Plane, keying: Keying) -> Rgb:
    """(h, w, 3) linear light of the subject alone, premultiplied by `alpha`, the screen's light on it taken out."""
    out = np.empty(rgb.shape, np.float32)
    a, b = screen.others
    _subject(
        np.ascontiguousarray(rgb), np.ascontiguousarray(screen.light), alpha, screen.key, a, b, np.float32(keying.spill),
        np.float32(keying.balance), out,
    )  # fmt: skip
    return out


def unmixed(rgb: Rgb, screen: Screen, alpha: Plane, keying: Keying) -> NDArray[np.float32]:
    """(h, w, 4) the subject's colour, opaque, carried a little beyond its edge: multiplied by any matte near `alpha` it is
    the subject without its screen."""
    light = subject(rgb, screen, alpha, keying)
    sigma = 3.0
    around = cv2.GaussianBlur(light, (0, 0), sigma) / (cv2.GaussianBlur(alpha, (0, 0), sigma)[..., None] + TINY)
    slight = np.float32(0.02)
    out = np.ones((*alpha.shape, 4), np.float32)
    out[..., :3] = (light + slight * around) / (alpha[..., None] + slight)
    return out
