"""Luma and chroma planes of coded pictures to linear light.

Source: ITU-R BT.709, BT.601 and BT.2020 (matrices; quantisation of luma to 16..235 and of chroma to 16..240 in 8 bits); where samples
of halved chroma lie: ITU-T H.264, annex E, chroma_sample_loc_type. Chroma is interpolated linearly between its samples.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.colour import WORKING, code_table, from_float, per_channel
from tropein.core.raster.picture import Pixels

# where the first chroma sample lies among the luma samples it stands for: across and down, 0 the first, 1 the last of them
SITINGS: dict[str, tuple[float, float]] = {
    "left": (0.0, 0.5),
    "center": (0.5, 0.5),
    "topleft": (0.0, 0.0),
    "top": (0.5, 0.0),
    "bottomleft": (0.0, 1.0),
    "bottom": (0.5, 1.0),
}


@dataclass(frozen=True)
class Cells:
    """How chroma lies in a picture: how many pixels a sample stands for, and where in them it is (0 the first, 1 the last)."""

    across: int = 2
    down: int = 2
    at_across: float = 0.5
    at_down: float = 0.5

    def turned(self, quarters: int) -> Cells:
        """Of the picture turned counter-clockwise by so many quarters."""
        if quarters % 4 == 0:
            return self
        return Cells(self.down, self.across, self.at_down, 1 - self.at_across).turned(quarters - 1)


FINE_BITS = {8: 13}  # at so many bits the transfer curve is read for codes of so many; others at 16


@dataclass(frozen=True)
class Planes:
    """A coded picture: luma (h, w), chroma (ch, cw), straight alpha (h, w) or None; uint8, or uint16 with `bits` used.

    `kr`, `kb` are the matrix' luma weights (Rec.709: 0.2126, 0.0722); `siting` a key of SITINGS.
    """

    y: NDArray[Any]
    u: NDArray[Any]
    v: NDArray[Any]
    alpha: NDArray[Any] | None = None
    bits: int = 8
    kr: float = 0.2126
    kb: float = 0.0722
    full_range: bool = False
    siting: str = "left"


@dataclass(frozen=True)
class Levels:
    """Numbers of a coding: its highest code; gain and offset of luma, middle of chroma; what a code of chroma adds to, or takes from, a colour."""

    top: float
    y_gain: float
    y_low: float
    middle: float
    v_to_red: float
    u_to_green: float
    v_to_green: float
    u_to_blue: float


def levels(p: Planes) -> Levels:
    kg, unit, top = 1 - p.kr - p.kb, float(1 << (p.bits - 8)), float((1 << p.bits) - 1)
    y_gain, y_low, c_gain = (1 / top, 0.0, 1 / top) if p.full_range else (1 / (219 * unit), 16 * unit, 1 / (224 * unit))
    red, blue = 2 * (1 - p.kr) * c_gain, 2 * (1 - p.kb) * c_gain
    return Levels(top, y_gain, y_low, 128 * unit, red, blue * p.kb / kg, red * p.kr / kg, blue)


def to_linear(planes: Planes, space: str) -> Pixels:
    """Linear premultiplied (h, w, 4) float32 of a coded picture whose RGB is in a colour space."""
    p, k = planes, levels(planes)
    plain = per_channel(space, WORKING)
    fine = FINE_BITS.get(p.bits, 16)
    curve = code_table(space, fine) if plain else _even(fine)
    (h, w), (ch, cw) = p.y.shape, p.u.shape
    across, down = SITINGS.get(p.siting, SITINGS["left"])
    if ch == h:
        down = 0.0
    f = np.float32
    out = np.empty((h, w, 4), np.float32)
    _convert(
        p.y, p.u, p.v, *_between(w, cw, across), *_between(h, ch, down), curve, f(k.y_gain), f(k.y_low), f(k.middle),
        f(k.v_to_red), f(k.u_to_green), f(k.v_to_green), f(k.u_to_blue), out,
    )  # fmt: skip
    if not plain:
        out = from_float(out[..., :3], space)
    if p.alpha is not None:
        out *= np.float32(p.alpha[..., None]) * f(1 / k.top)
    return out


@lru_cache(2)
def _even(bits: int) -> NDArray[np.float32]:
    return np.linspace(0, 1, 1 << bits, dtype=np.float32)


@lru_cache(16)
def _between(full: int, coarse: int, first: float) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    """For each of `full` samples, the coarse one before it and how much of that one it gets (the next gets the rest)."""
    step = -(-full // coarse)
    at = (np.arange(full) - first * (step - 1)) / step
    before = np.clip(np.floor(at), 0, coarse - 1)
    return before.astype(np.int32), (1 - np.clip(at - before, 0, 1)).astype(np.float32)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _convert(ys, us, vs, cols, col_share, rows, row_share, curve, ky, oy, middle, kr, kgu, kgv, kb, out):  # type: ignore[no-untyped-def]
    h, w = ys.shape
    ch, cw = us.shape
    scale, half, zero, one = np.float32(curve.size - 1), np.float32(0.5), np.float32(0), np.float32(1)
    for y in nb.prange(h):
        j, near = rows[y], row_share[y]
        j2, far = min(j + 1, ch - 1), one - near
        u_row, v_row = np.empty(cw + 1, np.float32), np.empty(cw + 1, np.float32)
        for i in range(cw):
            u_row[i] = near * np.float32(us[j, i]) + far * np.float32(us[j2, i]) - middle
            v_row[i] = near * np.float32(vs[j, i]) + far * np.float32(vs[j2, i]) - middle
        u_row[cw], v_row[cw] = u_row[cw - 1], v_row[cw - 1]
        for x in range(w):
            i, share = cols[x], col_share[x]
            u = share * u_row[i] + (one - share) * u_row[i + 1]
            v = share * v_row[i] + (one - share) * v_row[i + 1]
            lum = (np.float32(ys[y, x]) - oy) * ky
            r = min(max(lum + kr * v, zero), one) * scale
            g = min(max(lum - kgu * u - kgv * v, zero), one) * scale
            b = min(max(lum + kb * u, zero), one) * scale
            out[y, x, 0] = curve[np.uint32(r + half)]
            out[y, x, 1] = curve[np.uint32(g + half)]
            out[y, x, 2] = curve[np.uint32(b + half)]
            out[y, x, 3] = one


def halved(codes: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Rec.709 planes, 4:2:0, narrow range, chroma sited left, of (h, w, 3) uint8 RGB with even sides: (3 h / 2, w), luma above
    U above V, as video libraries take them."""
    h, w, _ = codes.shape
    out = np.empty((h * 3 // 2, w), np.uint8)
    chroma = out[h:].reshape(2, h // 2, w // 2)
    _halve(codes, out[:h], chroma[0], chroma[1])
    return out


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _halve(codes, ys, us, vs):  # type: ignore[no-untyped-def]
    f = np.float32
    kr, kg, kb = f(0.2126), f(0.7152), f(0.0722)
    gain, ku, kv = f(219 / 255), f(224 / 255 / 1.8556), f(224 / 255 / 1.5748)
    ch, cw = us.shape
    last = 2 * cw - 1
    for j in nb.prange(ch):
        blue, red = np.empty(2 * cw, np.float32), np.empty(2 * cw, np.float32)  # sums of two rows' B - Y and R - Y
        for side in range(2):
            y = 2 * j + side
            for x in range(2 * cw):
                r, g, b = f(codes[y, x, 0]), f(codes[y, x, 1]), f(codes[y, x, 2])
                luma = kr * r + kg * g + kb * b
                ys[y, x] = np.uint8(f(16.5) + gain * luma)
                if side:
                    blue[x] += b - luma
                    red[x] += r - luma
                else:
                    blue[x] = b - luma
                    red[x] = r - luma
        for i in range(cw):
            x = 2 * i
            before, after = max(x - 1, 0), min(x + 1, last)
            u = f(0.125) * (blue[before] + f(2) * blue[x] + blue[after])
            v = f(0.125) * (red[before] + f(2) * red[x] + red[after])
            us[j, i] = np.uint8(f(128.5) + ku * u)
            vs[j, i] = np.uint8(f(128.5) + kv * v)
