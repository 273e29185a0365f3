"""Aligning a reference patch to a picture: robust ESM over translation or an affine map, with gain and bias.

Source: Benhimane & Malis, Real-time image-based tracking of planes using efficient second-order minimization, IROS 2004;
Tukey weights after Huber & Ronchetti, Robust Statistics, 2009.
"""

from __future__ import annotations

from dataclasses import dataclass

import numba as nb
import numpy as np
from numpy.typing import NDArray

Grey = NDArray[np.float32]


@nb.njit(inline="always", cache=True)
def _cubic(t, a, b, c, d):  # type: ignore[no-untyped-def]
    """Catmull-Rom between b and c."""
    return b + 0.5 * t * (c - a + t * (2.0 * a - 5.0 * b + 4.0 * c - d + t * (3.0 * (b - c) + d - a)))


@nb.njit(inline="always", cache=True)
def _row(row, t, x0, x1, x2, x3):  # type: ignore[no-untyped-def]
    return _cubic(t, row[x0], row[x1], row[x2], row[x3])


@nb.njit(cache=True, nogil=True)
def _sample(image, x, y):  # type: ignore[no-untyped-def]
    """Bicubic value at x, y where whole numbers are pixel centres; edges are continued."""
    h, w = image.shape
    x, y = min(max(x, 0.0), w - 1.0), min(max(y, 0.0), h - 1.0)
    ix, iy = int(x), int(y)
    tx, ty = x - ix, y - iy
    x0, x1, x2, x3 = max(ix - 1, 0), ix, min(ix + 1, w - 1), min(ix + 2, w - 1)
    return _cubic(
        ty,
        _row(image[max(iy - 1, 0)], tx, x0, x1, x2, x3),
        _row(image[iy], tx, x0, x1, x2, x3),
        _row(image[min(iy + 1, h - 1)], tx, x0, x1, x2, x3),
        _row(image[min(iy + 2, h - 1)], tx, x0, x1, x2, x3),
    )


@nb.njit(cache=True, nogil=True, error_model="numpy")
def warped(image, m, half, step):  # type: ignore[no-untyped-def]
    """(n, n) samples of the image on the patch grid -half..half (pixels, every `step`), mapped by the 2x3 matrix m."""
    n = 2 * half // step + 1
    out = np.empty((n, n))
    for j in range(n):
        v = -half + j * step
        for i in range(n):
            u = -half + i * step
            out[j, i] = _sample(image, m[0, 0] * u + m[0, 1] * v + m[0, 2], m[1, 0] * u + m[1, 1] * v + m[1, 2])
    return out


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _esm(image, ref, window, m, half, step, affine, iterations, damping, light):  # type: ignore[no-untyped-def]
    n = ref.shape[0]
    m = m.copy()
    k = 6 if affine else 2
    size = k + 2
    weights = window.copy()
    residual = np.zeros((n, n))
    current = warped(image, m, half, step)
    # start with the gain and bias that bring medians and spreads together: up to half of the patch may be covered
    middle_ref, middle = np.median(ref), np.median(current)
    spread_ref, spread_now = np.median(np.abs(ref - middle_ref)), np.median(np.abs(current - middle))
    gain = min(max(spread_ref / max(spread_now, 1e-3), 0.1), 10.0)
    bias = middle_ref - gain * middle
    if not light:
        gain, bias = 1.0, 0.0
    for _ in range(iterations):
        for j in range(n):
            for i in range(n):
                residual[j, i] = ref[j, i] - gain * current[j, i] - bias
        spread = 4.0 * 1.4826 * np.median(np.abs(residual)) + 1e-6
        for j in range(n):
            for i in range(n):
                q = residual[j, i] / spread
                weights[j, i] = window[j, i] * (1.0 - q * q) ** 2 if abs(q) < 1.0 else 0.0
        normal = np.zeros((size, size))
        right = np.zeros(size)
        row = np.zeros(size)
        for j in range(1, n - 1):
            v = (-half + j * step) / half
            for i in range(1, n - 1):
                w = weights[j, i]
                if w <= 0.0:
                    continue
                u = (-half + i * step) / half
                gx = (ref[j, i + 1] - ref[j, i - 1] + gain * (current[j, i + 1] - current[j, i - 1])) / (4.0 * step)
                gy = (ref[j + 1, i] - ref[j - 1, i] + gain * (current[j + 1, i] - current[j - 1, i])) / (4.0 * step)
                row[0], row[1] = gx, gy
                if affine:
                    row[2], row[3], row[4], row[5] = gx * u, gx * v, gy * u, gy * v
                row[k], row[k + 1] = (current[j, i], 1.0) if light else (0.0, 0.0)
                for a in range(size):
                    wa = w * row[a]
                    right[a] += wa * residual[j, i]
                    for b in range(a, size):
                        normal[a, b] += wa * row[b]
        for a in range(size):
            for b in range(a):
                normal[a, b] = normal[b, a]
        for a in range(k):
            normal[a, a] *= 1.0 + (damping if a >= 2 else 0.0)
            normal[a, a] += 1e-6
        normal[k, k] += 1e-6
        normal[k + 1, k + 1] += 1e-6
        d = np.linalg.solve(normal, right)
        if light:
            gain += d[k]
            bias += d[k + 1]
        step_px = 0.0
        length = np.hypot(d[0], d[1])
        if length > 4.0:
            d[0] *= 4.0 / length
            d[1] *= 4.0 / length
        delta = np.zeros((2, 2))
        if affine:
            delta[0, 0], delta[0, 1], delta[1, 0], delta[1, 1] = d[2] / half, d[3] / half, d[4] / half, d[5] / half
        a00, a01, a10, a11 = m[0, 0], m[0, 1], m[1, 0], m[1, 1]
        move_x, move_y = a00 * d[0] + a01 * d[1], a10 * d[0] + a11 * d[1]
        m[0, 2] += move_x
        m[1, 2] += move_y
        m[0, 0], m[0, 1] = a00 + a00 * delta[0, 0] + a01 * delta[1, 0], a01 + a00 * delta[0, 1] + a01 * delta[1, 1]
        m[1, 0], m[1, 1] = a10 + a10 * delta[0, 0] + a11 * delta[1, 0], a11 + a10 * delta[0, 1] + a11 * delta[1, 1]
        step_px = np.hypot(move_x, move_y)
        if affine:
            step_px += half * 0.5 * np.sqrt(np.sum(delta**2))
        if not np.isfinite(step_px):
            break
        current = warped(image, m, half, step)
        if step_px < 0.003:
            break
    # quality at the end: correlation under the window, share of pixels that fit, expected error of the place
    sw, sc, sr = 0.0, 0.0, 0.0
    fit = 0.0
    for j in range(n):
        for i in range(n):
            sw += window[j, i]
            sc += window[j, i] * current[j, i]
            sr += window[j, i] * ref[j, i]
            fit += weights[j, i]
    mc, mr = sc / sw, sr / sw
    cc, rr, cr = 1e-9, 1e-9, 0.0
    for j in range(n):
        for i in range(n):
            a, b = current[j, i] - mc, ref[j, i] - mr
            cc += window[j, i] * a * a
            rr += window[j, i] * b * b
            cr += window[j, i] * a * b
    noise, hxx, hyy, hxy = 0.0, 1e-9, 1e-9, 0.0
    for j in range(1, n - 1):
        for i in range(1, n - 1):
            w = weights[j, i]
            noise += w * residual[j, i] ** 2
            gx, gy = (ref[j, i + 1] - ref[j, i - 1]) / (2.0 * step), (ref[j + 1, i] - ref[j - 1, i]) / (2.0 * step)
            hxx += w * gx * gx
            hyy += w * gy * gy
            hxy += w * gx * gy
    small = 0.5 * (hxx + hyy - np.sqrt((hxx - hyy) ** 2 + 4 * hxy * hxy))
    sigma = np.sqrt(noise / max(fit, 1e-9) / max(small, 1e-9))
    return m, cr / np.sqrt(cc * rr), fit / sw, sigma, gain


@dataclass(frozen=True, eq=False)
class Fit:
    """Where a patch was found: 2x3 `matrix` from patch to picture, correlation, share of pixels that fit (0..1), expected
    error of the place in pixels, gain of the light."""

    matrix: NDArray[np.float64]
    correlation: float
    share: float
    sigma_px: float
    gain: float


def gaussian_window(half: int, step: int) -> NDArray[np.float64]:
    u = np.arange(-half, half + 1, step) / (0.6 * half)
    w = np.exp(-0.5 * u * u)
    return np.outer(w, w)


def align(
    image: Grey, reference: NDArray[np.float64], start: NDArray[np.float64], half: int, step: int, affine: bool,
    iterations: int, damping: float = 0.05, light: bool = True,
) -> Fit:  # fmt: skip
    """Fit `reference` (samples on the grid -half..half every `step`) to the picture near the 2x3 matrix `start`.

    image: (h, w) float32, whole numbers are pixel centres. `light`: gain and bias of the light may change.
    """
    window = gaussian_window(half, step)
    return Fit(*_esm(image, reference, window, start, half, step, affine, iterations, damping, light))


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _esm_many(image, refs, window, starts, half, step, iterations, matrices, quality):  # type: ignore[no-untyped-def]
    for i in nb.prange(refs.shape[0]):
        m, correlation, share, sigma, _ = _esm(
            image, refs[i], window, starts[i], half, step, False, iterations, 0.0, True
        )
        matrices[i] = m
        quality[i, 0], quality[i, 1], quality[i, 2] = correlation, share, sigma


def align_many(
    image: Grey, references: NDArray[np.float64], starts: NDArray[np.float64], half: int, step: int, iterations: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Each of n patches (n, k, k) fitted by translation near its 2x3 start (n, 2, 3).

    Returns the matrices (n, 2, 3) and (n, 3): correlation, share of pixels that fit, expected error in pixels.
    """
    matrices, quality = np.empty_like(starts), np.empty((len(starts), 3))
    _esm_many(image, references, gaussian_window(half, step), starts, half, step, iterations, matrices, quality)
    return matrices, quality


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _correlations(image, refs, starts, half, step, out):  # type: ignore[no-untyped-def]
    for i in nb.prange(refs.shape[0]):
        current = warped(image, starts[i], half, step)
        a, b = current - np.mean(current), refs[i] - np.mean(refs[i])
        out[i] = np.sum(a * b) / np.sqrt(np.sum(a * a) * np.sum(b * b) + 1e-9)


def correlations(
    image: Grey, references: NDArray[np.float64], starts: NDArray[np.float64], half: int, step: int
) -> NDArray[np.float64]:
    """(n,) normalised correlation of each patch with the picture under its 2x3 matrix, without moving it."""
    out = np.empty(len(starts))
    _correlations(image, references, starts, half, step, out)
    return out


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _warped_many(image, starts, half, step, out):  # type: ignore[no-untyped-def]
    for i in nb.prange(starts.shape[0]):
        out[i] = warped(image, starts[i], half, step)


def warped_many(image: Grey, starts: NDArray[np.float64], half: int, step: int) -> NDArray[np.float64]:
    """(n, k, k) patches of the picture, k = 2 * half // step + 1."""
    k = 2 * half // step + 1
    out = np.empty((len(starts), k, k))
    _warped_many(image, starts, half, step, out)
    return out
