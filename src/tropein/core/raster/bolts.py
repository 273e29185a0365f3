"""Lightning between two places: midpoint displacement whose every offset is a held random number, so that it rests and jumps; and drawing thin lines as light."""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.hashed import of_each
from tropein.core.raster.specks import PIXEL, STRIP, _chord

Array = NDArray[np.float64]
LEVELS, CALM = 7, 2  # halvings; so many levels jump, the finer ones move smoothly
BRANCH_LEVELS, MOST_ORDERS = 5, 2
BRIGHTEST = 1.2
# columns of a piece: its ends, its radius, how bright it is
PIECE = ("ax", "ay", "bx", "by", "radius", "level")


@dataclass(frozen=True)
class Way:
    """How bolts go: wander of each halving as a share of a piece's length, times `rough` of the one before; jumps a second; branches of the whole and how
    long they are, as a share of it; what widths and light become with each branching."""

    wander: float
    rough: float
    jumps: float
    branches: int
    branch_length: float
    thinner: float = 0.55
    dimmer: float = 0.5


def held(seed: int, numbers: NDArray[np.uint64], attribute: int, time: float, rate: float, smooth: bool) -> Array:
    """-1 to 1 for each number: it rests and jumps `rate` times a second, or moves from one value to the next."""
    own, phase = of_each(seed, numbers, attribute), of_each(seed, numbers, attribute + 1)
    q = time * rate * (0.8 + 0.4 * own) + phase
    turn = np.floor(q)
    u = q - turn
    u = u if smooth else np.maximum(0, (u - 0.8) / 0.2)
    u = u * u * (3 - 2 * u)
    steps = turn.astype(np.int64).view(np.uint64) << np.uint64(36)
    here, there = (2 * of_each(seed, numbers + steps + np.uint64(k << 36), attribute + 2) - 1 for k in (0, 1))
    return here + (there - here) * u


def _ways(seed: int, ids: Array, ends: Array, levels: int, way: Way, time: float) -> Array:
    """Lines (n, 2 ** levels + 1, 2) between ends (n, 2, 2)."""
    lines, whole = ends, ends[:, 1] - ends[:, 0]
    for level in range(levels):
        a, b = lines[:, :-1], lines[:, 1:]
        count = a.shape[1]
        numbers = (
            (ids.astype(np.uint64)[:, None] << np.uint64(20))
            | np.uint64(level << 14)
            | np.arange(count, dtype=np.uint64)[None]
        )
        smooth, rate = level >= CALM, way.jumps * (1 + 1.6 * max(0, level - 1))
        v, v2 = (held(seed, numbers.ravel(), k, time, rate, smooth).reshape(numbers.shape)[..., None] for k in (20, 24))
        side = np.stack([-(b - a)[..., 1], (b - a)[..., 0]], -1)
        across = np.stack([-whole[:, 1], whole[:, 0]], -1)[:, None] / 2**level
        middle = (
            (a + b) / 2 + (0.45 * across + 0.55 * side) * way.wander * 2 * way.rough**level * v + (b - a) * 0.12 * v2
        )
        both = np.empty((len(lines), 2 * count + 1, 2))
        both[:, 0::2], both[:, 1::2] = lines, middle
        lines = both
    return lines


def bolt(
    seed: int, start: Array, end: Array, radius: float, way: Way, time: float, grown: float = 1.0, taper: float = 0.5
) -> Array:
    """(n, 6) PIECE rows of a bolt from one place (2,) to another, drawn as far as it has grown, 0..1."""
    ends = np.array([[start, end]], float)
    whole = float(np.linalg.norm(ends[0, 1] - ends[0, 0]))
    if whole < 1e-6 or grown <= 0:
        return np.zeros((0, len(PIECE)))
    ids, begins, lengths, strengths, widths = np.array([1.0]), np.zeros(1), np.ones(1), np.ones(1), np.ones(1)
    out = []
    for order in range(MOST_ORDERS + 1):
        levels = LEVELS if order == 0 else BRANCH_LEVELS
        lines = _ways(seed, ids, ends, levels, way, time)
        n = lines.shape[1] - 1
        along = (np.arange(n) + 0.5) / n
        share = begins[:, None] + lengths[:, None] * along  # of the way from the root, along which it grows
        level = (
            strengths[:, None]
            * np.clip((grown * 1.1 - share) / 0.1, 0, 1)
            * (1 if order == 0 else 1 - along[None] ** 2)
        )
        width = radius * widths[:, None] * (1 - taper * along[None])
        pieces = np.concatenate(
            [lines[:, :-1], lines[:, 1:], width[..., None] * np.ones((len(lines), n, 1)), level[..., None]], -1
        )
        out.append(pieces.reshape(-1, len(PIECE)))
        if order == MOST_ORDERS or way.branches <= 0:
            break
        # branches leave each line at places drawn by lot, which change as it jumps
        count = way.branches if order == 0 else max(1, way.branches // 3)
        numbers = (
            (ids.astype(np.uint64)[:, None] << np.uint64(20))
            | np.uint64(1 << 19)
            | np.arange(count, dtype=np.uint64)[None]
        )

        def lot(k: int, numbers: NDArray[np.uint64] = numbers) -> Array:
            return (
                held(seed, numbers.ravel(), 30 + 4 * k, time, way.jumps * 1.5, False).reshape(numbers.shape) + 1
            ) / 2

        leave = 0.08 + 0.8 * (np.arange(count)[None] + lot(0)) / count
        at = np.minimum((leave * n).astype(int), n - 1)
        roots = np.take_along_axis(lines, at[..., None], 1)
        main = ends[:, 1] - ends[:, 0]
        angle = np.radians(20 + 30 * lot(1)) * np.where(lot(2) < 0.5, -1, 1)
        long = way.branch_length * (0.4 + 1.2 * lot(3)) * (0.6 if order else 1)
        c, s = np.cos(angle) * long, np.sin(angle) * long
        goes = np.stack([main[:, :1] * c - main[:, 1:] * s, main[:, :1] * s + main[:, 1:] * c], -1)
        begins = (begins[:, None] + lengths[:, None] * leave).ravel()
        strengths = np.repeat(strengths, count) * way.dimmer
        widths = (widths[:, None] * way.thinner * (1 - taper * leave)).ravel()
        lengths = long.ravel()
        ids = (ids[:, None] * 64 + 1 + np.arange(count)[None]).ravel()
        ends = np.stack([roots, roots + goes], 2).reshape(-1, 2, 2)
    return np.concatenate(out)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _draw(pieces, out):  # type: ignore[no-untyped-def]
    h, w = out.shape
    half, share = np.float32(0.5), np.float32(15 / 16)
    for strip in nb.prange((h + STRIP - 1) // STRIP):
        low, high = strip * STRIP, min(h, (strip + 1) * STRIP)
        for k in range(pieces.shape[0]):
            ax, ay, bx, by, own, level = pieces[k]
            r = np.sqrt(own * own + np.float32(PIXEL))
            if level <= 0 or max(ay, by) + r < low or min(ay, by) - r > high:
                continue
            x0, x1 = max(0, int(np.floor(min(ax, bx) - r))), min(w, int(np.ceil(max(ax, bx) + r)) + 1)
            y0, y1 = max(low, int(np.floor(min(ay, by) - r))), min(high, int(np.ceil(max(ay, by) + r)) + 1)
            dx, dy = bx - ax, by - ay
            far = np.sqrt(dx * dx + dy * dy)
            if far < np.float32(1e-6):
                continue
            tx, ty, by_r, gain = dx / far, dy / far, np.float32(1) / r, level * own / r * share
            length = far * by_r
            for y in range(y0, y1):
                for x in range(x0, x1):
                    px, py = (np.float32(x) + half - ax) * by_r, (np.float32(y) + half - ay) * by_r
                    s, p = px * tx + py * ty, px * ty - py * tx
                    c = np.float32(1) - p * p
                    if c <= 0:
                        continue
                    m = np.sqrt(c)
                    a, b = max(s - length, -m), min(s, m)
                    if a < b:
                        out[y, x] += gain * (_chord(c, b) - _chord(c, a))


def lines(pieces: Array, height: int, width: int) -> NDArray[np.float32]:
    """(height, width) brightness of PIECE rows: 1 in the middle of a line as wide as a pixel or more. Joints neither bead nor gap, for each piece adds its own
    part of an integral along the line."""
    out = np.zeros((height, width), np.float32)
    _draw(np.ascontiguousarray(pieces, np.float32), out)
    return np.minimum(out, np.float32(BRIGHTEST), out=out)


def halo(plane: NDArray[np.float32], sigma_px: float, scale: float) -> NDArray[np.float32]:
    """Light that spreads from lines: Gaussians of ever half the size, on a plane reduced by the same in shot pixels at every scale. Its sum is the plane's."""
    h, w = plane.shape
    n = max(1, round(4 * scale))
    if sigma_px * scale < 0.3:
        return plane
    padded = cv2.copyMakeBorder(plane, 0, -h % n, 0, -w % n, cv2.BORDER_CONSTANT)
    small = cv2.resize(padded, (padded.shape[1] // n, padded.shape[0] // n), interpolation=cv2.INTER_AREA)
    total, count = np.zeros_like(small), 0
    sigma = sigma_px * scale / n
    while sigma > 0.4 and count < 6:
        reach = 2 * math.ceil(3 * sigma) + 1
        total += cv2.GaussianBlur(small, (reach, reach), sigma, borderType=cv2.BORDER_CONSTANT)
        sigma, count = sigma / 2, count + 1
    if not count:
        return plane
    return cv2.resize(total / count, (padded.shape[1], padded.shape[0]), interpolation=cv2.INTER_LINEAR)[:h, :w]
