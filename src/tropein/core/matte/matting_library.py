"""What we use of the matting library, without the rest: its packages import, and compile, all that is in them (94 s instead of 9)."""

from __future__ import annotations

import sys
from collections.abc import Callable
from functools import lru_cache
from importlib.util import find_spec
from pathlib import Path
from types import ModuleType
from typing import Any, NamedTuple

_PACKAGES = ("pymatting", "pymatting.laplacian", "pymatting.preconditioner", "pymatting.solver", "pymatting.util")


class Matting(NamedTuple):
    """The closed-form Laplacian, an incomplete Cholesky preconditioner, and conjugate gradients."""

    cf_laplacian: Callable[..., Any]
    ichol: Callable[..., Any]
    cg: Callable[..., Any]


@lru_cache(1)
def matting() -> Matting:
    """Loaded once; compiled the first time of all."""
    spec = find_spec("pymatting")
    assert spec is not None and spec.submodule_search_locations
    root = Path(spec.submodule_search_locations[0])
    for name in _PACKAGES:
        if name not in sys.modules:  # an empty package in its place, in which the modules are found all the same
            package = ModuleType(name)
            package.__path__ = [str(root.joinpath(*name.split(".")[1:]))]
            sys.modules[name] = package
    from pymatting.laplacian.cf_laplacian import cf_laplacian
    from pymatting.preconditioner.ichol import ichol
    from pymatting.solver.cg import cg

    return Matting(cf_laplacian, ichol, cg)
