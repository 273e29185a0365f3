"""Carrying out runs: operations over rows, rows over strips, strips over threads."""

from __future__ import annotations

from collections.abc import Sequence

import numba as nb
import numpy as np

from tropein.core.raster.picture import Window
from tropein.core.rows.op import ARRAYS, INTS, NUMBERS, PLANES, Op, at, call, carray

STRIP = 16  # rows a thread takes at a time: each takes every second strip, or third ...


@nb.njit(nogil=True, error_model="numpy")
def _rows(registers, first, last, address, window, numbers, ints, arrays, spans, width, x):  # type: ignore[no-untyped-def]
    row = registers.ctypes.data
    for y in range(first, last):
        for k in range(address.size):
            if window[k, 1] <= y < window[k, 3]:
                x0, x1 = window[k, 0], window[k, 2]
                if spans[k, 0] != 0:
                    span = carray(at(spans[k, 0], nb.int32), (y - spans[k, 1] + 1, 2))[y - spans[k, 1]]
                    x0, x1 = max(x0, np.int64(span[0])), min(x1, np.int64(span[1]))
                if x1 > x0:
                    call(
                        np.int64(address[k]), np.int64(row), np.int64(width), x0 - x, x1 - x, np.int64(x), np.int64(y),
                        np.int64(numbers[k].ctypes.data), np.int64(ints[k].ctypes.data), np.int64(arrays[k].ctypes.data),
                    )  # fmt: skip
    return registers[0]  # what is read afterwards is not freed before


@nb.njit(parallel=True, cache=True, nogil=True, error_model="numpy")
def _strips(address, window, numbers, ints, arrays, spans, width, x, top, bottom, threads):  # type: ignore[no-untyped-def]
    done = np.empty(threads, np.float32)  # what stores nothing is not shared out
    registers = np.zeros((threads, PLANES * width), np.float32)
    for t in nb.prange(threads):
        for first in range(top + t * STRIP, bottom, threads * STRIP):
            last = min(bottom, first + STRIP)
            done[t] = _rows(registers[t], first, last, address, window, numbers, ints, arrays, spans, width, x)
    return done


def perform(ops: Sequence[Op], region: Window) -> None:
    """Carry out operations on all rows of a region of the frame, one after another in each row."""
    ops = [op for op in ops if not op.window.meet(region).empty]
    if not ops or region.empty:
        return
    n = len(ops)
    address, window = np.empty(n, np.int64), np.empty((n, 4), np.int64)
    numbers, ints = np.zeros((n, NUMBERS), np.float32), np.zeros((n, INTS), np.int64)
    arrays, spans = np.zeros((n, ARRAYS), np.int64), np.zeros((n, 2), np.int64)
    for k, op in enumerate(ops):
        part = op.window.meet(region)
        address[k], window[k] = op.kernel.address, (part.x0, part.y0, part.x1, part.y1)
        numbers[k, : len(op.numbers)] = op.numbers
        ints[k, : len(op.ints)] = op.ints
        for i, array in enumerate(op.arrays):
            arrays[k, i] = array.ctypes.data
        if op.spans is not None:
            spans[k] = op.spans.ctypes.data, op.spans_from
    width = -(-region.width // 16) * 16 + 16  # rows of registers do not begin at like addresses of pages
    threads = min(nb.get_num_threads(), -(-region.height // STRIP))
    _strips(address, window, numbers, ints, arrays, spans, width, region.x0, region.y0, region.y1, threads)
