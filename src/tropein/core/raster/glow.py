"""Light that spreads from what is bright, over several scales at once, all of them on reduced pictures."""

from __future__ import annotations

import math

import cv2
import numba as nb
import numpy as np

from tropein.core.raster.colour import LUMA
from tropein.core.raster.picture import Picture, Pixels

LEAST_SIGMA_PX = 0.05


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _bright(pixels, weights, threshold, n, y0, x0, on, out):  # type: ignore[no-untyped-def]
    """Light above a brightness, its alpha in proportion, averaged n by n. out[0, 0] begins at pixel (y0, x0); beyond the edges there is nothing,
    or, with `on`, they go on."""
    h, w, _ = pixels.shape
    zero, tiny, low, share = np.float32(0), np.float32(1e-6), np.float32(threshold), np.float32(1.0 / (n * n))
    for row in nb.prange(out.shape[0]):
        line = np.zeros((out.shape[1], 4), np.float32)
        for k in range(n):
            y = y0 + row * n + k
            if not on and (y < 0 or y >= h):
                continue
            y = min(max(y, 0), h - 1)
            for col in range(out.shape[1]):
                for i in range(n):
                    x = x0 + col * n + i
                    if not on and (x < 0 or x >= w):
                        continue
                    x = min(max(x, 0), w - 1)
                    r, g, b, a = pixels[y, x, 0], pixels[y, x, 1], pixels[y, x, 2], pixels[y, x, 3]
                    luma = weights[0] * r + weights[1] * g + weights[2] * b
                    part = max(luma - low * a, zero) / max(luma, tiny) * share
                    line[col, 0] += r * part
                    line[col, 1] += g * part
                    line[col, 2] += b * part
                    line[col, 3] += a * part
        out[row] = line


def reduction(sigma_px: float) -> int:
    """By which power of two a picture can be reduced before a blur of this size."""
    return 1 if sigma_px < 3 else 2 ** int(math.log2(sigma_px / 1.5))


def _spread(level: Pixels, n: int, sigmas: list[float], border: int) -> Pixels:
    """The sum of Gaussians of a picture reduced by n, whose sides divide by the greatest reduction any of them allows, as large as it is.

    Each is blurred on a picture reduced further; on the way back up every level is added to the next finer one.
    """
    steps = [reduction(s) for s in sigmas]
    finest, coarsest = n, max(steps)
    blurred: dict[int, Pixels] = {}
    while n <= coarsest:
        if n > finest:
            level = cv2.resize(level, (level.shape[1] // 2, level.shape[0] // 2), interpolation=cv2.INTER_AREA)
        for sigma in (s for s, own in zip(sigmas, steps, strict=True) if own == n):
            # reducing by areas adds (n^2 - 1) / 12 of variance, doubling back by lines (n^2 - 1) / 4
            rest = math.sqrt(max(sigma**2 - (n**2 - 1) / 3, 0.01)) / n
            k = 2 * math.ceil(3 * rest) + 1
            part = cv2.GaussianBlur(level, (k, k), rest, borderType=border)
            blurred[n] = blurred[n] + part if n in blurred else part
        n *= 2
    total = blurred[coarsest]
    while n // 2 > finest:
        n //= 2
        total = cv2.resize(total, (total.shape[1] * 2, total.shape[0] * 2), interpolation=cv2.INTER_LINEAR)
        if n // 2 in blurred:
            total = cv2.add(total, blurred[n // 2], dst=total)
    return total


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _add_light(picture, margin, light, at, n, gains, out):  # type: ignore[no-untyped-def]
    """out: a picture with a margin, and light of which every pixel stands for n by n, whose first pixel is the one `at` in both directions of
    the light's own, enlarged."""
    h, w, _ = out.shape
    ph, pw, _ = picture.shape
    lh, lw, _ = light.shape
    zero, one, half, unit = np.float32(0), np.float32(1), np.float32(0.5), np.float32(1.0 / n)
    for y in nb.prange(h):
        fy = min(max((np.float32(y + at) + half) * unit - half, zero), np.float32(lh - 1))
        iy = int(fy)
        ty = fy - np.float32(iy)
        above, below = light[iy].reshape(lw * 4), light[min(iy + 1, lh - 1)].reshape(lw * 4)
        line, wide = np.empty(lw * 4, np.float32), np.empty((lw * n, 4), np.float32)
        for i in range(lw * 4):
            line[i] = (above[i] + (below[i] - above[i]) * ty) * gains[i & 3]
        for i in range(lw):
            right = min(i + 1, lw - 1)
            r, g, b, a = line[4 * i], line[4 * i + 1], line[4 * i + 2], line[4 * i + 3]
            dr, dg, db, da = (
                line[4 * right] - r,
                line[4 * right + 1] - g,
                line[4 * right + 2] - b,
                line[4 * right + 3] - a,
            )
            for k in range(n):  # from the middle of this one to that of the next
                t, x = (np.float32(k) + half) * unit, i * n + (n // 2 if n > 1 else 0) + k
                if n == 1:
                    t = zero
                if x < lw * n:
                    wide[x, 0], wide[x, 1], wide[x, 2], wide[x, 3] = r + dr * t, g + dg * t, b + db * t, a + da * t
        for x in range(n // 2 if n > 1 else 0):
            for c in range(4):
                wide[x, c] = line[c]
        made = out[y].reshape(w * 4)
        seen = wide[at : at + w].reshape(w * 4)
        for i in range(w * 4):
            made[i] = seen[i]
        if margin <= y < margin + ph:
            own, part = picture[y - margin].reshape(pw * 4), made[4 * margin : 4 * (margin + pw)]
            for i in range(part.size):
                part[i] += own[i]
            for i in range(3, part.size, 4):
                part[i] = min(part[i], one)


def glowing(picture: Picture, threshold: float, radius_px: float, scales: int, tint: Pixels, amount: float) -> Picture:
    """The picture with the light above `threshold`, tinted (3,) and multiplied by `amount`, added to it, spread by the mean of `scales`
    Gaussians, the widest of sigma `radius_px` and each next half as wide. The window grows by three sigma, except for a picture opaque to
    its border: that keeps its window, and its edges go on outwards."""
    sigmas = [s for i in range(scales) if (s := radius_px / 2**i) > LEAST_SIGMA_PX]
    if not sigmas:
        return picture
    opaque, at = picture.opaque, picture.window
    n, coarsest = reduction(sigmas[-1]), reduction(sigmas[0])
    margin = 0 if opaque else math.ceil(3 * radius_px) + 1
    reach = -(-max(margin, 4 * coarsest) // coarsest) * coarsest
    h, w = (-(-(side + 2 * reach) // coarsest) * coarsest // n for side in (at.height, at.width))
    lit = np.empty((h, w, 4), np.float32)
    source = np.ascontiguousarray(picture.pixels)
    _bright(source, LUMA, float(threshold), n, -reach, -reach, opaque, lit)
    light = _spread(lit, n, sigmas, cv2.BORDER_REPLICATE if opaque else cv2.BORDER_CONSTANT)
    window = at.grow(margin)
    gains = np.append(np.asarray(tint, np.float32), 1).astype(np.float32) * np.float32(amount / scales)
    out = np.empty((window.height, window.width, 4), np.float32)
    _add_light(source, margin, light, reach - margin, n, gains, out)
    return Picture(out, window)
