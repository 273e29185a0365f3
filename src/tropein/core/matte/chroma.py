"""Chroma key: coverage from how much of a pixel's light is the screen's, and the subject's colour without the screen.

A pixel is a share of the subject over a share of the screen, in linear light: pixel = p c + (1 - alpha) screen, with c the
hue of the subject as it is seen nearby where it is solid (grey where none is) and p its brightness, which is free: three
channels, two unknowns, solved by weighted least squares with p >= 0. What is left after the screen's share is subtracted is the
subject's own light (the matting equation and its solution from what is known of a colour: Smith & Blinn, Blue screen matting,
SIGGRAPH 1996).
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.matte.screen import Screen, excess
from tropein.core.raster import srgb

Plane = NDArray[np.float32]
Rgb = NDArray[np.float32]
SOLID = 0.97
NEARBY_PX = 12.0  # standard deviation in pixels of the footage: how far the subject's own light is carried to its edge
# weights 1 / (light + DARK) ** NOISE_POWER: grain grows with light
DARK, NOISE_POWER = np.float32(0.02), np.float32(0.6)
# of a channel's weight: how far a subject is held to be as bright as it is nearby, where nothing else tells
HELD = np.float32(0.02)
GENTLE = 0.05  # up to so much coverage the ends are told by what is around, within AROUND_PX
AROUND_PX = 2.0
SURELY_CLEAR, FEWEST = 0.05, 200  # coverage, and how many places of it tell the grain
CORE_ALPHA, FEATHER_PX = 0.6, 2.0
CARRIED_PX = 3.0  # standard deviation: how far colour is carried beyond an edge
TINY = 1e-4


@dataclass(frozen=True)
class Keying:
    """See document.matte.ChromaPiece; core_px in pixels of the picture."""

    low: float = 0.03
    high: float = 0.97
    core_px: float = 6.0
    spill: float = 1.0
    balance: float = 0.0


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy", fastmath=srgb.FAST)
def _share(rgb, light, near, trust, out):  # type: ignore[no-untyped-def]
    one, third, tiny, zero = np.float32(1), np.float32(1 / 3), np.float32(1e-6), np.float32(0)
    width = rgb.shape[1]
    for y in nb.prange(rgb.shape[0]):
        # sums over the channels, each of a whole row that lies in one piece: only loops of this kind become vector instructions
        grey, weights = np.zeros(width, np.float32), np.zeros(width, np.float32)
        cc, cs, ss = np.zeros(width, np.float32), np.zeros(width, np.float32), np.zeros(width, np.float32)
        ci, si = np.zeros(width, np.float32), np.zeros(width, np.float32)
        here, screen = np.empty(width, np.float32), np.empty(width, np.float32)
        close, w = np.empty(width, np.float32), np.empty(width, np.float32)
        known, made = trust[y], out[y]
        for x in range(width):
            grey[x] = (near[y, x, 0] + near[y, x, 1] + near[y, x, 2]) * third
        for k in range(3):
            for x in range(width):
                here[x], screen[x], close[x] = rgb[y, x, k], light[y, x, k], near[y, x, k]
            for x in range(width):
                w[x] = srgb.power(max(here[x], zero) + DARK, -NOISE_POWER)
            for x in range(width):
                c = one - known[x] + known[x] * close[x] / max(grey[x], np.float32(1e-4))
                wc, ws = w[x] * c, w[x] * screen[x]
                weights[x] += w[x]
                cc[x] += wc * c
                cs[x] += wc * screen[x]
                ss[x] += ws * screen[x]
                ci[x] += wc * here[x]
                si[x] += ws * here[x]
        for x in range(width):
            g, held = grey[x], HELD * known[x] * weights[x] * third
            a, b, d = cc[x] + held, cs[x] + held * g, ss[x] + held * g * g
            e, f = ci[x] + held * g, si[x] + held * g * g
            rest = (a * f - b * e) / max(a * d - b * b, tiny)
            alone = f / max(d, tiny)
            made[x] = one - (alone if e - b * rest < zero else rest)  # less than no subject


def coverage(rgb: Rgb, screen: Screen, keying: Keying, scale: float = 1.0) -> Plane:
    """(h, w) alpha 0..1 of (h, w, 3) linear light. scale: pixels of the picture per pixel of the footage."""
    rgb, light = np.ascontiguousarray(rgb), np.ascontiguousarray(screen.light)
    near, trust = _nearby(rgb, light, screen.key, scale)
    share = np.empty(rgb.shape[:2], np.float32)
    _share(rgb, light, near, trust, share)
    out = _ends(share, keying, scale)
    if keying.core_px * scale >= 0.5:
        np.maximum(out, _core(out, keying.core_px * scale, scale), out=out)
    return out


def _ends(share: Plane, keying: Keying, scale: float) -> Plane:
    """What is nearly screen made clear and what is nearly solid made solid, by what is around: a single hair keeps its thin
    edge, the grain of the screen does not. Beyond GENTLE both are cut off pixel by pixel."""
    high = max(keying.high, keying.low + 0.01)
    clear, solid = min(keying.low, GENTLE), min(1 - high, GENTLE)
    low, high = keying.low - clear, high + solid
    spread = ((share - low) / (high - low)).astype(np.float32)
    out = np.clip(spread, 0, 1)
    # grain averages out as long as it is not cut off at its ends
    around = cv2.GaussianBlur(np.clip(spread, -1, 2), (0, 0), max(AROUND_PX * scale, 0.5))
    if clear > 0:
        out *= _smooth_step(around / max(clear, _grain_of(share)))
    if solid > 0:
        out = 1 - (1 - out) * _smooth_step((1 - around) / solid)
    return out


def _smooth_step(t: Plane) -> Plane:
    """0 up to half, 1 from one and a half."""
    t = np.clip(t - 0.5, 0, 1)
    return (t * t * (3 - 2 * t)).astype(np.float32)


def _grain_of(share: Plane) -> float:
    """Standard deviation of the coverage of what is surely screen; 0 where there is none."""
    calm = cv2.blur(share, (9, 9))[::3, ::3] < SURELY_CLEAR
    there = share[::3, ::3][calm]
    if there.size < FEWEST:
        return 0.0
    return 1.4826 * float(np.median(np.abs(there - np.median(there))))


def _halved(picture: NDArray[np.float32]) -> NDArray[np.float32]:
    h, w = picture.shape[:2]
    return cv2.resize(picture, (max(1, w // 2), max(1, h // 2)), interpolation=cv2.INTER_AREA)


def _nearby(rgb: Rgb, light: Rgb, key: int, scale: float) -> tuple[Rgb, Plane]:
    """(h, w, 3) the subject's own light, carried from where it is solid to its edges, and (h, w) 0..1 how far it is known."""
    h, w = rgb.shape[:2]
    small, behind = _halved(rgb), _halved(light)
    own, full = excess(small, key), np.maximum(excess(behind, key), TINY)
    solid = (1 - own / full > SOLID).astype(np.uint8)
    solid = cv2.erode(solid, np.ones((3, 3), np.uint8), borderType=cv2.BORDER_CONSTANT, borderValue=0)
    sigma = max(NEARBY_PX * scale / 2, 0.5)
    weight = cv2.GaussianBlur(solid.astype(np.float32), (0, 0), sigma)
    carried = cv2.GaussianBlur(small * solid[..., None], (0, 0), sigma) / (weight[..., None] + TINY)
    trust = weight / (weight + 0.05)
    return (
        cv2.resize(np.maximum(carried, 0), (w, h), interpolation=cv2.INTER_LINEAR),
        cv2.resize(trust, (w, h), interpolation=cv2.INTER_LINEAR),
    )


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


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
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


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _carried(light, alpha, light_around, alpha_around, out):  # type: ignore[no-untyped-def]
    """The colour of premultiplied light, and where there is hardly any that around it; far from all of it next to none, and not grain made bright."""
    one, slight = np.float32(1), np.float32(0.02)
    for y in nb.prange(alpha.shape[0]):
        for x in range(alpha.shape[1]):
            by, around = one / (alpha[y, x] + slight), slight / max(alpha_around[y, x], slight)
            for c in range(3):
                out[y, x, c] = (light[y, x, c] + around * light_around[y, x, c]) * by
            out[y, x, 3] = one


def unmixed(rgb: Rgb, screen: Screen, alpha: Plane, keying: Keying) -> NDArray[np.float32]:
    """(h, w, 4) the subject's colour, opaque, carried a little beyond its edge: multiplied by any matte near `alpha` it is
    the subject without its screen."""
    light = subject(rgb, screen, alpha, keying)
    out = np.empty((*alpha.shape, 4), np.float32)
    _carried(light, alpha, _around(light), _around(alpha), out)
    return out


def _around(values: NDArray[np.float32]) -> NDArray[np.float32]:
    """What lies within some pixels: blurred at half the size, which only takes colour along."""
    h, w = values.shape[:2]
    blurred = cv2.GaussianBlur(_halved(values), (0, 0), CARRIED_PX / 2)
    return cv2.resize(blurred, (w, h), interpolation=cv2.INTER_LINEAR)
