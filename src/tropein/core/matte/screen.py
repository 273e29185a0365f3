"""The screen behind a subject: which colour it has, and how bright it is in every place.

A low polynomial of the logarithm of its light is fitted robustly to what is surely screen (Beaton & Tukey, Technometrics
16, 1974: biweights), then what is left over is smoothed in by normalised convolution (Knutsson & Westin, CVPR 1993).
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Rgb = NDArray[np.float32]
CELL_PX = 8  # of the footage's own pixels: screen light varies slowly
SURE_SHARE, NEAR_RATIO, PICKED_RATIO = 0.25, 0.06, 0.15  # measured on synthetic plates: what counts as surely screen
BEYOND = 0.5  # natural logarithm: how much darker or brighter than anywhere seen the screen is thought to be
FEWEST_CELLS = 24
LIKELY = (0.25, 1.0, 1.0)  # red, green, blue
# of how far the fitted screen's hue stands out: less is not screen, however dark a shadow on it may be
EMPTY_SHARE = 0.5
# of a known screen's hue: what has as much is the screen; and how far its light changes, as a natural logarithm
SAME_SCREEN, CHANGES = 0.92, 1.3
# in cells: where the screen lies open, and how fine its folds are followed there; as natural logarithms: hue and depth of a fold
OPEN_CELLS, FOLD_CELLS, SAME_HUE, DEEPEST = 2.0, 0.7, 0.08, 1.2
LEAST_EXCESS = 0.008  # linear: a screen must stand out by this much over the other channels
LEAST_TINT = 0.05  # and by this share of all its light: what has less is a grey with a cast


@dataclass(frozen=True, eq=False)
class Screen:
    """light: (h, w, 3) float32 linear, the screen as it would be seen with nothing before it; key: its strongest channel."""

    light: Rgb
    key: int

    @property
    def others(self) -> tuple[int, int]:
        a, b = (c for c in range(3) if c != self.key)
        return a, b


def excess(rgb: Rgb, key: int) -> NDArray[np.float32]:
    """By how much the key channel (index) exceeds the larger of the others; (..., 3) to (...)."""
    a, b = (c for c in range(3) if c != key)
    return rgb[..., key] - np.maximum(rgb[..., a], rgb[..., b])


def find(rgb: Rgb, picked: tuple[float, float, float] | None, follow: float, cell: int = CELL_PX) -> Screen | None:
    """The screen of a frame, or None when there is none to be seen.

    rgb: (h, w, 3) float32 linear; picked: its colour (linear) where the user chose one; follow 0..1: how far uneven light
    is followed; cell: side in pixels of the squares the light is read from.
    """
    h, w = rgb.shape[:2]
    small = cv2.resize(rgb, (max(4, w // cell), max(4, h // cell)), interpolation=cv2.INTER_AREA)
    key = int(np.argmax(picked)) if picked is not None else _strongest(small)
    standing = excess(small, key)
    total = small.sum(-1) + 1e-6
    if picked is not None:
        wanted = np.asarray(picked, np.float32)
        least = SURE_SHARE * max(float(excess(wanted, key)), LEAST_EXCESS)
        middle, near = wanted / (wanted.sum() + 1e-6), PICKED_RATIO
        sure = np.zeros(small.shape[:2], bool)
        for _ in range(3):  # a click beside a hair is still the screen: look for what most of its like is
            sure = (np.abs(small / total[..., None] - middle).max(-1) < near) & (standing > least)
            if not sure.any():
                return None
            middle, near = np.median((small / total[..., None])[sure], axis=0), NEAR_RATIO
        sure = (standing > least) & (small[..., key] / total > middle[key] - NEAR_RATIO)
    else:
        bright = float(np.percentile(standing, 90))
        sure = standing > max(SURE_SHARE * bright, LEAST_EXCESS)
        if sure.any():
            if float(np.median((standing / total)[sure])) < LEAST_TINT:
                return None
            ratio = small[..., key] / total
            sure &= ratio > np.median(ratio[sure]) - NEAR_RATIO
    safe = cv2.erode(sure.astype(np.uint8), np.ones((3, 3), np.uint8), borderType=cv2.BORDER_REPLICATE).astype(bool)
    if safe.sum() >= FEWEST_CELLS:
        sure = safe
    if sure.sum() < FEWEST_CELLS:
        return None
    flat = np.median(small[sure], axis=0)
    light = np.exp(np.log(flat) * (1 - follow) + np.log(_smooth(small, sure, key)) * follow) if follow > 0 else None
    if light is None:
        return Screen(np.ascontiguousarray(np.broadcast_to(flat.astype(np.float32), (h, w, 3))), key)
    full = cv2.resize(light.astype(np.float32), (w, h), interpolation=cv2.INTER_LINEAR)
    return Screen(full, key)


def seen_empty(rgb: Rgb, picked: tuple[float, float, float] | None, cell: int = CELL_PX) -> Screen | None:
    """The screen as a frame shows it with nothing before it, its grain smoothed away; where that frame shows something else
    (a stand, the studio beyond its edge) as it is fitted there. Arguments as for `find`."""
    fitted = find(rgb, picked, 1.0, cell)
    if fitted is None:
        return None
    smooth = cv2.GaussianBlur(rgb, (0, 0), max(1.0, cell / 4))
    share = excess(smooth, fitted.key) / (smooth.sum(-1) + 1e-6)
    wanted = excess(fitted.light, fitted.key) / (fitted.light.sum(-1) + 1e-6)
    lit = (share > EMPTY_SHARE * wanted) & (excess(smooth, fitted.key) > LEAST_EXCESS)
    is_screen = cv2.GaussianBlur(lit.astype(np.float32), (0, 0), max(1.0, cell / 4))[..., None]
    return Screen((is_screen * smooth + (1 - is_screen) * fitted.light).astype(np.float32), fitted.key)


def as_lit(screen: Screen, rgb: Rgb, cell: int = CELL_PX) -> Screen:
    """A screen known from elsewhere, as bright as a frame (h, w, 3) shows it: light changes through a shot, and shadows fall on it. Told
    where it surely lies open, and smoothed in around."""
    h, w = rgb.shape[:2]
    size = (max(4, w // cell), max(4, h // cell))
    small, light = (
        cv2.resize(np.ascontiguousarray(p), size, interpolation=cv2.INTER_AREA) for p in (rgb, screen.light)
    )
    hue = excess(small, screen.key) * light.sum(-1) / np.maximum(excess(light, screen.key) * small.sum(-1), 1e-6)
    change = np.log(np.maximum(small[..., screen.key], 1e-5) / np.maximum(light[..., screen.key], 1e-5))
    open_ = (hue > SAME_SCREEN) & (np.abs(change) < CHANGES)
    open_ = cv2.erode(open_.astype(np.uint8), np.ones((3, 3), np.uint8), borderType=cv2.BORDER_REPLICATE).astype(bool)
    if open_.sum() < FEWEST_CELLS:
        return screen
    middle = float(np.median(change[open_]))
    by = middle + _carried((change - middle)[..., None], open_.astype(np.float64), max(2.0, w / cell / 40))
    full = cv2.resize(np.exp(by).astype(np.float32).reshape(size[::-1]), (w, h), interpolation=cv2.INTER_LINEAR)
    return Screen(screen.light * full[..., None], screen.key)


def _strongest(small: Rgb) -> int:
    """The channel in which most of the picture stands out; red counts for less, for skin and clothes are red and screens seldom."""
    return int(np.argmax([k * np.clip(excess(small, key), 0, None).mean() for key, k in enumerate(LIKELY)]))


def _smooth(small: Rgb, sure: NDArray[np.bool_], key: int) -> NDArray[np.float64]:
    h, w = sure.shape
    y, x = np.mgrid[-1 : 1 : h * 1j, -1 : 1 : w * 1j]
    terms = np.stack([np.ones_like(x), x, y, x * x, x * y, y * y], -1)
    logs = np.log(np.maximum(small, 1e-5).astype(np.float64))
    a, b = terms[sure], logs[sure]
    weight = np.ones(len(a))
    coefficients = np.zeros((6, 3))
    for _ in range(8):
        left = a * weight[:, None]
        coefficients = np.linalg.solve(left.T @ a + 1e-6 * np.eye(6), left.T @ b)
        off = np.abs(b - a @ coefficients).max(1)
        spread = max(1.4826 * float(np.median(off)), 0.01)
        weight = 1 / (1 + (off / (2 * spread)) ** 2) ** 2
    fitted = terms @ coefficients
    trust = np.zeros((h, w))
    trust[sure] = weight
    base = fitted + _carried(logs - fitted, trust, max(2.0, w / 40))
    low, high = np.percentile(b, [1, 99], axis=0)  # a polynomial must not run away where no screen was seen
    base = np.clip(base, low - BEYOND, high + BEYOND)
    return np.exp(base + _folds(logs - base, sure, key))


def _folds(left_over: NDArray[np.float64], sure: NDArray[np.bool_], key: int) -> NDArray[np.float64]:
    """(h, w, 3) light and dark of the screen finer than the fit, where the screen lies open: beside a subject, dark hair looks
    like a fold, so nothing is taken from there."""
    away = cv2.distanceTransform(sure.astype(np.uint8), cv2.DIST_L2, 3)
    open_ = np.clip((away - OPEN_CELLS) / OPEN_CELLS, 0, 1)
    shade = left_over[..., key : key + 1]
    tinted = np.abs(left_over - shade).max(-1)
    trust = open_ * np.exp(-((tinted / SAME_HUE) ** 2)) * (np.abs(shade[..., 0]) < DEEPEST)
    return _carried(shade, trust, FOLD_CELLS) * open_[..., None]


def _carried(values: NDArray[np.float64], trust: NDArray[np.float64], sigma: float) -> NDArray[np.float64]:
    """Values known with some trust (h, w), smoothed in by normalised convolution; 0 where nothing is known."""
    share = cv2.GaussianBlur(trust, (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)
    summed = cv2.GaussianBlur(values * trust[..., None], (0, 0), sigma, borderType=cv2.BORDER_REPLICATE)
    return np.asarray(summed.reshape(*trust.shape, -1) / (share + 0.05)[..., None])
