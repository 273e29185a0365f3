"""A bright light seen through a lens: its core and halo, rays of the aperture's blades, a streak, a ring, and ghosts along the line through the middle.

Each is a closed form of where a pixel lies; what is wide and smooth is drawn at half the size.
"""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.picture import Pixels

Table = NDArray[np.float32]
ANGLES, CLOSE, GHOST_COLUMNS = (
    4096,
    0.09,
    9,
)  # of the table of rays; of the frame's width about the core is drawn at full size
SPREAD = 0.4  # of a pixel, squared, that is taken into the core


class Parts(NamedTuple):
    """How much there is of each; colour spread; the width of a frame in pixels, in which all is measured."""

    halo: float
    rays: float
    streak: float
    ring: float
    spread: float
    width: float


@lru_cache(16)
def rays(seed: int, blades: int) -> Table:
    """(2, ANGLES): brightness by direction, and how far it reaches: spikes of uneven width, opposite ones alike, and faint scratches."""
    rng = np.random.default_rng(seed)
    angle = np.arange(ANGLES) * 2 * np.pi / ANGLES
    light, reach = np.full(ANGLES, 0.18), np.full(ANGLES, 0.7)
    spikes = blades * (1 if blades % 2 == 0 else 2)
    turn = rng.uniform(0, 2 * np.pi)
    for k in range(spikes):
        off = np.abs((angle - turn - 2 * np.pi * k / spikes + np.pi) % (2 * np.pi) - np.pi)
        high = rng.uniform(0.35, 1.1)
        spike = high * np.exp(-((off / rng.uniform(0.012, 0.026)) ** 1.4))
        light += spike
        reach += spike * rng.uniform(0.4, 1.0)
    for _ in range(90):
        off = np.abs((angle - rng.uniform(0, 2 * np.pi) + np.pi) % (2 * np.pi) - np.pi)
        light += rng.uniform(0.02, 0.16) * np.exp(-((off / rng.uniform(0.004, 0.012)) ** 2))
    return np.ascontiguousarray(np.stack([light, reach]), np.float32)


@lru_cache(16)
def ghosts(seed: int, count: int) -> NDArray[np.float64]:
    """(count, 9): where on the line from the light through the middle, size and light, how round, how much its colours part, its tint (3), rim."""
    rng = np.random.default_rng(seed + 1)
    k = np.linspace(-0.75, 1.7, max(count, 1)) + rng.uniform(-0.08, 0.08, max(count, 1))
    size = 0.006 + 0.10 * rng.random(len(k)) ** 2.2 * (0.4 + np.abs(k))
    light = 0.048 * (0.03 / (size + 0.012)) ** 1.1
    hue = rng.random((len(k), 3)) * 0.7 + 0.3
    out = np.column_stack(
        [k, size, light, rng.uniform(0.25, 0.9, len(k)), rng.uniform(0.01, 0.06, len(k)), hue, rng.random(len(k)) > 0.3]
    )
    return out[:count]


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _glare(x0, y0, step, cx, cy, parts, table, core, out):  # type: ignore[no-untyped-def]
    """x0, y0: the first pixel's corner; step: picture pixels to one of out. core: 1 with it, 0 without."""
    one, unit = np.float32(1), np.float32(1 / parts.width)
    turn, pixel = np.float32(ANGLES / (2 * np.pi)), np.float32(SPREAD * (step / parts.width) ** 2)
    for row in nb.prange(out.shape[0]):
        dy = (np.float32(y0) + (np.float32(row) + np.float32(0.5)) * np.float32(step) - np.float32(cy)) * unit
        for col in range(out.shape[1]):
            dx = (np.float32(x0) + (np.float32(col) + np.float32(0.5)) * np.float32(step) - np.float32(cx)) * unit
            r = np.sqrt(dx * dx + dy * dy)
            angle = np.float32(np.arctan2(dy, dx)) * turn
            i = int(np.floor(angle))
            t = angle - np.float32(i)
            i, j = i & (ANGLES - 1), (i + 1) & (ANGLES - 1)
            light, reach = table[0, i] + t * (table[0, j] - table[0, i]), table[1, i] + t * (table[1, j] - table[1, i])
            melt = r / (r + np.float32(0.006))
            light = np.float32(0.25) + (light - np.float32(0.25)) * melt
            along, thin = abs(dx), dy * np.float32(1 / 0.0022)
            line = np.float32(0.6) * np.exp(-along * np.float32(5)) + np.float32(0.4) / (
                one + np.float32(20) * along * along * np.float32(25)
            )
            thin = one + thin * thin
            line *= np.float32(parts.streak) * np.float32(0.13) / (thin * np.sqrt(thin))
            for c in range(3):
                q = r / (one + np.float32(parts.spread) * np.float32(1 - c))
                wide = one + q * q * np.float32(6.25 * 6.25)
                total = np.float32(parts.halo) * (
                    np.float32(0.00022) / (q * q + np.float32(0.00012)) + np.float32(0.006) / (wide * np.sqrt(wide))
                )
                total += (
                    np.float32(parts.rays)
                    * light
                    * np.exp(-q / (np.float32(0.11) * reach))
                    * np.float32(0.00264)
                    / (q + np.float32(0.004))
                )
                ring = (q - np.float32(0.17)) * np.float32(1 / 0.012)
                total += np.float32(parts.ring) * np.float32(0.0045) * light * np.exp(-ring * ring)
                total += line * (np.float32(0.16) if c == 0 else (np.float32(0.42) if c == 1 else one))
                if core > 0:
                    # as wide as it is seen: a pixel's own spread taken in, its light kept
                    broad = np.float32(0.0026**2) + pixel
                    total += np.float32(30 * 0.0026**2) / broad / (one + q * q / broad) ** 2
                out[row, col, c] = total


@nb.njit(inline="always")
def _angle(y, x):  # type: ignore[no-untyped-def]
    """arctan2 to 2e-4 (a polynomial of the smaller by the larger; Rajan and others 2006, one term more)."""
    big, small = max(abs(x), abs(y)), min(abs(x), abs(y))
    t = small / max(big, np.float32(1e-12))
    s = t * t
    a = ((np.float32(-0.0464964749) * s + np.float32(0.15931422)) * s - np.float32(0.327622764)) * s * t + t
    a = np.float32(1.57079633) - a if abs(y) > abs(x) else a
    a = np.float32(3.14159265) - a if x < 0 else a
    return -a if y < 0 else a


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _add_ghosts(step, cx, cy, mx, my, of, spread, blades, amount, width, out):  # type: ignore[no-untyped-def]
    h, w, _ = out.shape
    one, zero = np.float32(1), np.float32(0)
    wedge, per_wedge = np.float32(2 * np.pi / blades), np.float32(blades / (2 * np.pi))
    for row in nb.prange(h):
        lit, apart = np.empty(3, np.float32), np.empty(3, np.float32)
        y = (np.float32(row) + np.float32(0.5)) * np.float32(step)
        for g in range(of.shape[0]):
            k, size, light, round_, part = of[g, 0], of[g, 1] * width, of[g, 2], np.float32(of[g, 3]), of[g, 4]
            gx, gy = mx + (cx - mx) * -k, my + (cy - my) * -k
            if abs(y - gy) > size * 1.1:
                continue
            x0 = max(0, int((gx - size * 1.1) / step))
            x1 = min(w, int((gx + size * 1.1) / step) + 1)
            soft = np.float32(max(0.03, 1.5 * step / size))
            across, left, dy = np.float32(step / size), np.float32(gx / size), np.float32((y - gy) / size)
            bent, rims = (one - round_) / np.cos(wedge * np.float32(0.5)), of[g, 8] > 0
            widest = zero
            for c in range(3):
                apart[c] = one / (one + np.float32(part * spread * 16 * (1 - c)))
                lit[c] = np.float32(amount * light * of[g, 5 + c])
                widest = max(widest, one / apart[c])
            # at its corners a polygon lies as far out as the disc about it
            least = one / (widest * widest)
            for col in range(x0, x1):
                dx = (np.float32(col) + np.float32(0.5)) * across - left
                rr = dx * dx + dy * dy
                if rr * least > one:
                    continue
                a = _angle(dy, dx)
                a = a - wedge * np.floor(a * per_wedge) - wedge * np.float32(0.5)
                r = np.sqrt(rr) * (round_ + bent * np.cos(a))
                for c in range(3):
                    q = r * apart[c]
                    t = min(max((one - q) / soft, zero), one)
                    rim = np.float32(0.65) + np.float32(0.35) * (q * q) * (q * q) if rims else one
                    out[row, col, c] += lit[c] * t * t * (np.float32(3) - np.float32(2) * t) * rim


def flare(
    height: int,
    width: int,
    centre: tuple[float, float],
    parts: Parts,
    seed: int,
    blades: int,
    ghost_count: int,
    ghost_light: float,
    core: float = 1.0,
) -> Pixels:
    """(height, width, 3) linear light of a light of power 1 at a place (x, y)."""
    cx, cy = centre
    blades = max(blades, 3)
    table = rays(seed, blades)
    half = np.zeros((-(-height // 2), -(-width // 2), 3), np.float32)
    _glare(0.0, 0.0, 2.0, cx, cy, parts, table, core, half)
    if ghost_count > 0 and ghost_light > 0:
        _add_ghosts(
            2.0,
            cx,
            cy,
            width / 2,
            height / 2,
            ghosts(seed, ghost_count),
            parts.spread,
            blades,
            ghost_light,
            parts.width,
            half,
        )
    out = cv2.resize(half, (half.shape[1] * 2, half.shape[0] * 2), interpolation=cv2.INTER_LINEAR)[:height, :width]
    out = np.ascontiguousarray(out)
    # about the core it is sharper than half a picture can tell: drawn anew, faded into the rest
    reach = round(CLOSE * parts.width)
    x0, x1, y0, y1 = (
        max(0, round(cx) - reach),
        min(width, round(cx) + reach),
        max(0, round(cy) - reach),
        min(height, round(cy) + reach),
    )
    if x0 < x1 and y0 < y1:
        near, coarse = (
            np.zeros((y1 - y0, x1 - x0, 3), np.float32),
            np.zeros((-(-(y1 - y0) // 2) + 2, -(-(x1 - x0) // 2) + 2, 3), np.float32),
        )
        _glare(float(x0), float(y0), 1.0, cx, cy, parts, table, core, near)
        ex, ey = x0 // 2 * 2, y0 // 2 * 2
        _glare(float(ex), float(ey), 2.0, cx, cy, parts, table, core, coarse)
        y, x = np.ogrid[y0:y1, x0:x1]
        share = np.clip((1 - np.hypot(x + 0.5 - cx, y + 0.5 - cy) / reach) * 3, 0, 1).astype(np.float32)[..., None]
        wide = out[y0:y1, x0:x1]
        base = cv2.resize(coarse, (coarse.shape[1] * 2, coarse.shape[0] * 2), interpolation=cv2.INTER_LINEAR)
        base = base[y0 - ey : y0 - ey + y1 - y0, x0 - ex : x0 - ex + x1 - x0]
        wide += share * (near - base)
        np.maximum(wide, 0, out=wide)
    return out
