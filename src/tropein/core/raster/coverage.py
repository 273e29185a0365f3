"""Coverage: how much of each pixel a matte holds, 0..1, over the whole frame."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.picture import SPARSE, Picture, Window, bounds, nothing
from tropein.core.raster.warp import Edge, Matrix, Move, Quality, moved_pixels, whole_shift

Plane = NDArray[np.float32]


@nb.njit(cache=True, nogil=True)
def _spans(plane, x0, spans):  # type: ignore[no-untyped-def]
    h, w = plane.shape
    inside = 0
    for y in range(h):
        first, last = 0, w
        while first < last and plane[y, first] == 0:
            first += 1
        while last > first and plane[y, last - 1] == 0:
            last -= 1
        spans[y, 0], spans[y, 1] = x0 + first, x0 + last
        inside += last - first
    return inside


@dataclass(frozen=True, eq=False)
class Coverage:
    """plane: (h, w) float32 in 0..1 filling `window`. Beyond the window it goes on as at its border. Never written to
    after it was made."""

    plane: Plane
    window: Window

    @property
    def nbytes(self) -> int:
        return self.plane.nbytes

    @cached_property
    def spans(self) -> NDArray[np.int32] | None:
        """(h, 2): from and to which column of the frame anything is covered in each row; None where that would leave out little."""
        h, w = self.plane.shape
        spans = np.empty((h, 2), np.int32)
        inside = _spans(self.plane, self.window.x0, spans)
        return spans if inside < SPARSE * h * w else None

    def shown(self) -> Picture:
        """As a grey opaque picture."""
        pixels = np.ones((*self.plane.shape, 4), np.float32)
        pixels[..., :3] = self.plane[..., None]
        return Picture(pixels, self.window)


def full(window: Window, value: float = 1.0) -> Coverage:
    return Coverage(np.full((window.height, window.width), value, np.float32), window)


def placed(coverage: Coverage, moves: Sequence[Move], frame: Window, quality: Quality, edge: Edge) -> Coverage:
    """Coverage of a picture's own pixels where that is seen in a frame, the mean of several moves; nothing where it does not reach."""
    still = len(moves) == 1 and moves[0].bending is None and edge == "nothing"
    shift = whole_shift(moves[0].matrix) if still else None
    if shift is not None and coverage.window.moved(*shift) == frame:
        return Coverage(coverage.plane, frame)
    out, share = np.zeros((frame.height, frame.width), np.float32), np.float32(1 / len(moves))
    for move in moves:
        part, w = moved_pixels(
            coverage.plane, coverage.window, move, frame, quality if len(moves) == 1 else "draft", edge
        )
        if not w.empty:
            out[w.y0 - frame.y0 : w.y1 - frame.y0, w.x0 - frame.x0 : w.x1 - frame.x0] += share * np.clip(part, 0, 1)
    return Coverage(out, frame)


def of_picture(picture: Picture, window: Window, channel: int = 3) -> Coverage:
    """One channel of a picture; nothing where the picture does not reach."""
    return Coverage(np.clip(picture.fill(window)[..., channel], 0, 1), window)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _combine(base, piece, how, opacity, invert):  # type: ignore[no-untyped-def]
    k, one = np.float32(opacity), np.float32(1)
    for y in nb.prange(base.shape[0]):
        for x in range(base.shape[1]):
            p = piece[y, x]
            p = (one - p if invert else p) * k
            b = base[y, x]
            if how == 0:
                base[y, x] = b + p - b * p
            elif how == 1:
                base[y, x] = b * (one - p)
            else:
                base[y, x] = b * p


@dataclass(frozen=True)
class Joining:
    """How a piece joins those before it: add, subtract or intersect."""

    how: str
    opacity: float = 1.0
    invert: bool = False


def combine(pieces: Sequence[Coverage], joinings: Sequence[Joining], window: Window) -> Coverage:
    """Pieces one after another. Pixels are thought covered at random within themselves: a union is a + b - ab. A first
    piece that takes away takes it from everything."""
    if not pieces:
        return full(window, 0.0)
    if len(pieces) == 1 and joinings[0] == Joining("add"):
        return pieces[0]
    base = full(window, 0.0 if joinings[0].how == "add" else 1.0).plane
    for piece, j in zip(pieces, joinings, strict=True):
        _combine(base, piece.plane, ("add", "subtract", "intersect").index(j.how), j.opacity, j.invert)
    return Coverage(base, window)


def inverted(coverage: Coverage) -> Coverage:
    return Coverage(1 - coverage.plane, coverage.window)


def product(parts: Sequence[Coverage]) -> Coverage:
    plane = parts[0].plane
    for part in parts[1:]:
        plane = plane * part.plane
    return Coverage(plane, parts[0].window)


def mean(parts: Sequence[Coverage]) -> Coverage:
    """What motion blur is: the average over the open shutter."""
    if len(parts) == 1:
        return parts[0]
    return Coverage(np.mean([p.plane for p in parts], axis=0, dtype=np.float32), parts[0].window)


def _disc(radius: float) -> NDArray[np.uint8]:
    r = math.ceil(radius)
    y, x = np.ogrid[-r : r + 1, -r : r + 1]
    return (x * x + y * y <= radius * radius + 0.25).astype(np.uint8)


def grown(coverage: Coverage, by_px: float) -> Coverage:
    """The edge moved out by `by_px`, or in where that is negative, keeping its softness; between whole pixels straight."""
    if abs(by_px) < 1e-3:
        return coverage
    # a wide change is made on a reduced plane: its edge is smooth at that scale
    size = abs(by_px)
    step = 2 ** max(0, math.ceil(math.log2(size / 24))) if size > 24 else 1
    return _where_covered(coverage, math.ceil(size) + 2 * step, step, lambda plane: _grown(plane, by_px, step))


def _grown(plane: Plane, by_px: float, step: int) -> Plane:
    change, size = cv2.dilate if by_px > 0 else cv2.erode, abs(by_px)
    if step > 1:
        h, w = plane.shape
        small = cv2.resize(plane, (max(1, w // step), max(1, h // step)), interpolation=cv2.INTER_AREA)
        done = change(small, _disc(size / step), borderType=cv2.BORDER_REPLICATE)
        return cv2.resize(done, (w, h), interpolation=cv2.INTER_LINEAR)
    low, share = math.floor(size), size - math.floor(size)
    below = change(plane, _disc(low), borderType=cv2.BORDER_REPLICATE) if low else plane
    if share < 1e-3:
        return below
    above = change(plane, _disc(low + 1), borderType=cv2.BORDER_REPLICATE)
    return cv2.addWeighted(below, 1 - share, above, share, 0)


def softened(coverage: Coverage, sigma_px: float) -> Coverage:
    """Blurred by a Gaussian; the border goes on outside."""
    if sigma_px < 0.05:
        return coverage
    step = 2 ** int(math.log2(sigma_px / 3)) if sigma_px > 6 else 1
    reach = math.ceil(4 * sigma_px) + 2 * step
    return _where_covered(coverage, reach, step, lambda plane: _blurred(plane, sigma_px, step))


def _where_covered(coverage: Coverage, reach: int, step: int, change: Callable[[Plane], Plane]) -> Coverage:
    """Changed within `reach` of what is covered, a whole number of steps from the corner; elsewhere nothing stays nothing."""
    inner = _around(coverage, reach, step)
    if inner is None:
        return Coverage(change(coverage.plane), coverage.window)
    plane = np.zeros(coverage.plane.shape, np.float32)
    if coverage.plane[inner].size:
        plane[inner] = change(np.ascontiguousarray(coverage.plane[inner]))
    return Coverage(plane, coverage.window)


def _around(coverage: Coverage, reach: int, step: int) -> tuple[slice, slice] | None:
    """The rows and columns within `reach` of what is covered, a whole number of steps from the corner; None where that is most of it."""
    if coverage.spans is None:
        return None
    h, w = coverage.plane.shape
    there = bounds(coverage.spans - coverage.window.x0, 0)
    if there.empty:
        return slice(0, 0), slice(0, 0)
    low = [max(0, v - reach) // step * step for v in (there.y0, there.x0)]
    high = [min(side, -(-(v + reach) // step) * step) for v, side in ((there.y1, h), (there.x1, w))]
    return slice(low[0], high[0]), slice(low[1], high[1])


def _blurred(plane: Plane, sigma_px: float, step: int) -> Plane:
    h, w = plane.shape
    if step > 1:
        plane = cv2.resize(plane, (max(1, w // step), max(1, h // step)), interpolation=cv2.INTER_AREA)
    blurred = cv2.GaussianBlur(plane, (0, 0), sigma_px / step, borderType=cv2.BORDER_REPLICATE)
    if step > 1:
        blurred = cv2.resize(blurred, (w, h), interpolation=cv2.INTER_LINEAR)
    return np.clip(blurred, 0, 1)


def near(picture: Picture, coverage: Coverage, reach: float) -> Picture:
    """The part of a picture within `reach` pixels of what is covered, or all of it where that is most. It begins a whole number of blocks from the
    picture's corner, so that what is made on fewer pixels is made on the same ones."""
    w, spans = picture.window, coverage.spans
    if spans is None or coverage.window.meet(w) != w:
        return picture
    there = bounds(spans, coverage.window.y0)
    if there.empty:
        return nothing()
    box = there.grow(math.ceil(reach))
    left, top = ((at - start) // BLOCK * BLOCK + start for at, start in ((box.x0, w.x0), (box.y0, w.y0)))
    box = Window(left, top, box.x1, box.y1).meet(w)
    if box.width * box.height > MOST_NEAR * w.width * w.height:
        return picture
    return Picture(np.ascontiguousarray(picture.crop(box).pixels), box) if not box.empty else nothing()


BLOCK, MOST_NEAR = 64, 0.7


def seen_from(coverage: Coverage, matrix: Matrix, window: Window) -> Coverage:
    """The coverage over `window` of a picture that `matrix` (3x3) takes to the coverage's own pixels."""
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1]])
    own = np.array([[1, 0, -coverage.window.x0 - 0.5], [0, 1, -coverage.window.y0 - 0.5], [0, 0, 1]])
    there = np.array([[1, 0, window.x0], [0, 1, window.y0], [0, 0, 1]])
    to_own = own @ matrix @ there @ half
    plane = cv2.warpPerspective(
        coverage.plane, to_own, (window.width, window.height), flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP,
        borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    return Coverage(plane, window)


def over(coverage: Coverage, window: Window) -> Plane:
    """(h, w) of a window, which goes on beyond the coverage's own as at its border."""
    own = coverage.window
    if own == window:
        return coverage.plane
    rows = np.clip(np.arange(window.y0, window.y1) - own.y0, 0, own.height - 1)
    columns = np.clip(np.arange(window.x0, window.x1) - own.x0, 0, own.width - 1)
    return np.ascontiguousarray(coverage.plane[rows[:, None], columns[None]])


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _cut(pixels, plane, y0, x0, out):  # type: ignore[no-untyped-def]
    h, w = plane.shape
    for y in nb.prange(pixels.shape[0]):
        row = min(max(y + y0, 0), h - 1)
        for x in range(pixels.shape[1]):
            k = plane[row, min(max(x + x0, 0), w - 1)]
            for c in range(4):
                out[y, x, c] = pixels[y, x, c] * k


def cut(picture: Picture, coverage: Coverage) -> Picture:
    """The picture where it is covered, colour and alpha alike."""
    out = np.empty_like(picture.pixels)
    at, own = picture.window, coverage.window
    _cut(np.ascontiguousarray(picture.pixels), coverage.plane, at.y0 - own.y0, at.x0 - own.x0, out)
    return Picture(out, at)


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _mix_where(a, b, plane, y0, x0, share, out):  # type: ignore[no-untyped-def]
    h, w = plane.shape
    for y in nb.prange(a.shape[0]):
        row = min(max(y + y0, 0), h - 1)
        for x in range(a.shape[1]):
            k = plane[row, min(max(x + x0, 0), w - 1)] * np.float32(share)
            for c in range(4):
                out[y, x, c] = a[y, x, c] + (b[y, x, c] - a[y, x, c]) * k


def mix_where(a: Picture, b: Picture, coverage: Coverage, share: float = 1.0) -> Picture:
    """b where it is covered, a elsewhere."""
    window = a.window.join(b.window)
    if window.empty:
        return a
    out = np.empty((window.height, window.width, 4), np.float32)
    own = coverage.window
    first, second = (p.pixels if p.window == window else p.fill(window) for p in (a, b))
    _mix_where(np.ascontiguousarray(first), np.ascontiguousarray(second), coverage.plane, window.y0 - own.y0, window.x0 - own.x0, share, out)  # fmt: skip
    return Picture(out, window)
