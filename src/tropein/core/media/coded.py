"""A frame of footage as it is coded, and how it becomes light: as a picture, or row by row."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster import yuv
from tropein.core.raster.colour import DISPLAY, WORKING, code_table, from_codes, per_channel
from tropein.core.raster.picture import Picture, Pixels, Window
from tropein.core.rows import coded as kernels
from tropein.core.rows import loads
from tropein.core.rows.op import Op

Load = Callable[[int, Window], Op]  # of a register and the window in which the picture lies


@dataclass(frozen=True, eq=False)
class Coded:
    """What was read of one frame: `what` are planes of luma and chroma, RGB codes (h, w, 3 or 4), or linear pixels that need nothing more;
    `scale`: its pixels per pixel of the footage."""

    what: yuv.Planes | NDArray[Any]
    space: str
    scale: float = 1.0

    @property
    def nbytes(self) -> int:
        if isinstance(self.what, yuv.Planes):
            planes = (self.what.y, self.what.u, self.what.v, self.what.alpha)
            return sum(p.nbytes for p in planes if p is not None)
        return self.what.nbytes

    @property
    def window(self) -> Window:
        h, w = self.what.y.shape if isinstance(self.what, yuv.Planes) else self.what.shape[:2]
        return Window(0, 0, w, h)

    @property
    def opaque(self) -> bool:
        """Whether it is known to cover everywhere."""
        if isinstance(self.what, yuv.Planes):
            return self.what.alpha is None
        return self.what.dtype != np.float32 and self.what.shape[2] == 3

    def of(self, size: tuple[int, int]) -> Coded:
        """The same, of footage of this size."""
        return replace(self, scale=self.window.width / size[0])

    def reduced(self, scale: float) -> Coded:
        """At a smaller scale of the footage, as it is coded, as proxies were made smaller; the same where it is no RGB codes without alpha. It has
        whole pixels: its far edges lie up to half of one from where they belong."""
        ratio, codes = scale / self.scale, self.what
        if isinstance(codes, yuv.Planes) or not self.opaque or ratio > 1 - 1e-3:
            return self
        size = max(1, round(self.window.width * ratio)), max(1, round(self.window.height * ratio))
        how = cv2.INTER_CUBIC if ratio > 0.5 else cv2.INTER_AREA
        return replace(self, what=cv2.resize(codes, size, interpolation=how), scale=scale)

    def picture(self) -> Picture:
        return Picture(self._pixels(), self.window)

    def _pixels(self) -> Pixels:
        if isinstance(self.what, yuv.Planes):
            return yuv.to_linear(self.what, self.space)
        return self.what if self.what.dtype == np.float32 else from_codes(self.what, self.space)

    @property
    def displayed(self) -> bool:
        """Whether its codes are display values that cover everywhere."""
        return self.space == DISPLAY and self.opaque

    def load(self, as_displayed: bool = False) -> Load | None:
        """How it comes into a register, straight from its codes, as light or as the display values they are; None where it has to become a picture first."""
        if isinstance(self.what, yuv.Planes):
            return _planes(self.what, self.space, as_displayed) if per_channel(self.space, WORKING) else None
        if self.what.dtype == np.float32 or not per_channel(self.space, WORKING):
            return None
        return _codes(self.what, self.space, as_displayed)


@lru_cache(2)
def _steps(bits: int) -> NDArray[np.float32]:
    """Codes as parts of the highest."""
    return np.linspace(0, 1, 1 << bits, dtype=np.float32)


def _codes(codes: NDArray[Any], space: str, as_displayed: bool) -> Load:
    h, w, n = codes.shape
    bits = 8 * codes.dtype.itemsize
    curve = _steps(bits) if as_displayed else code_table(space, bits)
    kernel = loads.load_bytes if codes.dtype == np.uint8 else loads.load_words
    codes = np.ascontiguousarray(codes)
    return lambda register, window: Op(
        kernel, window, (register, w * n, window.x0, window.y0, n), arrays=(codes, curve)
    )


def _planes(p: yuv.Planes, space: str, as_displayed: bool) -> Load | None:
    (h, w), (ch, cw) = p.y.shape, p.u.shape
    steps = -(-w // cw), -(-h // ch)
    if max(steps) > 2:
        return None
    by_arithmetic = space == DISPLAY
    curve = np.zeros(1, np.float32) if by_arithmetic else code_table(space, yuv.FINE_BITS.get(p.bits, 16))
    kind = kernels.DISPLAY_CURVE if by_arithmetic else kernels.TABLE
    if space == WORKING or as_displayed:
        kind = kernels.NO_CURVE
    k = yuv.levels(p)
    across, down = yuv.SITINGS.get(p.siting, yuv.SITINGS["left"])
    numbers = (
        k.y_gain, k.y_low, k.middle, 1 / k.top,
        0, -k.u_to_green, k.u_to_blue, 0,
        k.v_to_red, -k.v_to_green, 0, 0,
        across, down if steps[1] == 2 else 0,
    )  # fmt: skip
    ints = (w, cw, ch, kind, *steps, curve.size)
    kernel = kernels.load_coded_bytes if p.y.dtype == np.uint8 else kernels.load_coded_words
    none = np.zeros(0, np.uint8)
    arrays = (p.y, p.u, p.v, none if p.alpha is None else p.alpha, curve)
    alpha = int(p.alpha is not None)
    return lambda register, window: Op(kernel, window, (register, alpha, window.x0, window.y0, *ints), numbers, arrays)
