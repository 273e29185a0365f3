"""Operations on single pixels, from plain functions.

A function `px(r, g, b, a, x, y, n)` of float32 values, where x, y is the middle of the pixel in the frame's pixels and n a tuple of numbers,
returns red, green and blue. It is given and gives, by its *domain*: "light": linear premultiplied; "linear": linear straight;
"display": display values, straight. Coverage stays as it is.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Literal

from numpy.typing import NDArray

from tropein.core.rows.generated import kernel
from tropein.core.rows.op import NUMBERS, Kernel

Domain = Literal["light", "linear", "display"]
Px = Callable[..., tuple[float, float, float]]

_TEXT = '''"""Made of {module}: {function}."""

import numba as nb
import numpy as np

from tropein.core.raster.srgb import light, shown
from tropein.core.rows.op import PLANES, carray
from {module} import {function}

f = np.float32
px = nb.njit(inline="always")({function})


def point(row, width, x0, x1, ax, ay, numbers, ints, arrays):
    A, k, N = carray(row, (PLANES, width)), carray(ints, 2), carray(numbers, {count})
    d = k[0] * 4
    n = ({numbers})
    R, G, B, C = A[d, x0:x1], A[d + 1, x0:x1], A[d + 2, x0:x1], A[d + 3, x0:x1]
    left, y = f(ax + x0) + f(0.5), f(ay) + f(0.5)
    if k[1] == 0:
        for i in range(R.size):
            R[i], G[i], B[i] = px(R[i], G[i], B[i], C[i], left + f(np.int32(i)), y, n)
    else:
        for i in range(R.size):
            a = C[i]
            r, g, b = {given}
            r, g, b = px(r, g, b, a, left + f(np.int32(i)), y, n)
            r, g, b = {taken}
            clear = a <= f(1e-6)
            R[i] = R[i] if clear else r
            G[i] = G[i] if clear else g
            B[i] = B[i] if clear else b
'''
_GIVEN = {
    "light": "R[i], G[i], B[i]",
    "linear": "R[i] / max(a, f(1e-6)), G[i] / max(a, f(1e-6)), B[i] / max(a, f(1e-6))",
    "display": ", ".join(f"shown(max({c}[i] / max(a, f(1e-6)), f(0)))" for c in "RGB"),
}
_TAKEN = {
    "light": "r, g, b",
    "linear": "r * a, g * a, b * a",
    "display": ", ".join(f"light(max({c}, f(0))) * a" for c in "rgb"),
}


@dataclass(frozen=True, eq=False)
class Point:
    """A function on single pixels. It stands at the top of a module; `count` says how many numbers it is given."""

    px: Px
    domain: Domain = "light"
    count: int = NUMBERS

    @cached_property
    def kernel(self) -> Kernel:
        module, name = self.px.__module__, self.px.__name__
        numbers = ", ".join(f"N[{i}]" for i in range(self.count)) + ","
        text = _TEXT.format(
            module=module, function=name, count=self.count, numbers=numbers, given=_GIVEN[self.domain], taken=_TAKEN[self.domain],
        )  # fmt: skip
        return kernel("point", text, module)


@dataclass(frozen=True)
class Use:
    """A point operation with what it is given: a Point, or a kernel of one's own that takes ints[0], the register, and ints[1], 0 where the
    register is opaque, or in the domain that is asked for, as it stands."""

    of: Point | Kernel
    numbers: Sequence[float] = ()
    ints: Sequence[int] = ()
    arrays: Sequence[NDArray[Any]] = ()
    domain: Domain = "light"
    on_display: Callable[[], Use] | None = None  # the same of opaque display values, if it can be given them
    gives_light: bool = False  # of display values it makes linear ones

    @property
    def kernel(self) -> Kernel:
        return self.of.kernel if isinstance(self.of, Point) else self.of

    @property
    def wants(self) -> Domain:
        return self.of.domain if isinstance(self.of, Point) else self.domain
