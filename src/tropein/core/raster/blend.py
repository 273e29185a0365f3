"""Laying one picture over another: the W3C blend modes and add.

Source: W3C Compositing and Blending Level 1, sections 9 and 10. Coverage is always mixed in linear light; the blend
function B(cb, cs) is computed on display-encoded values unless the shot says linear. *normal* and *add* (the plus-lighter
operator) are always linear.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numba as nb
import numpy as np

from tropein.core.raster.colour import decode_table, encode_table, look_up
from tropein.core.raster.picture import Picture, Pixels, Window

MODES = (
    "normal", "add", "multiply", "screen", "overlay", "darken", "lighten", "colour-dodge", "colour-burn",
    "hard-light", "soft-light", "difference", "exclusion", "hue", "saturation", "colour", "luminosity",
)  # fmt: skip
_ZERO, _ONE, _TWO = np.float32(0), np.float32(1), np.float32(2)
_GREY = np.float32(1e-4)  # channels no farther apart than this are grey


@nb.njit(inline="always")
def _lum(r, g, b):  # type: ignore[no-untyped-def]
    return np.float32(0.3) * r + np.float32(0.59) * g + np.float32(0.11) * b  # the standard's own weights


@nb.njit
def _set_lum(r, g, b, target):  # type: ignore[no-untyped-def]
    d = target - _lum(r, g, b)
    r, g, b = r + d, g + d, b + d
    lum = _lum(r, g, b)
    low, high = min(r, g, b), max(r, g, b)
    if low < _ZERO:
        k = lum / max(lum - low, _GREY)
        r, g, b = lum + (r - lum) * k, lum + (g - lum) * k, lum + (b - lum) * k
    if high > _ONE:
        k = (_ONE - lum) / max(high - lum, _GREY)
        r, g, b = lum + (r - lum) * k, lum + (g - lum) * k, lum + (b - lum) * k
    return r, g, b


@nb.njit(inline="always")
def _set_sat(r, g, b, sat):  # type: ignore[no-untyped-def]
    low, high = min(r, g, b), max(r, g, b)
    if high <= low:
        return _ZERO, _ZERO, _ZERO
    k = sat / max(high - low, _GREY)  # what is all but grey has no hue to speak of
    return (r - low) * k, (g - low) * k, (b - low) * k


@nb.njit
def separable(mode, b, s):  # type: ignore[no-untyped-def]
    if mode == 2:
        return b * s
    if mode == 5:
        return min(b, s)
    if mode == 6:
        return max(b, s)
    if mode == 11:
        return abs(b - s)
    if mode == 12:
        return b + s - _TWO * b * s
    if mode == 3:
        return max(b + s - b * s, max(b, s))  # light above white stays
    b, s = min(b, _ONE), min(s, _ONE)
    if mode == 4:  # overlay is hard light with the two exchanged
        return _TWO * b * s if b <= np.float32(0.5) else _ONE - _TWO * (_ONE - b) * (_ONE - s)
    if mode == 9:
        return _TWO * b * s if s <= np.float32(0.5) else _ONE - _TWO * (_ONE - b) * (_ONE - s)
    if mode == 7:
        if b <= _ZERO:
            return _ZERO
        return _ONE if s >= _ONE else min(_ONE, b / (_ONE - s))
    if mode == 8:
        if b >= _ONE:
            return _ONE
        return _ZERO if s <= _ZERO else _ONE - min(_ONE, (_ONE - b) / s)
    # soft light
    if s <= np.float32(0.5):
        return b - (_ONE - _TWO * s) * b * (_ONE - b)
    d = ((np.float32(16) * b - np.float32(12)) * b + np.float32(4)) * b if b <= np.float32(0.25) else np.sqrt(b)
    return b + (_TWO * s - _ONE) * (d - b)


@nb.njit
def whole(mode, br, bg, bb, sr, sg, sb):  # type: ignore[no-untyped-def]
    """The four modes that need all channels: hue, saturation, colour, luminosity."""
    br, bg, bb = min(br, _ONE), min(bg, _ONE), min(bb, _ONE)
    sr, sg, sb = min(sr, _ONE), min(sg, _ONE), min(sb, _ONE)
    below = _lum(br, bg, bb)
    if mode == 13:
        r, g, b = _set_sat(sr, sg, sb, max(br, bg, bb) - min(br, bg, bb))
        return _set_lum(r, g, b, below)
    if mode == 14:
        r, g, b = _set_sat(br, bg, bb, max(sr, sg, sb) - min(sr, sg, sb))
        return _set_lum(r, g, b, below)
    if mode == 15:
        return _set_lum(sr, sg, sb, below)
    return _set_lum(br, bg, bb, _lum(sr, sg, sb))


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _lay_simple(base: Pixels, over: Pixels, oy: int, ox: int, opacity: float, add: bool) -> None:
    sh, sw, _ = over.shape
    k = np.float32(opacity)
    for row in nb.prange(sh):
        y = oy + row
        for x in range(sw):
            a = over[row, x, 3] * k
            if (
                a <= _ZERO
                and not add
                and not (over[row, x, 0] > _ZERO or over[row, x, 1] > _ZERO or over[row, x, 2] > _ZERO)
            ):
                continue
            rest = _ONE if add else _ONE - a
            base[y, ox + x, 0] = over[row, x, 0] * k + base[y, ox + x, 0] * rest
            base[y, ox + x, 1] = over[row, x, 1] * k + base[y, ox + x, 1] * rest
            base[y, ox + x, 2] = over[row, x, 2] * k + base[y, ox + x, 2] * rest
            base[y, ox + x, 3] = min(_ONE, a + base[y, ox + x, 3] * rest)


@nb.njit(inline="always")
def _through(value, curve):  # type: ignore[no-untyped-def]
    v = max(value, _ZERO)
    return look_up(np.float32(v).view(np.uint32), curve)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _lay_mode(base, over, oy, ox, opacity, mode, display, encode, decode):  # type: ignore[no-untyped-def]
    sh, sw, _ = over.shape
    k = np.float32(opacity)
    tiny = np.float32(1e-6)
    for row in nb.prange(sh):
        y = oy + row
        for x in range(ox, ox + sw):
            sa = over[row, x - ox, 3] * k
            if sa <= tiny:  # light that covers nothing is added in every mode
                for c in range(3):
                    if over[row, x - ox, c] > _ZERO:
                        base[y, x, c] += over[row, x - ox, c] * k
                continue
            ba = base[y, x, 3]
            inv = k / sa
            sr, sg, sb = over[row, x - ox, 0] * inv, over[row, x - ox, 1] * inv, over[row, x - ox, 2] * inv
            mr, mg, mb = sr, sg, sb
            if ba > tiny:
                ib = _ONE / ba
                br, bg, bb = base[y, x, 0] * ib, base[y, x, 1] * ib, base[y, x, 2] * ib
                er, eg, eb = sr, sg, sb
                if display:
                    br, bg, bb = _through(br, encode), _through(bg, encode), _through(bb, encode)
                    er, eg, eb = _through(sr, encode), _through(sg, encode), _through(sb, encode)
                if mode >= 13:
                    mr, mg, mb = whole(mode, br, bg, bb, er, eg, eb)
                else:
                    mr, mg, mb = separable(mode, br, er), separable(mode, bg, eg), separable(mode, bb, eb)
                if display:
                    mr, mg, mb = _through(mr, decode), _through(mg, decode), _through(mb, decode)
            lone, both, rest = sa * (_ONE - ba), sa * ba, _ONE - sa
            base[y, x, 0] = lone * sr + both * mr + rest * base[y, x, 0]
            base[y, x, 1] = lone * sg + both * mg + rest * base[y, x, 1]
            base[y, x, 2] = lone * sb + both * mb + rest * base[y, x, 2]
            base[y, x, 3] = sa + ba * rest


@dataclass(frozen=True)
class Laying:
    """How one picture is laid over what is under it: one of MODES, opacity 0..1."""

    mode: str = "normal"
    opacity: float = 1.0


def stack(under: Picture, overs: Sequence[Picture], layings: Sequence[Laying], frame: Window,
          display: bool = True) -> Picture:  # fmt: skip
    """Pictures laid on `under` one after another, first first, inside `frame`, in one new array.

    display: compute the blend functions on display-encoded values. The result's window is what any covers in `frame`.
    """
    laid = [(over.crop(frame), how) for over, how in zip(overs, layings, strict=True) if how.opacity > 0]
    laid = [(over, how) for over, how in laid if not over.window.empty]
    under = under.crop(frame)
    if not laid:
        return under
    window = under.window
    for over, _ in laid:
        window = window.join(over.window)
    if under.window.empty and laid[0][1] == Laying() and laid[0][0].window == window:
        under, laid = laid[0][0], laid[1:]  # the plate, most often
    if not laid:
        return under
    base = under.pixels.copy() if under.window == window else under.fill(window)
    for over, how in laid:
        pixels = np.ascontiguousarray(over.pixels)  # one layout, one compiled kernel
        oy, ox = over.window.y0 - window.y0, over.window.x0 - window.x0
        index = MODES.index(how.mode)
        if index < 2:
            _lay_simple(base, pixels, oy, ox, how.opacity, index == 1)
        else:
            _lay_mode(base, pixels, oy, ox, how.opacity, index, display, encode_table(), decode_table())
    return Picture(base, window)


def lay(under: Picture, over: Picture, frame: Window, mode: str = "normal", opacity: float = 1.0,
        display: bool = True) -> Picture:  # fmt: skip
    """`over` laid on `under` inside `frame`: see `stack`."""
    return stack(under, [over], [Laying(mode, opacity)], frame, display)


def within(under: Picture, over: Picture, mode: str, display: bool = True) -> Picture:
    """`over` blended with `under` where `under` is, whose coverage stays: both are taken as if they covered wholly."""
    window = under.window
    if window.empty:
        return under
    alpha = under.pixels[..., 3:4]
    whole = [_whole_cover(p.fill(window)) for p in (under, over)]
    mixed = lay(Picture(whole[0], window), Picture(whole[1], window), window, mode, 1.0, display).pixels
    return Picture(np.concatenate([mixed[..., :3] * alpha, alpha], -1), window)


def _whole_cover(pixels: Pixels) -> Pixels:
    alpha = pixels[..., 3:4]
    return np.concatenate([pixels[..., :3] / np.maximum(alpha, 1e-6), np.ones_like(alpha)], -1)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _mix(a: Pixels, b: Pixels, share: float, out: Pixels) -> None:
    k = np.float32(share)
    for y in nb.prange(a.shape[0]):
        for x in range(a.shape[1]):
            for c in range(4):
                out[y, x, c] = a[y, x, c] + (b[y, x, c] - a[y, x, c]) * k


def mix(a: Picture, b: Picture, share: float) -> Picture:
    """a at share 0, b at share 1, between them straight in linear light."""
    window = a.window.join(b.window)
    if window.empty:
        return a
    out = np.empty((window.height, window.width, 4), np.float32)
    _mix(a.fill(window), b.fill(window), share, out)
    return Picture(out, window)
