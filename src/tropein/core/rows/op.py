"""What an operation on rows is: a compiled function called by its address, where it works, and what it is given."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numba as nb
import numpy as np
from llvmlite import ir
from numba import carray as carray  # type: ignore[attr-defined]
from numba import types
from numba.extending import intrinsic
from numpy.typing import NDArray

from tropein.core.raster.picture import Window
from tropein.core.raster.srgb import FAST

REGISTERS = 6  # pictures a run can hold at once
SCRATCH = 12  # rows a function may write to
PLANES = REGISTERS * 4 + SCRATCH
NUMBERS, INTS, ARRAYS = 32, 16, 8

_pointer: Any = types.CPointer
_F, _I, i64 = _pointer(types.float32), _pointer(types.int64), types.int64
# (registers, their width; from and to which of their columns; the place of column 0 and of the row in the frame; what it is given)
SIGNATURE = types.void(_F, i64, i64, i64, i64, i64, _F, _I, _I)
FLAGS: dict[str, Any] = {"cache": True, "error_model": "numpy", "fastmath": FAST}


class Kernel:
    """A function on a row, compiled when it is first asked for. Arguments: see SIGNATURE."""

    def __init__(self, function: Callable[..., None]) -> None:
        self.function, self.name = function, function.__name__

    @cached_property
    def address(self) -> int:
        self._kept: Any = nb.cfunc(SIGNATURE, **FLAGS)(self.function)
        made: Any = self._kept
        return int(made.address)


@dataclass(frozen=True, eq=False)
class Op:
    """One operation of a run: in `window` (pixels of the frame), within `spans` ((h, 2) int32, from and to which column in each row of the
    frame from `spans_from` on) where there are such. Holds its arrays until the run is over."""

    kernel: Kernel
    window: Window
    ints: Sequence[int] = ()
    numbers: Sequence[float] = ()
    arrays: Sequence[NDArray[Any]] = ()
    spans: NDArray[np.int32] | None = None
    spans_from: int = 0


def _at(typingctx, address, dtype):  # type: ignore[no-untyped-def]
    """An address as a pointer to elements of a type."""
    pointer = _pointer(dtype.dtype)

    def made(context, builder, signature, args):  # type: ignore[no-untyped-def]
        return builder.inttoptr(args[0], context.get_value_type(pointer))

    return pointer(types.int64, dtype), made


at: Any = intrinsic(_at)


def _call(typingctx, address, row, width, x0, x1, ax, ay, numbers, ints, arrays):  # type: ignore[no-untyped-def]
    """Calls the kernel at an address; `row`, `numbers`, `ints` and `arrays` are addresses."""

    def made(context, builder, signature, args):  # type: ignore[no-untyped-def]
        floats, whole = ir.FloatType().as_pointer(), ir.IntType(64).as_pointer()
        function = ir.FunctionType(ir.VoidType(), [floats, *[ir.IntType(64)] * 5, floats, whole, whole]).as_pointer()
        to = builder.inttoptr
        given = [to(args[1], floats), *args[2:7], to(args[7], floats), to(args[8], whole), to(args[9], whole)]
        builder.call(to(args[0], function), given)
        return context.get_dummy_value()

    return types.none(*[types.int64] * 10), made


call: Any = intrinsic(_call)
