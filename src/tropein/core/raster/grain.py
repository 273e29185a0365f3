"""Film-like grain and band-limited noise that come out the same for the same seed on every machine."""

from __future__ import annotations

import math
from functools import lru_cache

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.picture import Pixels
from tropein.core.raster.srgb import light, shown

TILE = 512
FINE_PX = 2.0  # of cells smaller than this the corners are asked for where they are needed
WIDE_PX = 24.0  # cells from this on are drawn a cell at a time


@nb.njit(inline="always")
def _hash(x, y, seed):  # type: ignore[no-untyped-def]
    """An integer hash with good avalanche (the finaliser of MurmurHash3, Appleby 2011)."""
    # products of two uint32 are uint64 here: what overflows must be cut off by hand
    low = np.uint64(0xFFFFFFFF)
    h = (np.uint64(np.uint32(x)) * np.uint64(0x8DA6B343) ^ np.uint64(np.uint32(y)) * np.uint64(0xD8163841)) & low
    h ^= np.uint64(np.uint32(seed))
    h ^= h >> np.uint64(16)
    h = (h * np.uint64(0x85EBCA6B)) & low
    h ^= h >> np.uint64(13)
    h = (h * np.uint64(0xC2B2AE35)) & low
    h ^= h >> np.uint64(16)
    return h


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _lattice(out, iy, ix, iz, tz, seed):  # type: ignore[no-untyped-def]
    """Random values 0..1 at the corners of cells, between two layers of them."""
    unit = np.float32(1.0 / 4294967296.0)
    for y in range(out.shape[0]):
        for x in range(out.shape[1]):
            here = np.float32(_hash(ix + x, iy + y, seed + iz * 104729)) * unit
            there = np.float32(_hash(ix + x, iy + y, seed + (iz + 1) * 104729)) * unit
            out[y, x] = (np.float32(1) - tz) * here + tz * there


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _octaves(out, lattices, begins, counts, rows, tys, columns, txs, ends, amplitudes):  # type: ignore[no-untyped-def]
    """Adds octaves, between the corners of cells. Of each octave the lattice begins at `begins` among all of them, with `counts` corners to a
    row; where there are `ends` of cells, pixels are taken a cell at a time."""
    for row in nb.prange(out.shape[0]):
        line, corners = out[row], np.empty(counts.max(), np.float32)
        for o in range(begins.size):
            n, t, amplitude = counts[o], tys[o, row], amplitudes[o]
            above = lattices[begins[o] + rows[o, row] * n :][:n]
            below = lattices[begins[o] + (rows[o, row] + 1) * n :][:n]
            here = corners[:n]
            for i in range(n):
                here[i] = (above[i] + (below[i] - above[i]) * t - np.float32(0.5)) * amplitude
            if ends[o, 0] == 0:
                column, way = columns[o], txs[o]
                for i in range(line.size):
                    left = here[np.uint32(column[i])]
                    line[i] += left + (here[np.uint32(column[i]) + np.uint32(1)] - left) * way[i]
                continue
            first = 0
            for cell in range(n - 1):
                left, step = here[cell], here[cell + 1] - here[cell]
                part, along = line[first : ends[o, cell]], txs[o, first : ends[o, cell]]
                for i in range(part.size):
                    part[i] += left + step * along[i]
                first = ends[o, cell]


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _fine_octave(out, columns, rows, tx, ty, iz, tz, seed, amplitude):  # type: ignore[no-untyped-def]
    """Adds one octave whose cells are hardly larger than pixels: their corners are asked for where they are needed."""
    one, unit = np.float32(1), np.float32(1.0 / 4294967296.0)
    for row in nb.prange(out.shape[0]):
        iy, last = rows[row], np.int64(-1 << 40)
        left, right = np.float32(0), np.float32(0)
        for col in range(out.shape[1]):
            ix = columns[col]
            if ix != last:
                for side in range(2):
                    v = np.float32(0)
                    for k in range(4):
                        weight = (ty[row] if k & 1 else one - ty[row]) * (tz if k >> 1 else one - tz)
                        bits = _hash(ix + side, iy + (k & 1), seed + (iz + (k >> 1)) * 104729)
                        v += weight * np.float32(bits) * unit
                    left, right = (v, right) if side == 0 else (left, v)
                last = ix
            out[row, col] += (left + (right - left) * tx[col] - np.float32(0.5)) * amplitude


@lru_cache(64)
def _along(first: int, count: int, size: float) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """For pixels in a row: the cell each lies in, and how far across it, smoothly. Not to be written to."""
    at = (np.arange(first, first + count, dtype=np.float32) + np.float32(0.5)) / np.float32(size)
    cell = np.floor(at)
    t = at - cell
    return cell.astype(np.int64), t * t * (np.float32(3) - np.float32(2) * t)


def _along_time(at: float) -> tuple[int, np.float32]:
    layer = math.floor(at)
    t = np.float32(at - layer)
    return layer, t * t * (np.float32(3) - np.float32(2) * t)


def fractal(
    width: int, height: int, cell_px: float, *, x0: int = 0, y0: int = 0, drift: float = 0.0, seed: int = 0,
    octaves: int = 5, gain: float = 0.5,
) -> Pixels:  # fmt: skip
    """(height, width) value noise of several octaves, about -0.5..0.5 at gain 0; moves in place as `drift` grows."""
    out = np.zeros((height, width), np.float32)
    if not out.size:
        return out
    n = sum(float(cell_px) / 2**o >= FINE_PX for o in range(octaves))
    begins, counts, amplitudes = np.zeros(n, np.int64), np.zeros(n, np.int64), np.zeros(n, np.float32)
    rows, tys, txs = (
        np.empty((n, height), np.int64),
        np.empty((n, height), np.float32),
        np.empty((n, width), np.float32),
    )
    columns, ends = np.empty((n, width), np.uint32), np.zeros((n, width), np.int64)
    lattices: list[Pixels] = []
    for o in range(octaves):
        size = float(cell_px) / 2**o
        (column, tx), (row, ty) = _along(x0, width, size), _along(y0, height, size)
        layer, tz = _along_time(drift * 2**o * 0.5)
        if size < FINE_PX:
            _fine_octave(out, column, row, tx, ty, layer, tz, seed + o * 7919, np.float32(gain**o))
            continue
        lattice = np.empty((int(row[-1] - row[0]) + 2, int(column[-1] - column[0]) + 2), np.float32)
        _lattice(lattice, int(row[0]), int(column[0]), layer, tz, seed + o * 7919)
        counts[o], begins[o], amplitudes[o] = lattice.shape[1], sum(one.size for one in lattices), gain**o
        rows[o], columns[o], tys[o], txs[o] = row - row[0], column - column[0], ty, tx
        if size >= WIDE_PX:
            starts = np.flatnonzero(np.diff(column)) + 1
            ends[o, : len(starts)], ends[o, len(starts)] = starts, width
        lattices.append(lattice.ravel())
    if n:
        _octaves(out, np.concatenate(lattices), begins, counts, rows, tys, columns, txs, ends, amplitudes)
    return out


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def white(out, x0, y0, seed):  # type: ignore[no-untyped-def]
    """Four numbers a pixel, each the sum of four uniform bytes: near enough to Gaussian, of mean 0 and variance 1."""
    k = np.float32(1.0 / 147.8017)
    for row in nb.prange(out.shape[0]):
        for col in range(out.shape[1]):
            for c in range(4):
                bits = _hash(np.int64(col + x0) * 4 + c, np.int64(row + y0), seed)
                total = (bits & 255) + ((bits >> 8) & 255) + ((bits >> 16) & 255) + ((bits >> 24) & 255)
                out[row, col, c] = (np.float32(total) - np.float32(510)) * k


@lru_cache(16)
def _tile(size_px: float, seed: int) -> Pixels:
    """(TILE, TILE, 4) grain of variance 1 that joins itself at its borders."""
    noise = np.empty((TILE, TILE, 4), np.float32)
    white(noise, 0, 0, seed)
    if size_px > 0.2:
        reach = math.ceil(4 * size_px)
        around = cv2.copyMakeBorder(noise, reach, reach, reach, reach, cv2.BORDER_WRAP)
        noise = cv2.GaussianBlur(around, (0, 0), size_px)[reach:-reach, reach:-reach]
    return np.ascontiguousarray(noise / noise.std())


@lru_cache(8)
def _coloured(size_px: float, seed: int, colour: float) -> Pixels:
    """(TILE, TILE * 4) grain with a share common to all channels, a share of each one's own; nothing for the alpha."""
    tile, own = _tile(size_px, seed), np.float32(colour)
    mixed = np.sqrt(1 - own * own) * tile[..., 3:] + own * tile
    mixed[..., 3] = 0
    return np.ascontiguousarray(mixed.reshape(TILE, TILE * 4), np.float32)


@lru_cache(8)
def _planar(size_px: float, seed: int, colour: float) -> Pixels:
    return np.ascontiguousarray(_coloured(size_px, seed, colour).reshape(TILE, TILE, 4)[..., :3].transpose(0, 2, 1))


def planar_tile(size_px: float, colour: float, seed: int) -> Pixels:
    """(TILE, 3, TILE) grain of one frame's width, rows of red, green and blue one after another; see film_grain."""
    return _planar(round(size_px, 2), seed, round(float(colour), 4))


def place_of_tile(seed: int, frame: float) -> tuple[int, int]:
    """Which pixel of the tile, down and across, lies at the frame's origin."""
    place = int(_hash(round(frame * 64), 7, seed))
    return place & 0xFFFF, place >> 16


@nb.njit(inline="always")
def _with_grain(v, gain, response, grain):  # type: ignore[no-untyped-def]
    """Linear light with grain laid over its display value: film shows it most in the middle tones."""
    zero, one = np.float32(0), np.float32(1)
    seen = shown(max(v, zero))
    grey = min(seen, one)
    amount = gain * (one - response + response * np.float32(4) * grey * (one - grey))
    return light(max(seen + amount * grain, zero))


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy", fastmath={"contract", "nsz", "arcp"})
def _grainy(pixels, tile, y0, x0, gain, response, out):  # type: ignore[no-untyped-def]
    """(h, w * 4) rows with grain: those that cover everywhere, and others."""
    tiny, one = np.float32(1e-6), np.float32(1)
    n, across = tile.shape
    width = pixels.shape[1]
    for y in nb.prange(pixels.shape[0]):
        row, own, made = pixels[y], tile[(y + y0) % n], out[y]
        covers = True
        for x in range(3, width, 4):
            if row[x] != one:
                covers = False
                break
        covered = np.empty(0 if covers else width, np.float32)
        for x in range(covered.size):
            covered[x] = row[x | 3]
        first = 0
        while first < width:
            at = (x0 * 4 + first) % across
            count = min(across - at, width - first)
            seen, grain, part = row[first : first + count], own[at : at + count], made[first : first + count]
            if covers:
                for i in range(part.size):
                    part[i] = _with_grain(seen[i], gain, response, grain[i])
            else:
                cover = covered[first : first + count]
                for i in range(part.size):
                    a = cover[i]
                    v = seen[i]
                    laid = _with_grain(v / max(a, tiny), gain, response, grain[i]) * a
                    part[i] = laid if a > tiny else v
            first += count
        for x in range(3, width, 4):
            made[x] = row[x]


FINEST_PX = 0.28  # finer grain than this is white noise: a pixel's own width
GRAIN_WIDTH = 3.545


def strength_at(amount: float, size_px: float, scale: float) -> float:
    """What is seen of grain in a picture at a scale: reducing averages it away once pixels are wider than a grain's own width, 2 sqrt(pi) sigma."""
    return float(amount * min(1.0, GRAIN_WIDTH * max(size_px, FINEST_PX) * scale))


def film_grain(pixels: Pixels, x0: int, y0: int, size_px: float, amount: float, colour: float, response: float, seed: int, frame: float) -> Pixels:  # fmt: skip
    """(h, w, 4) linear pixels with grain laid over their display values.

    size_px: standard deviation of a grain's blur; amount: standard deviation of the grain, display values; colour 0..1: the
    share the channels do not have in common; response 0..1: how much more the middle tones show. x0, y0, seed and frame
    fix the pattern: one tile, laid at another place in every frame.
    """
    tile = _coloured(round(size_px, 2), seed, round(float(colour), 4))
    down, across = place_of_tile(seed, frame)
    h, w, _ = pixels.shape
    out = np.empty((h, w * 4), np.float32)
    y, x = y0 + down, x0 + across
    flat = np.ascontiguousarray(pixels, np.float32).reshape(h, w * 4)
    _grainy(flat, tile, y % TILE, x % TILE, np.float32(amount), np.float32(response), out)
    return out.reshape(h, w, 4)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _lit(pixels, clouds, step, contrast, level, gains, out):  # type: ignore[no-untyped-def]
    """Adds clouds, drawn on every `step`-th pixel, as light where the picture covers."""
    h, w = clouds.shape
    zero, half = np.float32(0), np.float32(0.5)
    scale = np.float32(1.0 / step)
    for y in nb.prange(pixels.shape[0]):
        fy = min(max((np.float32(y) + half) * scale - half, zero), np.float32(h - 1))
        iy = min(int(fy), max(h - 2, 0))
        ty = fy - np.float32(iy)
        below = min(iy + 1, h - 1)
        for x in range(pixels.shape[1]):
            fx = min(max((np.float32(x) + half) * scale - half, zero), np.float32(w - 1))
            ix = min(int(fx), max(w - 2, 0))
            tx = fx - np.float32(ix)
            right = min(ix + 1, w - 1)
            top = clouds[iy, ix] + (clouds[iy, right] - clouds[iy, ix]) * tx
            bottom = clouds[below, ix] + (clouds[below, right] - clouds[below, ix]) * tx
            light = max((top + (bottom - top) * ty) * contrast + level, zero) * pixels[y, x, 3]
            for c in range(3):
                out[y, x, c] = pixels[y, x, c] + light * gains[c]
            out[y, x, 3] = pixels[y, x, 3]


def cloud_light(pixels: Pixels, clouds: NDArray[np.float32], step: int, contrast: float, level: float, gains: NDArray[np.float32]) -> Pixels:  # fmt: skip
    """(h, w, 4) pixels with the light of `clouds` (h / step, w / step), times contrast plus level, in `gains` (3,)."""
    out = np.empty_like(pixels)
    _lit(np.ascontiguousarray(pixels), clouds, step, np.float32(contrast), np.float32(level), gains, out)
    return out
