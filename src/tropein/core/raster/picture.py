"""A Picture: pixels and the window they fill."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numba as nb
import numpy as np
from numpy.typing import NDArray

Pixels = NDArray[np.float32]


@dataclass(frozen=True)
class Window:
    """A rectangle of whole pixels at some scale: x0, y0 inside, x1, y1 just outside."""

    x0: int
    y0: int
    x1: int
    y1: int

    @property
    def width(self) -> int:
        return max(0, self.x1 - self.x0)

    @property
    def height(self) -> int:
        return max(0, self.y1 - self.y0)

    @property
    def empty(self) -> bool:
        return self.x1 <= self.x0 or self.y1 <= self.y0

    def meet(self, other: Window) -> Window:
        """What both cover; may be empty."""
        return Window(max(self.x0, other.x0), max(self.y0, other.y0), min(self.x1, other.x1), min(self.y1, other.y1))

    def join(self, other: Window) -> Window:
        """The smallest window that holds both."""
        if self.empty or other.empty:
            return other if self.empty else self
        return Window(min(self.x0, other.x0), min(self.y0, other.y0), max(self.x1, other.x1), max(self.y1, other.y1))

    def moved(self, x: int, y: int) -> Window:
        return Window(self.x0 + x, self.y0 + y, self.x1 + x, self.y1 + y)

    def grow(self, by: int) -> Window:
        return Window(self.x0 - by, self.y0 - by, self.x1 + by, self.y1 + by)


@dataclass(frozen=True, eq=False)
class Picture:
    """Pixels in a window; outside it everything is transparent.

    pixels: (h, w, 4) float32, C-contiguous, scene-linear Rec.709, premultiplied alpha in 0..1. Never written to after
    it was made: pictures are shared through the cache.
    """

    pixels: Pixels
    window: Window

    @property
    def nbytes(self) -> int:
        return self.pixels.nbytes

    def crop(self, window: Window) -> Picture:
        """The part inside `window`, a view where possible."""
        part = self.window.meet(window)
        if part == self.window:
            return self
        if part.empty:
            return nothing()
        x, y = part.x0 - self.window.x0, part.y0 - self.window.y0
        return Picture(self.pixels[y : y + part.height, x : x + part.width], part)

    def moved(self, x: int, y: int) -> Picture:
        """The same, so many pixels to the right and down."""
        return Picture(self.pixels, self.window.moved(x, y)) if x or y else self

    def fill(self, window: Window) -> Pixels:
        """A new array exactly as large as `window`, transparent where this picture has nothing."""
        out = np.zeros((window.height, window.width, 4), np.float32)
        part = self.crop(window)
        if not part.window.empty:
            y, x = part.window.y0 - window.y0, part.window.x0 - window.x0
            out[y : y + part.window.height, x : x + part.window.width] = part.pixels
        return out

    @cached_property
    def extent(self) -> Extent:
        """Found out when it is first asked for."""
        h, w = self.pixels.shape[:2]
        spans = np.empty((h, 2), np.int32)
        whole, inside = _spans(self.pixels, self.window.x0, spans)
        return Extent(whole, spans if inside < SPARSE * h * w else None)

    def known(self, extent: Extent) -> Picture:
        """The same, for whoever knows its extent."""
        self.__dict__["extent"] = extent
        return self

    @property
    def opaque(self) -> bool:
        """Whether the border has full alpha: such a picture keeps its edges when it is blurred."""
        if self.window.empty:
            return False
        alpha = self.pixels[..., 3]
        return all(float(edge.min()) > 0.999 for edge in (alpha[0], alpha[-1], alpha[:, 0], alpha[:, -1]))


@dataclass(frozen=True, eq=False)
class Extent:
    """Where a picture has anything. whole: full coverage everywhere; spans: (h, 2) int32, from and to which column of the frame there is
    anything in each row of its window, or None where that would leave out little."""

    whole: bool
    spans: NDArray[np.int32] | None = None


def bounds(spans: NDArray[np.int32], y0: int) -> Window:
    """The smallest window about rows of columns (h, 2), the first of them row `y0`; empty where none holds anything."""
    rows = np.flatnonzero(spans[:, 1] > spans[:, 0])
    if not rows.size:
        return Window(0, 0, 0, 0)
    left, right = int(spans[rows, 0].min()), int(spans[rows, 1].max())
    return Window(left, y0 + int(rows[0]), right, y0 + int(rows[-1]) + 1)


@nb.njit(inline="always")
def _clear(pixels, y, x):  # type: ignore[no-untyped-def]
    p = pixels[y, x]
    return p[0] == 0 and p[1] == 0 and p[2] == 0 and p[3] == 0


@nb.njit(cache=True, nogil=True)
def _spans(pixels, x0, spans):  # type: ignore[no-untyped-def]
    """Fills `spans`; says whether coverage is full everywhere, and how many pixels lie within."""
    h, w, _ = pixels.shape
    whole, inside = True, 0
    for y in range(h):
        first, last = 0, w
        while first < last and _clear(pixels, y, first):
            first += 1
        while last > first and _clear(pixels, y, last - 1):
            last -= 1
        spans[y, 0], spans[y, 1] = x0 + first, x0 + last
        inside += last - first
        if whole:
            for x in range(w):
                if pixels[y, x, 3] < 1:
                    whole = False
                    break
    return whole, inside


SPARSE = 0.9


def nothing() -> Picture:
    """The empty picture."""
    return Picture(np.zeros((0, 0, 4), np.float32), Window(0, 0, 0, 0))


def over_checker(pixels: Pixels) -> Pixels:
    """(h, w, 4) linear pixels laid over a faint grey checker, so that transparency shows; alpha stays as it was."""
    h, w = pixels.shape[:2]
    yy, xx = np.mgrid[0:h, 0:w] // 8
    grey = np.where((yy + xx) % 2, 0.035, 0.022).astype(np.float32)[..., None]
    return np.concatenate([pixels[..., :3] + grey * (1 - pixels[..., 3:4]), pixels[..., 3:4]], 2)
