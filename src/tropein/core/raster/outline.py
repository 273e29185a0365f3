"""Filling outlines: exact coverage of every pixel, and soft edges whose width changes along the outline.

Exact coverage adds up, for each edge, the signed area to its right within each pixel (the accumulation of trapezoids used
by font rasterisers); where an outline crosses itself, what is wound once or more is inside.
"""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from tropein.core.raster.coverage import Coverage, Plane
from tropein.core.raster.picture import Window

WIDE_PX = 12  # a soft edge this wide on the reduced picture is smooth enough to enlarge
SOFT_FROM_PX, SOFT_FLATNESS_PX = 4.0, 0.15  # where the whole edge is soft, fewer pieces look the same
FLATNESS_PX = 0.02  # how far a flattened curve may stray
Points = NDArray[np.float64]


def flatten(at: Points, before: Points, after: Points, widths: Points, closed: bool, scale: float = 1.0) -> tuple[Points, Points]:  # fmt: skip
    """Cubic curves as straight pieces: vertices (m, 2), and `widths` (n, k) carried along them straight (m, k).

    at, before, after: (n, 2), handles counted from their points; scale: pixels per unit. A closed outline does not
    repeat its first vertex.
    """
    n = len(at)
    flatness = SOFT_FLATNESS_PX if len(widths) and widths.sum(1).min() * scale > SOFT_FROM_PX else FLATNESS_PX
    vertices, carried = [], []
    for i in range(n if closed else n - 1):
        j = (i + 1) % n
        p = np.array([at[i], at[i] + after[i], at[j] + before[j], at[j]])
        # the second difference bounds how far a cubic strays from its chords (Wang, 1984)
        bend = max(np.linalg.norm(p[0] - 2 * p[1] + p[2]), np.linalg.norm(p[1] - 2 * p[2] + p[3])) * scale
        parts = int(np.clip(np.ceil(np.sqrt(0.75 * bend / flatness)), 1, 200))
        t = np.arange(parts)[:, None] / parts
        s = 1 - t
        vertices.append(s**3 * p[0] + 3 * s * s * t * p[1] + 3 * s * t * t * p[2] + t**3 * p[3])
        carried.append(s * widths[i] + t * widths[j])
    if not closed:
        vertices.append(at[-1:])
        carried.append(widths[-1:])
    return np.concatenate(vertices), np.concatenate(carried)


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _area(vertices, acc):  # type: ignore[no-untyped-def]
    """Adds the signed cover and area of every edge; acc is (h, w + 1), to be summed along x."""
    h, w = acc.shape[0], acc.shape[1] - 1
    n = len(vertices)
    for i in range(n):
        ax, ay = vertices[i]
        bx, by = vertices[(i + 1) % n]
        sign = 1.0
        if ay > by:
            ax, ay, bx, by = bx, by, ax, ay
            sign = -1.0
        if ay == by or by <= 0 or ay >= h:
            continue
        slope = (bx - ax) / (by - ay)
        top, bottom = max(ay, 0.0), min(by, float(h))
        row = int(top)
        y = top
        while y < bottom:
            nxt = min(float(row + 1), bottom)
            x = ax + (y - ay) * slope
            x_end = ax + (nxt - ay) * slope
            _row(acc[row], w, x, x_end, (nxt - y) * sign)
            y = nxt
            row += 1


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _row(acc, w, x0, x1, dy):  # type: ignore[no-untyped-def]
    """One edge within one row: it goes from x0 to x1 while y rises by dy (its sign is the winding)."""
    if x0 > x1:
        x0, x1 = x1, x0
    span = x1 - x0
    if x0 >= w:
        return
    if x1 <= 0:
        acc[0] += dy
        return
    if x0 < 0:
        part = -x0 / span
        acc[0] += dy * part
        dy -= dy * part
        x0, span = 0.0, x1
    if x1 > w:
        dy *= (w - x0) / span
        x1 = float(w)
        span = w - x0
    first, last = int(x0), min(int(x1), w - 1)
    if first == last or span < 1e-12:
        middle = (x0 + x1) / 2 - first
        acc[first] += dy * (1 - middle)
        acc[first + 1] += dy * middle
        return
    per = dy / span
    x = x0
    for col in range(first, last + 1):
        end = min(float(col + 1), x1)
        share = per * (end - x)
        middle = (x + end) / 2 - col
        acc[col] += share * (1 - middle)
        acc[col + 1] += share * middle
        x = end


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _summed(acc, out):  # type: ignore[no-untyped-def]
    for y in nb.prange(out.shape[0]):
        total = 0.0
        for x in range(out.shape[1]):
            total += acc[y, x]
            cover = abs(total)
            out[y, x] = 0.0 if cover < 1e-9 else (1.0 if cover > 1 - 1e-9 else cover)  # what rounding left


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _soft(vertices, widths, closed, grow, stroke, out):  # type: ignore[no-untyped-def]
    """Replaces coverage near the outline by a ramp over the distance to it. widths: outer, inner of each vertex."""
    h, w = out.shape
    n = len(vertices)
    count = n if closed else n - 1
    for y in nb.prange(h):
        cy = y + 0.5
        near = np.full(w, np.inf)
        outer, inner = np.zeros(w), np.zeros(w)
        low, high = w, 0
        for i in range(count):
            j = (i + 1) % n
            ax, ay = vertices[i]
            bx, by = vertices[j]
            reach = max(max(widths[i, 0], widths[j, 0]), max(widths[i, 1], widths[j, 1])) + abs(grow) + 1.5
            off = max(max(min(ay, by) - cy, cy - max(ay, by)), 0.0)  # by how much the row misses the segment
            if off > reach:
                continue
            side = np.sqrt(reach * reach - off * off)
            left = max(0, int(min(ax, bx) - side))
            right = min(w, int(max(ax, bx) + side) + 2)
            low, high = min(low, left), max(high, right)
            ex, ey = bx - ax, by - ay
            length = ex * ex + ey * ey
            for x in range(left, right):
                px, py = x + 0.5 - ax, cy - ay
                t = 0.0
                if length > 0:
                    t = min(max((px * ex + py * ey) / length, 0.0), 1.0)
                dx, dy = px - t * ex, py - t * ey
                d = dx * dx + dy * dy
                if d < near[x]:
                    near[x] = d
                    outer[x] = widths[i, 0] + t * (widths[j, 0] - widths[i, 0])
                    inner[x] = widths[i, 1] + t * (widths[j, 1] - widths[i, 1])
        for x in range(low, high):
            if near[x] == np.inf:
                continue
            d = np.sqrt(near[x])
            inside = -d if stroke or out[y, x] < 0.5 else d
            inside += grow
            width = outer[x] + inner[x]
            hard = min(max(inside + 0.5, 0.0), 1.0)
            if grow == 0 and not stroke:
                hard = out[y, x]
            t = min(max((inside + outer[x]) / max(width, 1e-6), 0.0), 1.0)
            ramp = t * t * (3 - 2 * t)
            share = min(width, 1.0)  # below a pixel the hard edge is the truth
            out[y, x] = hard + (ramp - hard) * share


@nb.njit(cache=True, nogil=True, error_model="numpy")
def outline_spans(p, x0, x1, y0, spans):  # type: ignore[no-untyped-def]
    """Fills `spans` (h, 2) with the columns, within x0..x1, between which a convex outline p (n, 2) lies in each row from y0 on."""
    for row in range(spans.shape[0]):
        top, bottom = float(y0 + row), float(y0 + row + 1)
        low, high = np.inf, -np.inf
        for i in range(p.shape[0]):
            ax, ay = p[i]
            bx, by = p[(i + 1) % p.shape[0]]
            if max(ay, by) < top or min(ay, by) > bottom:
                continue
            for y in (top, bottom):
                share = 0.0 if by == ay else (min(max(y, min(ay, by)), max(ay, by)) - ay) / (by - ay)
                low, high = min(low, ax + share * (bx - ax)), max(high, ax + share * (bx - ax))
            if by == ay:
                low, high = min(low, bx), max(high, bx)
        if high < low:
            spans[row, 0], spans[row, 1] = x0, x0
        else:
            spans[row, 0] = min(max(np.floor(low) - 1, x0), x1)
            spans[row, 1] = min(max(np.ceil(high) + 1, x0), x1)


def area(vertices: Points, window: Window) -> Plane:
    """(h, w) exact coverage of the polygon `vertices` (n, 2), in pixels, its last point joined to its first."""
    out = np.zeros((window.height, window.width), np.float32)
    if len(vertices) < 3:
        return out
    low = np.floor(vertices.min(0)).astype(int)
    high = np.ceil(vertices.max(0)).astype(int) + 1
    part = Window(int(low[0]), int(low[1]), int(high[0]), int(high[1])).meet(window)
    if part.empty:
        return out
    acc = np.zeros((part.height, part.width + 1))
    _area(np.ascontiguousarray(vertices - (part.x0, part.y0)), acc)
    y, x = part.y0 - window.y0, part.x0 - window.x0
    _summed(acc, out[y : y + part.height, x : x + part.width])
    return out


def fill(vertices: Points, widths: Points, window: Window, *, closed: bool = True, grow: float = 0.0) -> Coverage:
    """Coverage of what an outline encloses, or of a stroke along it that reaches `grow` to each side.

    vertices (n, 2) and widths (n, 2: outer, inner) in pixels of `window`'s scale. Soft edges go from nothing, `outer`
    outside of the outline, to full, `inner` inside of it.
    """
    narrowest = float((widths[:, 0] + widths[:, 1]).min()) if len(widths) else 0.0
    if narrowest >= 2 * WIDE_PX and min(window.width, window.height) > 64:
        return _reduced(vertices, widths, window, closed, grow, 2 ** int(np.log2(narrowest / WIDE_PX)))
    out = area(vertices, window) if closed else np.zeros((window.height, window.width), np.float32)
    if closed and grow == 0 and not widths.any():
        return Coverage(out, window)
    local = np.ascontiguousarray(vertices - (window.x0, window.y0))
    _soft(local, np.ascontiguousarray(widths), closed, float(grow), not closed, out)
    return Coverage(out, window)


def _reduced(vertices: Points, widths: Points, window: Window, closed: bool, grow: float, step: int) -> Coverage:
    """A wide soft edge changes slowly: it is made on fewer pixels and enlarged."""
    across, down = -(-window.width // step) + 2, -(-window.height // step) + 2
    small = Window(-1, -1, across - 1, down - 1)
    local = (vertices - (window.x0, window.y0)) / step
    made = fill(local, widths / step, small, closed=closed, grow=grow / step).plane
    large = cv2.resize(made, (across * step, down * step), interpolation=cv2.INTER_LINEAR)
    return Coverage(np.ascontiguousarray(large[step : step + window.height, step : step + window.width]), window)
