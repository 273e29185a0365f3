"""Drawing many small copies of a few pictures, each turned, of its own size, smeared along its way.

Pictures are kept with their halves, quarters and so on, and read between two of those (Williams 1983), so that small copies do not alias and a picture
at half size looks like the whole one reduced.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.picture import Pixels
from tropein.core.raster.specks import PIXEL, STRIP, by_strip

MOST_TAPS, TAP = 24, 0.2  # pictures of one along its way; how far apart, in radii
SMALLEST = 4  # px, of the last of the reduced pictures


@dataclass(frozen=True, eq=False)
class Sprites:
    """Pictures of one size and their reductions: `texels` (n, 4), where each begins (pictures, levels), and (levels, 2) width and height."""

    texels: NDArray[np.float32]
    begins: NDArray[np.int64]
    sides: NDArray[np.int64]

    @property
    def nbytes(self) -> int:
        return self.texels.nbytes


def sprites(pictures: Sequence[Pixels]) -> Sprites:
    """Of at least one picture (h, w, 4), premultiplied."""
    h, w = pictures[0].shape[:2]
    sides = [(w, h)]
    while max(sides[-1]) > SMALLEST and min(sides[-1]) > 1:
        sides.append((-(-sides[-1][0] // 2), -(-sides[-1][1] // 2)))
    parts, begins, at = [], np.zeros((len(pictures), len(sides)), np.int64), 0
    for i, picture in enumerate(pictures):
        for j, size in enumerate(sides):
            level = cv2.resize(picture, size, interpolation=cv2.INTER_AREA) if j else picture
            parts.append(np.ascontiguousarray(level, np.float32).reshape(-1, 4))
            begins[i, j], at = at, at + len(parts[-1])
    return Sprites(np.concatenate(parts), begins, np.array(sides, np.int64))


@nb.njit(inline="always")
def _between(texels, begin, w, h, u, v, share, sample):  # type: ignore[no-untyped-def]
    """Adds `share` of what lies between four texels at (u, v), 0..1 across the picture, to `sample`; nothing outside it."""
    x, y = u * w - 0.5, v * h - 0.5
    fx, fy = np.floor(x), np.floor(y)
    tx, ty = np.float32(x - fx), np.float32(y - fy)
    ix, iy = int(fx), int(fy)
    for k in range(4):
        px, py = ix + (k & 1), iy + (k >> 1)
        if px < 0 or py < 0 or px >= w or py >= h:
            continue
        part = share * (tx if k & 1 else 1 - tx) * (ty if k >> 1 else 1 - ty)
        at = begin + py * w + px
        for c in range(4):
            sample[c] += part * texels[at, c]


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _draw(specks, order, begins_at, which, texels, begins, sides, out):  # type: ignore[no-untyped-def]
    h, w, _ = out.shape
    zero, one = np.float32(0), np.float32(1)
    longest = max(sides[0, 0], sides[0, 1])
    wide, high = sides[0, 0] / longest, sides[0, 1] / longest
    last = sides.shape[0] - 1
    for strip in nb.prange((h + STRIP - 1) // STRIP):
        low, end = strip * STRIP, min(h, (strip + 1) * STRIP)
        sample = np.zeros(4, np.float32)
        for k in order[begins_at[strip] : begins_at[strip + 1]]:
            p = specks[k]
            r = np.sqrt(p[4] * p[4] + np.float32(PIXEL))
            reach = r * np.sqrt(wide * wide + high * high)
            reach_x, reach_y = reach + abs(p[2]) / 2, reach + abs(p[3]) / 2
            x0, x1 = max(0, int(np.floor(p[0] - reach_x))), min(w, int(np.ceil(p[0] + reach_x)) + 1)
            y0, y1 = max(low, int(np.floor(p[1] - reach_y))), min(end, int(np.ceil(p[1] + reach_y)) + 1)
            if x0 >= x1 or y0 >= y1:
                continue
            opacity = p[5] * p[4] * p[4] / (r * r)
            far = np.sqrt(p[2] * p[2] + p[3] * p[3])
            taps = min(MOST_TAPS, 1 + int(far / max(TAP * r, one)))
            detail = min(max(np.log2(longest / (2 * r)), zero), np.float32(last))
            level = min(int(detail), max(last - 1, 0))
            finer = np.float32(detail - level) if last else zero
            # points to a pixel's side: of few pixels the sum is not the integral
            fine = 4 if r < np.float32(2) else (2 if r < np.float32(6) else 1)
            c, s = np.cos(p[11]) / (2 * r), np.sin(p[11]) / (2 * r)
            for y in range(y0, y1):
                for x in range(x0, x1):
                    sample[:] = zero
                    for t in range(taps * fine * fine):
                        along = np.float32((t // (fine * fine) + 0.5) / taps - 0.5)
                        dx = x + np.float32((t % fine + 0.5) / fine) - p[0] - p[2] * along
                        dy = y + np.float32((t // fine % fine + 0.5) / fine) - p[1] - p[3] * along
                        u, v = (c * dx + s * dy) / wide + 0.5, (c * dy - s * dx) / high + 0.5
                        if u < -0.5 or u > 1.5 or v < -0.5 or v > 1.5:
                            continue
                        for j in range(2 if finer > zero else 1):
                            share = (finer if j else one - finer) / np.float32(taps * fine * fine)
                            side = sides[level + j]
                            _between(texels, begins[which[k], level + j], side[0], side[1], u, v, share, sample)
                    cover = min(sample[3] * opacity, one) * p[9]
                    if sample[3] <= zero and sample[0] + sample[1] + sample[2] <= zero:
                        continue
                    keep = one - cover
                    for i in range(3):
                        out[y, x, i] = out[y, x, i] * keep + sample[i] * opacity * p[6 + i]
                    out[y, x, 3] = out[y, x, 3] * keep + cover


def sprinkled(of: NDArray[np.float32], which: NDArray[np.int64], pictures: Sprites, height: int, width: int) -> Pixels:
    """(height, width, 4) premultiplied linear light of (n, 14) SPECK rows (specks.py), laid in their order; `which` picture each is; a speck's radius is
    half of its picture's longer side, and its light what the picture's is multiplied by."""
    out = np.zeros((height, width, 4), np.float32)
    rows = np.ascontiguousarray(of, np.float32)
    longest = float(pictures.sides[0].max())
    stretch = np.float32(np.hypot(*(pictures.sides[0] / longest)))
    order, begins_at = by_strip(rows, stretch, -(-height // STRIP))
    _draw(
        rows,
        order,
        begins_at,
        np.ascontiguousarray(which, np.int64),
        pictures.texels,
        pictures.begins,
        pictures.sides,
        out,
    )
    return out
