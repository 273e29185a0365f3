"""Colour in and out through OpenColorIO, and the tables that make it fast.

A table samples a per-channel curve at the 32768 non-negative floats whose low 16 bits are zero (so in steps of a 128th
of an octave); reading it between entries is linear. Against the exact curve the error is below 2e-5 of full scale.
"""

from __future__ import annotations

from collections.abc import Callable
from functools import lru_cache
from typing import Any

import numba as nb
import numpy as np
import PyOpenColorIO as ocio
from numpy.typing import NDArray

from tropein.core.errors import BadInput
from tropein.core.raster.picture import Pixels
from tropein.core.raster.video_spaces import with_video

Table = NDArray[np.float32]

CONFIG = "ocio://cg-config-v2.1.0_aces-v1.3_ocio-v2.3"
WORKING = "Linear Rec.709 (sRGB)"
DISPLAY = "sRGB - Texture"
LUMA = np.array([0.2126, 0.7152, 0.0722], np.float32)  # Rec.709
GRID: Table = (np.arange(32769, dtype=np.uint32) << 16).clip(max=0x7F7F0000).astype(np.uint32).view(np.float32)


@lru_cache(1)
def config() -> ocio.Config:
    """The colour configuration that ships inside the OpenColorIO package, with spaces of video."""
    return with_video(ocio.Config.CreateFromFile(CONFIG))


def spaces() -> list[str]:
    """The names of colour spaces footage can be tagged with."""
    return [space.getName() for space in config().getColorSpaces()]


@lru_cache(32)
def _processor(source: str, target: str) -> ocio.CPUProcessor:
    try:
        return config().getProcessor(source, target).getDefaultCPUProcessor()
    except ocio.Exception as error:
        raise BadInput(f"The colour space {source!r} is not known.") from error


def convert(rgb: Pixels, source: str, target: str) -> Pixels:
    """(..., 3) float32 from one colour space to another, a new array."""
    out = np.ascontiguousarray(rgb, np.float32).copy()
    if out.size:
        _processor(source, target).applyRGB(out.reshape(-1, 3))
    return out


@lru_cache(32)
def per_channel(source: str, target: str) -> bool:
    """Whether the conversion treats each channel alike and apart, so that a table can stand for it."""
    probe = np.array([[0.2, 0.2, 0.2], [0.2, 0.5, 0.8], [0.8, 0.8, 0.8], [0.5, 0.5, 0.5]], np.float32)
    r = convert(probe, source, target)
    return bool(np.allclose(r[1], [r[0, 0], r[3, 0], r[2, 0]], atol=1e-4) and np.allclose(r[0], r[0, 0], atol=1e-4))


def tabulate(curve: Callable[[Table], Table]) -> Table:
    """A table of a vectorised curve over GRID."""
    return np.ascontiguousarray(np.nan_to_num(curve(GRID), posinf=1e6, neginf=-1e6), np.float32)


@lru_cache(8)
def table(source: str, target: str) -> Table:
    """The table of a per-channel conversion."""

    def curve(x: Table) -> Table:
        return convert(np.repeat(x[:, None], 3, 1), source, target)[:, 0]

    return tabulate(curve)


@lru_cache(32)
def code_table(space: str, bits: int) -> Table:
    """Linear value of every integer code of so many bits of a per-channel space."""
    codes = np.arange(1 << bits, dtype=np.float32) / ((1 << bits) - 1)
    return np.ascontiguousarray(convert(np.repeat(codes[:, None], 3, 1), space, WORKING)[:, 0])


def encode_table() -> Table:
    """Working space to display encoding."""
    return table(WORKING, DISPLAY)


def decode_table() -> Table:
    """Display encoding to working space."""
    return table(DISPLAY, WORKING)


@nb.njit(inline="always")
def look_up(bits: np.uint32, curve: Table) -> np.float32:
    """The table's value at the non-negative float32 with these bits."""
    i = bits >> np.uint32(16)
    f = np.float32(bits & np.uint32(0xFFFF)) * np.float32(1.0 / 65536.0)
    return curve[i] + f * (curve[i + np.uint32(1)] - curve[i])


@nb.njit(inline="always")
def look_up_above(value: np.float32, bits: np.uint32, curve: Table) -> np.float32:
    """The same of any float32: what is below 0 as 0."""
    return look_up(bits, curve) if value > np.float32(0) else np.float32(0)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _looked_up(values: Table, bits: NDArray[np.uint32], curve: Table, out: Table) -> None:
    for y in nb.prange(values.shape[0]):
        for x in range(values.shape[1]):
            out[y, x] = look_up_above(values[y, x], bits[y, x], curve)


def looked_up(values: NDArray[np.float32], curve: Table) -> NDArray[np.float32]:
    """(h, ...) values, what is below 0 as 0, through a table over GRID."""
    flat = np.ascontiguousarray(values).reshape(len(values), -1)
    out = np.empty_like(flat)
    _looked_up(flat, flat.view(np.uint32), curve, out)
    return out.reshape(values.shape)


def encoded(light: NDArray[np.float32]) -> NDArray[np.float32]:
    """Linear values as a display shows them, (h, ...)."""
    return looked_up(light, encode_table())


def decoded(display: NDArray[np.float32]) -> NDArray[np.float32]:
    """Values as a display shows them, (h, ...), as light."""
    return looked_up(display, decode_table())


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _to_codes(pixels: Pixels, bits: NDArray[np.uint32], curve: Table, top: float, out: NDArray[Any]) -> None:
    h, w, _ = pixels.shape
    half, high = np.float32(0.5), np.float32(top)
    for y in nb.prange(h):
        for x in range(w):
            for c in range(3):
                v = np.float32(0.0)
                if pixels[y, x, c] > np.float32(0.0):
                    v = look_up(bits[y, x, c], curve) * high
                out[y, x, c] = min(max(v, np.float32(0.0)), high) + half


_BYTES_LOW, _BYTES_TOP = np.uint32(0x39000000 >> 12), np.uint32(0x3F800000 >> 12)  # 2^-13, which shows as 0, and 1


@lru_cache(1)
def _byte_table() -> NDArray[np.uint8]:
    """The display byte of every float32 from 2^-13 to 1 whose low 12 bits are those of the middle of its step."""
    bits = (np.arange(_BYTES_LOW, _BYTES_TOP + 1, dtype=np.uint32) << 12) + np.uint32(0x800)
    values = np.minimum(bits.view(np.float32), np.float32(1))
    return np.rint(convert(np.repeat(values[:, None], 3, 1), WORKING, DISPLAY)[:, 0] * 255).astype(np.uint8)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _to_bytes(bits: NDArray[np.int32], codes: NDArray[np.uint8], low: int, out: NDArray[np.uint8]) -> None:
    h, w, _ = bits.shape
    first, last = np.int32(low), np.int32(codes.size - 1)
    for y in nb.prange(h):
        for x in range(w):
            for c in range(3):  # negative floats are negative integers too: both ends are clamped at once
                out[y, x, c] = codes[min(max((bits[y, x, c] >> 12) - first, np.int32(0)), last)]


def to_display(pixels: Pixels, dtype: type = np.uint8) -> NDArray[Any]:
    """(h, w, 4) linear pixels over black as display-encoded (h, w, 3) integers, uint8 or uint16."""
    pixels = np.ascontiguousarray(pixels)
    out: NDArray[Any] = np.empty((*pixels.shape[:2], 3), dtype)
    if out.dtype == np.uint8:
        _to_bytes(pixels.view(np.int32), _byte_table(), int(_BYTES_LOW), out)
        return out
    _to_codes(pixels, pixels.view(np.uint32), encode_table(), float(np.iinfo(dtype).max), out)
    return out


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _from_codes(codes: NDArray[Any], curve: Table, out: Pixels) -> None:
    h, w, n = codes.shape
    top = np.float32(1.0) / np.float32(curve.size - 1)
    for y in nb.prange(h):
        for x in range(w):
            a = np.float32(1.0)
            if n == 4:
                a = np.float32(codes[y, x, 3]) * top
            for c in range(3):
                out[y, x, c] = curve[codes[y, x, c]] * a
            out[y, x, 3] = a


def from_codes(codes: NDArray[Any], space: str) -> Pixels:
    """(h, w, 3 or 4) uint8 or uint16 codes with straight alpha as linear premultiplied (h, w, 4) float32."""
    bits = 8 * codes.dtype.itemsize
    if per_channel(space, WORKING):
        out = np.empty((*codes.shape[:2], 4), np.float32)
        _from_codes(np.ascontiguousarray(codes), code_table(space, bits), out)
        return out
    return from_float(codes.astype(np.float32) / ((1 << bits) - 1), space)


def to_codes(pixels: Pixels, space: str) -> NDArray[np.uint8]:
    """(h, w, 4) linear pixels over black as (h, w, 3) bytes of any colour space."""
    values = convert(pixels[..., :3], WORKING, space)
    return np.rint(np.clip(np.nan_to_num(values), 0, 1) * 255).astype(np.uint8)


def from_float(values: Pixels, space: str, premultiplied: bool = False) -> Pixels:
    """(h, w, 3 or 4) floats in a colour space as linear premultiplied (h, w, 4); NaN and infinities become 0."""
    values = np.nan_to_num(np.asarray(values, np.float32), nan=0.0, posinf=65504.0, neginf=0.0)
    alpha = np.clip(values[..., 3:4], 0, 1) if values.shape[2] == 4 else np.ones((*values.shape[:2], 1), np.float32)
    rgb = np.maximum(convert(values[..., :3], space, WORKING), 0)
    return np.ascontiguousarray(np.concatenate([rgb if premultiplied else rgb * alpha, alpha], 2), np.float32)
