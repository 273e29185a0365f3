"""What of a picture is grain: what is left of two frames laid on each other, where there is least to be seen.

Blocks of one frame are sought in the other in whole pixels (nothing is resampled, which would soften grain); what a shift by less than a pixel, or a
little growth, leaves is a mixture of the picture's own slopes and is regressed out of each block.
"""

from __future__ import annotations

from functools import lru_cache

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.match.measure import brightness
from tropein.core.raster.grain import film_grain
from tropein.core.raster.moving import flow

Plane = NDArray[np.float32]
SIDES = (32, 16)  # px, of blocks; small ones where there are too few of the others
FEWEST = 8
FLATTEST, QUANTILE = 0.12, 0.3
LEAST, SPREAD = 0.1, 1.8  # of blocks: where the least lie, and by how much grain alone may exceed them
LOW, HIGH = 0.02, 0.97  # of display: beyond that grain is cut off
SEEKS, SMOOTH = 1.2, 1.0  # px: grain is no guide to where things went, nor a slope of the picture
TONE = 0.1  # of display brightness: grain of tones as near as this is compared
SIZES = (0.0, 0.25, 0.4, 0.5, 0.6, 0.7, 0.8, 1.0, 1.25, 1.5, 1.75, 2.0)  # px, of grain, that are told from each other
SLOPES = (
    np.array([[-0.5, 0, 0.5]], np.float32), np.array([[-0.5], [0], [0.5]], np.float32), np.array([[1, -2, 1]], np.float32),
    np.array([[1], [-2], [1]], np.float32), np.array([[1, 0, -1], [0, 0, 0], [-1, 0, 1]], np.float32) / 4,
)  # fmt: skip
# what is neither flat nor straight is let through by it
DETAIL = np.array([[1, -2, 1], [-2, 4, -2], [1, -2, 1]], np.float32)
NORMAL = 1.4826 / 6  # from the median of what it lets through to a standard deviation


def grain_of(
    now: Plane, then: Plane, where: NDArray[np.bool_], tone: float | None = None
) -> tuple[float, float] | None:
    """(standard deviation, size in pixels) of the grain of display brightness within `where`, of two different frames; of about a brightness `tone` alone
    where there is enough of that. None where there is too little of anything flat."""
    for side in SIDES:
        found = _read(now, then, where, tone, side)
        if found is not None:
            deviation, alike = found
            gains, likes = _known(side)
            size = float(np.interp(alike, likes, SIZES))
            return deviation / float(np.interp(size, SIZES, gains)), round(size, 2)
    return None


def of_still(plane: Plane, where: NDArray[np.bool_], tone: float | None = None) -> tuple[float, float] | None:
    """The same of a single frame, by what a high pass lets through (a plane and a straight edge give nothing, Immerkaer 1996) in its flattest blocks, in the
    picture and at half its size: texture counts as grain."""
    side = SIDES[-1]
    level = blocks_of(plane, side)
    usable = blocks_of(where, side).all(1) & (level.max(1) < HIGH) & (level.min(1) > LOW)
    if tone is not None:
        near = usable & (np.abs(level.mean(1) - tone) < TONE)
        usable = near if near.sum() >= 3 * FEWEST else usable
    if usable.sum() < FEWEST:
        return None
    fine, coarse = _high(plane, side)
    flat = np.flatnonzero(usable)[np.argsort(fine[usable])][: max(FEWEST, round(FLATTEST * usable.sum()))]
    seen = float(np.median(fine[flat])), float(np.median(coarse[flat]))
    size = float(np.interp(seen[1] / max(seen[0], 1e-6), _known_still()[1], SIZES))
    return seen[0] / float(np.interp(size, SIZES, _known_still()[0])), round(size, 2)


def _high(plane: Plane, side: int) -> list[NDArray[np.float64]]:
    """Of each block, in the picture and at half its size: the deviation that the median of a high pass tells."""
    h, w = (n // side * side for n in plane.shape)
    half = cv2.resize(plane[:h, :w], (w // 2, h // 2), interpolation=cv2.INTER_AREA)
    planes = ((plane, side), (half, side // 2))
    return [np.median(np.abs(blocks_of(cv2.filter2D(p, cv2.CV_32F, DETAIL), s)), 1) * NORMAL for p, s in planes]


@lru_cache(1)
def _known_still() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """What a high pass sees of grain of each of SIZES by what it is, and how much of it at half the size by that."""
    read = []
    for size in SIZES:
        made = flat_grain(size, 0.0, 0.0)
        fine, coarse = (float(np.median(v)) for v in _high(made, SIDES[-1]))
        read.append((fine / float(made.std()), coarse / fine))
    gains, ratios = np.array(read).T
    return gains, np.maximum.accumulate(ratios)


def _read(
    now: Plane, then: Plane, where: NDArray[np.bool_], tone: float | None, side: int
) -> tuple[float, float] | None:
    """(deviation of what is left, how alike neighbours in it are)."""
    h, w = (n // side * side for n in now.shape)
    if not h or not w:
        return None
    other, inside = _laid_on(now, then, side)
    mean = (now + other) / 2
    usable = blocks_of(where & inside, side).all(1)
    level = blocks_of(mean, side)
    usable &= (level.max(1) < HIGH) & (level.min(1) > LOW)
    if tone is not None:
        near = usable & (np.abs(level.mean(1) - tone) < TONE)
        usable = near if near.sum() >= 3 * FEWEST else usable
    if usable.sum() < FEWEST:
        return None
    smooth = cv2.GaussianBlur(mean, (0, 0), SMOOTH)
    chosen = np.flatnonzero(usable)
    busy = blocks_of(smooth, side)[chosen].std(1)
    chosen = chosen[np.argsort(busy)[: max(FEWEST, round(FLATTEST * len(chosen)))]]
    off = blocks_of((now - other) / np.float32(np.sqrt(2)), side)[chosen].astype(np.float64)
    off = without_slopes(off, smooth, chosen, side)
    power = (off**2).mean(1)
    # what turns or bends is not laid on itself: such blocks hold far more than the least do
    alike = power <= SPREAD * np.quantile(power, LEAST)
    off, power = off[alike], power[alike]
    typical = float(np.quantile(power, QUANTILE))
    left = off[np.argsort(np.abs(power - typical))[: max(6, len(off) // 2)]].reshape(-1, side, side)
    whole = float((left**2).mean())
    beside = ((left[:, :, 1:] * left[:, :, :-1]).mean() + (left[:, 1:] * left[:, :-1]).mean()) / 2
    return float(np.sqrt(typical)), float(beside) / max(whole, 1e-12)


def _laid_on(now: Plane, then: Plane, side: int) -> tuple[Plane, NDArray[np.bool_]]:
    """The other frame with each block where it lies in this one, and where it has one."""
    (y, x), inside = whither(now, then, side)
    return then[y, x], inside


def whither(now: Plane, then: Plane, side: int) -> tuple[tuple[NDArray[np.int64], NDArray[np.int64]], NDArray[np.bool_]]:  # fmt: skip
    """Of each pixel the (row, column) at which its block lies in the other frame, in whole pixels; and whether that is in the picture."""
    codes = [np.clip(cv2.GaussianBlur(p, (0, 0), SEEKS) * 255, 0, 255).astype(np.uint8) for p in (now, then)]
    way = flow(*codes)
    h, w = (n // side * side for n in now.shape)
    by_block = (
        way[:h, :w].reshape(h // side, side, w // side, side, 2).swapaxes(1, 2).reshape(h // side, w // side, -1, 2)
    )
    middle = np.median(by_block, 2)
    whole = np.zeros((*now.shape, 2), np.int64)
    whole[:h, :w] = np.rint(middle).astype(np.int64).repeat(side, 0).repeat(side, 1)
    y, x = np.indices(now.shape)
    x, y = x + whole[..., 0], y + whole[..., 1]
    inside = (x >= 0) & (y >= 0) & (x < now.shape[1]) & (y < now.shape[0])
    return (np.clip(y, 0, now.shape[0] - 1), np.clip(x, 0, now.shape[1] - 1)), inside


def without_slopes(
    off: NDArray[np.float64], smooth: Plane, chosen: NDArray[np.int64], side: int
) -> NDArray[np.float64]:
    """(n, side * side) what is left of blocks once what a shift by less than a pixel, or a little growth, of the picture leaves was taken out."""
    slopes = [blocks_of(cv2.filter2D(smooth, cv2.CV_32F, k), side)[chosen] for k in SLOPES]
    x = np.stack([*slopes, np.ones_like(slopes[0])], 2).astype(np.float64)
    gram = np.einsum("nij,nik->njk", x, x) + 1e-9 * np.eye(x.shape[2])
    return off - np.einsum("nij,nj->ni", x, np.linalg.solve(gram, np.einsum("nij,ni->nj", x, off)[..., None])[..., 0])


def blocks_of(plane: NDArray[np.generic], side: int) -> NDArray[np.generic]:
    """(n, side * side) the whole squares of a plane."""
    h, w = (n // side * side for n in plane.shape)
    return plane[:h, :w].reshape(h // side, side, w // side, side).swapaxes(1, 2).reshape(-1, side * side)


@lru_cache(4)
def _known(side: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """What is read of grain of each of SIZES by what it is, and how alike neighbours are then: by laying some on an even grey."""
    read = []
    for size in SIZES:
        made = [flat_grain(size, 0.0, float(f)) for f in (0, 1)]
        found = _read(made[0], made[1], np.ones(made[0].shape, bool), None, side)
        assert found is not None
        read.append((found[0] / float(made[0].std()), found[1]))
    gains, likes = np.array(read).T
    return gains, np.maximum.accumulate(likes)


def flat_grain(size: float, colour: float, frame: float, amount: float = 0.02) -> Plane:
    """Display brightness of an even grey with grain of ours on it."""
    grey = np.full((384, 384, 4), 0.2, np.float32)
    grey[..., 3] = 1
    return brightness(film_grain(grey, 0, 0, size, amount, colour, 0.0, 1, frame)[..., :3])
