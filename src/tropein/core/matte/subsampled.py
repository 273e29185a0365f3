"""Colour detail that 4:2:0 and 4:2:2 footage lost, put back where brightness shows it.

Within a small window colour follows brightness nearly along a line; its slope is read where both are known, on the coarse
grid of the file's own chroma samples, and applied to the brightness's own fine detail (as in guided upsampling: He & Sun, Fast
Guided Filter, 2015)."""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster import srgb
from tropein.core.raster.colour import LUMA
from tropein.core.raster.srgb import FAST
from tropein.core.raster.yuv import Cells

WINDOW, FLAT = 5, 1e-3  # cells on the coarse grid; variance of display luma below which nothing is carried over
UNBLURRINGS = 3  # rounds; each leaves at most half of what the one before left

Planes = NDArray[np.float32]
f = np.float32


def restored(rgb: Planes, cells: Cells) -> Planes:
    """(h, w, 3), or with coverage that stays as it is (h, w, 4), linear light, whose chroma was interpolated linearly between its samples, with its colour sharpened to its
    brightness."""
    h, w = rgb.shape[:2]
    if min(h, w) < 2 * WINDOW or cells.across == cells.down == 1:
        return rgb
    luma, away = np.empty((h, w), np.float32), np.empty((h, w, 3), np.float32)
    rgb = np.ascontiguousarray(rgb)
    _parted(rgb, LUMA, luma, away)
    chroma = _samples(away, cells)
    coarse = _seen(_seen(luma, 0, cells.down, cells.at_down), 1, cells.across, cells.at_across)

    def around(values: Planes) -> Planes:
        return cv2.blur(values, (WINDOW, WINDOW), borderType=cv2.BORDER_REFLECT)

    mean = around(coarse)
    spread = around(coarse * coarse) - mean * mean
    both = around(chroma * coarse[..., None]) - around(chroma) * mean[..., None]
    slope = both / (np.maximum(spread, 0) + FLAT)[..., None]
    out = np.empty((h, w, 3), np.float32)
    rows, columns = _phases(cells.down, cells.at_down), _phases(cells.across, cells.at_across)
    chroma, slope, coarse = (
        np.ascontiguousarray(v, np.float32).reshape(len(coarse), -1) for v in (chroma, slope, coarse)
    )
    _sharper(luma, coarse, chroma, slope, *rows, *columns, out)
    made = np.empty(rgb.shape, np.float32)
    _lit(out, rgb, made)
    return made


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy", fastmath=FAST)
def _parted(rgb, weights, luma, away):  # type: ignore[no-untyped-def]
    """Display luma of linear light, and each channel's way from it."""
    n, width = rgb.shape[2], luma.shape[1]
    for y in nb.prange(luma.shape[0]):
        row, made, total = rgb[y].reshape(width * n), away[y].reshape(width * 3), luma[y]
        line = np.empty(width, np.float32)
        for x in range(width):
            total[x] = 0
        for c in range(3):
            if n == 4:
                for x in range(width):
                    line[x] = row[4 * x + c]
            else:
                for x in range(width):
                    line[x] = row[3 * x + c]
            for x in range(width):
                line[x] = srgb.shown(max(line[x], f(0)))
            for x in range(width):
                total[x] += weights[c] * line[x]
                made[3 * x + c] = line[x]
        for x in range(width):
            made[3 * x] -= total[x]
            made[3 * x + 1] -= total[x]
            made[3 * x + 2] -= total[x]


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy", fastmath=FAST)
def _lit(shown, like, out):  # type: ignore[no-untyped-def]
    """Linear light of display values; a fourth value is that of `like`."""
    n, width = out.shape[2], out.shape[1]
    for y in nb.prange(out.shape[0]):
        row, own, made = shown[y].reshape(width * 3), like[y].reshape(width * n), out[y].reshape(width * n)
        line = np.empty(width * 3, np.float32)
        for i in range(line.size):
            line[i] = srgb.light(max(row[i], f(0)))
        if n == 4:
            for x in range(width):
                made[4 * x] = line[3 * x]
                made[4 * x + 1] = line[3 * x + 1]
                made[4 * x + 2] = line[3 * x + 2]
                made[4 * x + 3] = own[4 * x + 3]
        else:
            for i in range(line.size):
                made[i] = line[i]


def _phases(count: int, at: float) -> tuple[NDArray[np.int64], Planes, Planes]:
    """For each pixel of a cell, along one axis: which sample lies before it, beside its own, and the weights of four samples about it by cubics (of the
    usual slope, -0.75) and of two by lines."""
    place = np.arange(count) / count - at * (1 - 1 / count)
    before = np.floor(place)
    t = place - before
    far, near = 1 + t, 1 - t
    a = -0.75

    def outer(d: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray(((a * d - 5 * a) * d + 8 * a) * d - 4 * a)

    def inner(d: NDArray[np.float64]) -> NDArray[np.float64]:
        return np.asarray(((a + 2) * d - (a + 3)) * d * d + 1)

    cubic = np.stack([outer(far), inner(t), inner(near), outer(1 + near)], 1)
    return before.astype(np.int64), cubic.astype(np.float32), np.stack([1 - t, t], 1).astype(np.float32)


EDGE = 3  # samples beyond either end of a row that stand for what lies there


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy", fastmath={"contract", "nsz"})
def _sharper(luma, coarse, chroma, slope, down, down4, down2, across, across4, across2, out):  # type: ignore[no-untyped-def]
    """The samples' colours (rows of three to a sample) laid out fine by cubics, and along their slopes the detail of brightness: what it has beside what
    the samples saw of it (`coarse`). The others: see _phases."""
    rows, count = coarse.shape
    width, last = luma.shape[1], rows - 1
    phases = across.size
    for y in nb.prange(luma.shape[0]):
        p = y % down.size
        top = y // down.size + down[p]
        # down the rows first, each ending in what lies beyond
        colour, turn = np.zeros((count + 2 * EDGE) * 3, np.float32), np.empty((count + 2 * EDGE) * 3, np.float32)
        seen = np.empty(count + 2 * EDGE, np.float32)
        middle = colour[EDGE * 3 : (EDGE + count) * 3]
        for k in range(4):
            line, weight = chroma[min(max(top - 1 + k, 0), last)], down4[p, k]
            for i in range(middle.size):
                middle[i] += weight * line[i]
        a, b, wa, wb = min(max(top, 0), last), min(max(top + 1, 0), last), down2[p, 0], down2[p, 1]
        turns, one, two = turn[EDGE * 3 : (EDGE + count) * 3], slope[a], slope[b]
        for i in range(turns.size):
            turns[i] = wa * one[i] + wb * two[i]
        sees, upper, lower = seen[EDGE : EDGE + count], coarse[a], coarse[b]
        for i in range(count):
            sees[i] = wa * upper[i] + wb * lower[i]
        for i in range(EDGE):
            seen[i], seen[EDGE + count + i] = sees[0], sees[count - 1]
        for i in range(EDGE * 3):
            c, end = i % 3, (EDGE + count) * 3
            colour[i], colour[end + i] = colour[EDGE * 3 + c], colour[end - 3 + c]
            turn[i], turn[end + i] = turn[EDGE * 3 + c], turn[end - 3 + c]
        made, here = out[y], luma[y]
        fine, along = np.empty(count * 3, np.float32), np.empty(count * 3, np.float32)
        for q in range(phases):
            first = EDGE + across[q]
            v0, v1, v2, v3 = across4[q, 0], across4[q, 1], across4[q, 2], across4[q, 3]
            u0, u1 = across2[q, 0], across2[q, 1]
            c0, c1, c2, c3 = (
                colour[(first - 1) * 3 :],
                colour[first * 3 :],
                colour[(first + 1) * 3 :],
                colour[(first + 2) * 3 :],
            )
            t0, t1, s0, s1 = turn[first * 3 :], turn[(first + 1) * 3 :], seen[first:], seen[first + 1 :]
            for i in range(count * 3):
                fine[i] = v0 * c0[i] + v1 * c1[i] + v2 * c2[i] + v3 * c3[i]
                along[i] = u0 * t0[i] + u1 * t1[i]
            for i in range((width - q + phases - 1) // phases):
                x = i * phases + q
                detail = here[x] - (u0 * s0[i] + u1 * s1[i])
                for c in range(3):
                    made[x, c] = here[x] + fine[i * 3 + c] + along[i * 3 + c] * detail


def _halves(values: Planes, axis: int) -> tuple[Planes, Planes]:
    """Every first and every second row (or column); an odd last one stands for both."""
    if values.shape[axis] % 2:
        values = np.concatenate([values, values[-1:] if axis == 0 else values[:, -1:]], axis)
    return (values[::2], values[1::2]) if axis == 0 else (values[:, ::2], values[:, 1::2])


def _samples(values: Planes, cells: Cells) -> Planes:
    """What was stored of what was interpolated from it."""
    axes = ((0, cells.down, cells.at_down), (1, cells.across, cells.at_across))
    for axis, count, at in axes:
        if count > 1:
            first, second = _halves(values, axis)
            values = (first + second) * np.float32(0.5) if at == 0.5 else second if at == 1 else first
    values = np.ascontiguousarray(values)
    for axis, count, at in axes:
        if count > 1 and at == 0.5:  # an eighth of either neighbour is in it
            blurred = values
            for _ in range(UNBLURRINGS):
                values = cv2.subtract(cv2.add(values, blurred), _mixed(values, axis, 0.125))
    return values


def _seen(luma: Planes, axis: int, count: int, at: float) -> Planes:
    """Brightness as a chroma sample saw it, along one axis."""
    if count == 1:
        return luma
    first, second = _halves(luma if at == 0.5 else _mixed(luma, axis, 0.25), axis)
    return np.ascontiguousarray((first + second) * np.float32(0.5) if at == 0.5 else (second if at == 1 else first))


def _mixed(values: Planes, axis: int, share: float) -> Planes:
    """Each value with a share of either neighbour along one axis."""
    line, one = np.array([share, 1 - 2 * share, share], np.float32), np.ones(1, np.float32)
    across, down = (one, line) if axis == 0 else (line, one)
    return cv2.sepFilter2D(np.ascontiguousarray(values), -1, across, down, borderType=cv2.BORDER_REPLICATE)
