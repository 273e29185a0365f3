"""Matting by closed form, for what is open alone.

Levin, Lischinski & Weiss, A Closed-Form Solution to Natural Image Matting, 2008; solved by conjugate gradients, preconditioned by an incomplete
Cholesky factor without fill-in (Meijerink & van der Vorst 1977; a diagonal that does not hold is raised, Manteuffel 1980). An open
pixel has at most twelve open neighbours before it, in reading order, so that the matrix and its factor are twelve columns beside their
diagonals, and each column is one way to go. (Neighbours are numbered without a sign, which spares the question whether they count from the end.)
"""

from __future__ import annotations

import numba as nb
import numpy as np
from numpy.typing import NDArray

Plane = NDArray[np.float32]
BEFORE = np.array(
    [(y, x) for y in (-2, -1, 0) for x in range(-2, 3) if (y, x) < (0, 0)]
)  # rows and columns to a neighbour
SHIFTS = (0.01, 0.03, 0.1, 0.5, 1.0)  # of the diagonal, tried in turn until the factor holds
WAYS = len(BEFORE)
TOLERANCE, MOST_ROUNDS = 1e-4, 300


def _column() -> NDArray[np.int64]:
    """(5, 5): which of BEFORE is so many rows and columns away, less two; -1 where none is."""
    columns = np.full((5, 5), -1, np.int64)
    for i, (y, x) in enumerate(BEFORE):
        columns[y + 2, x + 2] = i
    return columns


def _shared() -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """For each k of BEFORE the pairs (a, b) for which the neighbour a of a pixel is the neighbour b of its neighbour k: all pairs (n, 2), and where those
    of each k begin (13,)."""
    pairs, begin = [], [0]
    for k in range(len(BEFORE)):
        for a in range(k):
            y, x = BEFORE[a] - BEFORE[k]
            if abs(x) <= 2 and (y, x) < (0, 0):
                pairs.append((a, int(COLUMN[y + 2, x + 2])))
        begin.append(len(pairs))
    return np.array(pairs), np.array(begin)


COLUMN = _column()
PAIRS, BEGIN = _shared()
# which of BEFORE one of nine pixels is to another
SLOTS = np.array([[COLUMN[k // 3 - j // 3 + 2, k % 3 - j % 3 + 2] for k in range(9)] for j in range(9)])


def solved(
    picture: NDArray[np.uint8],
    known: NDArray[np.bool_],
    open_: NDArray[np.bool_],
    drawn: Plane,
    edge: Plane,
    smooth: float,
) -> NDArray[np.float64]:
    """Coverage of the open pixels, in reading order.

    picture: (h, w, 3) codes; known: (h, w) whether what is not open is covered; drawn: (h, w) how strongly each open pixel is drawn towards
    `edge`; smooth: of the variance of colours (0..1) within a window that is taken for noise.
    """
    ys, xs = np.nonzero(open_)
    n = len(ys)
    number = np.full(open_.shape, n, np.int32)
    number[ys, xs] = np.arange(n, dtype=np.int32)
    diagonal = drawn[ys, xs].astype(np.float64)
    wanted = diagonal * edge[ys, xs]
    before, columns = np.empty((n, WAYS), np.uint32), np.zeros((n, WAYS))
    _neighbours(number, ys, xs, BEFORE, before)
    _laplacian(picture, open_, known, smooth / 9, number, SLOTS, diagonal, columns, wanted)
    factor, roots = np.empty_like(columns), np.empty(n)
    for shift in SHIFTS:
        if _factor(diagonal, columns, before, 1 + shift, PAIRS, BEGIN, factor, roots):
            break
    else:  # the diagonal alone always holds
        factor[:], roots[:] = 0, 1 / np.sqrt(diagonal)
    found = np.zeros(n + 1)  # the last one stands for neighbours that are not open
    found[:n] = edge[ys, xs]
    _gradients(diagonal, columns, before, factor, roots, wanted, found, TOLERANCE, MOST_ROUNDS)
    return found[:n]


@nb.njit(cache=True, nogil=True)
def _neighbours(number, ys, xs, steps, before):  # type: ignore[no-untyped-def]
    h, w = number.shape
    for i in range(ys.size):
        for k in range(WAYS):
            y, x = ys[i] + steps[k, 0], xs[i] + steps[k, 1]
            before[i, k] = number[y, x] if 0 <= y < h and 0 <= x < w else ys.size


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _laplacian(picture, open_, known, noise, number, slots, diagonal, columns, wanted):  # type: ignore[no-untyped-def]
    """Adds the Laplacian's part among open pixels to `diagonal` and `columns`, and what is known beside them to `wanted`."""
    h, w = open_.shape
    colour, turned = np.empty((9, 3)), np.empty((9, 3))
    numbers, cover = np.empty(9, np.int64), np.empty(9)
    m = np.empty(3)
    for top in range(h - 2):
        last = -1  # of the columns that hold something open
        for left in range(-2, w - 2):
            right = left + 2
            if open_[top, right] or open_[top + 1, right] or open_[top + 2, right]:
                last = right
            if left < 0 or last < left:
                continue
            m[:] = 0
            for j in range(9):
                y, x = top + j // 3, left + j % 3
                numbers[j] = number[y, x] if open_[y, x] else -1
                cover[j] = 1.0 if known[y, x] else 0.0
                for c in range(3):
                    colour[j, c] = picture[y, x, c] * (1 / 255)
                    m[c] += colour[j, c] * (1 / 9)
            rr = gg = bb = 9 * noise
            rg = rb = gb = 0.0
            for j in range(9):
                for c in range(3):
                    colour[j, c] -= m[c]
                r, g, b = colour[j, 0], colour[j, 1], colour[j, 2]
                rr += r * r
                rg += r * g
                rb += r * b
                gg += g * g
                gb += g * b
                bb += b * b
            # the inverse of nine times the colours' covariance
            i_rr, i_rg, i_rb = gg * bb - gb * gb, rb * gb - rg * bb, rg * gb - rb * gg
            scale = 1 / (rr * i_rr + rg * i_rg + rb * i_rb)
            i_rr, i_rg, i_rb = i_rr * scale, i_rg * scale, i_rb * scale
            i_gg, i_gb, i_bb = (rr * bb - rb * rb) * scale, (rg * rb - rr * gb) * scale, (rr * gg - rg * rg) * scale
            for j in range(9):
                r, g, b = colour[j, 0], colour[j, 1], colour[j, 2]
                turned[j, 0] = i_rr * r + i_rg * g + i_rb * b
                turned[j, 1] = i_rg * r + i_gg * g + i_gb * b
                turned[j, 2] = i_rb * r + i_gb * g + i_bb * b
            for j in range(9):
                i = numbers[j]
                if i < 0:
                    continue
                r, g, b = colour[j, 0], colour[j, 1], colour[j, 2]
                for k in range(9):
                    if k > j and numbers[k] >= 0:
                        continue  # it is its neighbour's column
                    value = -(1 / 9 + r * turned[k, 0] + g * turned[k, 1] + b * turned[k, 2])
                    if k == j:
                        diagonal[i] += 1 + value
                    elif numbers[k] < 0:
                        wanted[i] -= value * cover[k]
                    else:
                        columns[i, slots[j, k]] += value


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _factor(diagonal, columns, before, raised, pairs, begin, factor, roots):  # type: ignore[no-untyped-def]
    """Fills the factor's columns and one over its diagonal; False where it does not hold."""
    n = diagonal.size
    for i in range(n):
        left = diagonal[i] * raised
        for k in range(WAYS):
            there = before[i, k]
            if there == n:
                factor[i, k] = 0
                continue
            value = columns[i, k]
            for p in range(begin[k], begin[k + 1]):
                value -= factor[i, pairs[p, 0]] * factor[there, pairs[p, 1]]
            value *= roots[there]
            factor[i, k] = value
            left -= value * value
        if not left > 1e-12:
            return False
        roots[i] = 1 / np.sqrt(left)
    return True


@nb.njit(nogil=True)
def _times(diagonal, columns, before, x, out):  # type: ignore[no-untyped-def]
    n = diagonal.size
    for i in range(n):
        out[i] = diagonal[i] * x[i]
    for i in range(n):
        total, own = 0.0, x[i]
        for k in range(WAYS):
            there, value = before[i, k], columns[i, k]
            total += value * x[there]
            out[there] += value * own
        out[i] += total


@nb.njit(nogil=True)
def _undone(factor, roots, before, r, out):  # type: ignore[no-untyped-def]
    """The preconditioner: forwards through the factor, and back."""
    n = roots.size
    out[n] = 0
    for i in range(n):
        value = r[i]
        for k in range(WAYS):
            value -= factor[i, k] * out[before[i, k]]
        out[i] = value * roots[i]
    for i in range(n - 1, -1, -1):
        value = out[i] * roots[i]
        out[i] = value
        for k in range(WAYS):
            out[before[i, k]] -= factor[i, k] * value


@nb.njit(cache=True, nogil=True, error_model="numpy")
def _gradients(diagonal, columns, before, factor, roots, wanted, x, tolerance, most):  # type: ignore[no-untyped-def]
    """Conjugate gradients from `x` (n + 1, the last one 0) on, until what is left is so little of `wanted` (n,)."""
    n = wanted.size
    way, there, z = np.zeros(n + 1), np.zeros(n + 1), np.zeros(n + 1)
    _times(diagonal, columns, before, x, there)
    left = wanted - there[:n]
    enough = tolerance * np.sqrt((wanted * wanted).sum())
    _undone(factor, roots, before, left, z)
    way[:n] = z[:n]
    size = (left * z[:n]).sum()
    for _ in range(most):
        if np.sqrt((left * left).sum()) <= enough:
            return
        _times(diagonal, columns, before, way, there)
        length = size / (way[:n] * there[:n]).sum()
        for i in range(n):
            x[i] += length * way[i]
            left[i] -= length * there[i]
        _undone(factor, roots, before, left, z)
        now = (left * z[:n]).sum()
        share, size = now / size, now
        for i in range(n):
            way[i] = z[i] + share * way[i]
