"""Grain as it was measured somewhere: of a spectrum, with channels that go together as they do there, as strong at each brightness as it is there.

One tile of white noise is given the spectrum (a product in frequencies, so that it joins itself at its borders) and its channels their covariance (Cholesky),
and is laid at another place in every frame.
"""

from __future__ import annotations

from functools import lru_cache

import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.colour import LUMA
from tropein.core.raster.grain import TILE, place_of_tile, white
from tropein.core.raster.picture import Pixels
from tropein.core.raster.srgb import light, shown

BANDS = 14  # of frequencies from 0 to that of the corner
CORNER = float(np.sqrt(0.5))  # cycles per pixel
ENTRIES = 64  # of a table of strengths, by brightness

Numbers = tuple[float, ...]


@lru_cache(8)
def tile_like(bands: Numbers, mix: Numbers, scale: float, seed: int) -> NDArray[np.float32]:
    """(TILE, 3, TILE) grain of variance 1 in brightness at full scale, rows of red, green and blue one after another.

    bands: BANDS densities of power, of equal parts of 0..CORNER cycles per pixel of the shot, relative; mix: the lower triangle, row by row, by which red,
    green and blue come of three independent ones. At a smaller `scale` pixels are means of what they cover.
    """
    fy, fx = np.meshgrid(np.fft.fftfreq(TILE), np.fft.rfftfreq(TILE), indexing="ij")
    whole = _density(bands, np.hypot(fx, fy))
    # of a real picture every column of frequencies but the first and the last stands for two
    twice = np.full(whole.shape, 2.0)
    twice[:, [0, -1]] = 1.0
    seen = whole * (np.sinc(fx / scale) * np.sinc(fy / scale)) ** 2 if scale < 1 else whole
    left = (seen * twice).sum() / max(float((whole * twice).sum()), 1e-30)
    power = _density(bands, np.hypot(fx, fy) * scale) * (np.sinc(fx) * np.sinc(fy)) ** 2 if scale < 1 else whole
    power *= left * twice.sum() / max(float((power * twice).sum()), 1e-30)
    noise = np.empty((TILE, TILE, 4), np.float32)
    white(noise, 0, 0, seed)
    planes = np.fft.irfft2(np.fft.rfft2(noise[..., :3].transpose(2, 0, 1)) * np.sqrt(power), s=(TILE, TILE))
    triangle = np.zeros((3, 3))
    triangle[np.tril_indices(3)] = mix
    return np.ascontiguousarray(np.einsum("ck,kyx->ycx", triangle, planes), np.float32)


def _density(bands: Numbers, radius: NDArray[np.float64]) -> NDArray[np.float64]:
    middles = (np.arange(BANDS) + 0.5) * CORNER / BANDS
    return np.asarray(np.interp(radius, middles, bands))


@lru_cache(64)
def table_of(strengths: Numbers) -> NDArray[np.float32]:
    """(ENTRIES + 1,) strengths by display brightness, 0 to 1, of some that stand for equal parts of it."""
    middles = (np.arange(len(strengths)) + 0.5) / len(strengths)
    return np.interp(np.linspace(0, 1, ENTRIES + 1), middles, strengths).astype(np.float32)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy", fastmath={"contract", "nsz", "arcp"})
def _laid(pixels, tile, y0, x0, gains, weights, out):  # type: ignore[no-untyped-def]
    """(h, w, 4): linear premultiplied pixels with grain over their display values, as strong as the table says of their brightness. A row's channels are
    laid out one after another: only loops over what lies in one piece become vector instructions."""
    n, zero, one, tiny, entries = tile.shape[0], np.float32(0), np.float32(1), np.float32(1e-6), np.float32(ENTRIES)
    width = pixels.shape[1]
    for y in nb.prange(pixels.shape[0]):
        row, own, made = pixels[y], tile[(y + y0) % n], out[y]
        value, bright, gain = np.empty((3, width), np.float32), np.zeros(width, np.float32), np.empty(width, np.float32)
        alpha, grain = np.empty(width, np.float32), np.empty((3, width), np.float32)
        for x in range(width):
            alpha[x] = row[x, 3]
            at = (x + x0) % n
            for c in range(3):
                value[c, x], grain[c, x] = row[x, c], own[c, at]
        for c in range(3):
            line, weight = value[c], weights[c]
            for x in range(width):
                line[x] = shown(max(line[x] / max(alpha[x], tiny), zero))
                bright[x] += weight * line[x]
        for x in range(width):
            place = min(bright[x], one) * entries
            i = min(int(place), ENTRIES - 1)
            gain[x] = gains[i] + (gains[i + 1] - gains[i]) * (place - np.float32(i))
        for c in range(3):
            line, noise = value[c], grain[c]
            for x in range(width):
                line[x] = light(max(line[x] + gain[x] * noise[x], zero)) * alpha[x]
        for x in range(width):
            a = alpha[x]
            for c in range(3):
                made[x, c] = value[c, x] if a > tiny else row[x, c]
            made[x, 3] = a


def grain_like(
    pixels: Pixels, x0: int, y0: int, tile: NDArray[np.float32], gains: NDArray[np.float32], seed: int, frame: float
) -> Pixels:
    """(h, w, 4) linear pixels with grain of a tile over their display values. gains: ENTRIES + 1 deviations of display brightness, by brightness; x0, y0,
    seed and frame fix the pattern."""
    down, across = place_of_tile(seed, frame)
    out = np.empty(pixels.shape, np.float32)
    flat = np.ascontiguousarray(pixels, np.float32)
    _laid(flat, tile, (y0 + down) % TILE, (x0 + across) % TILE, np.ascontiguousarray(gains, np.float32), LUMA, out)
    return out
