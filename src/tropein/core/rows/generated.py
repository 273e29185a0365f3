"""Kernels written out as modules of their own, so that each is compiled apart and kept until any of its sources changes."""

from __future__ import annotations

import importlib.util
import inspect
import os
import sys
import tempfile
from functools import lru_cache
from hashlib import blake2b
from pathlib import Path
from typing import Any

from tropein.core.raster import blend, srgb
from tropein.core.rows import op
from tropein.core.rows.op import Kernel


def folder() -> Path:
    """Beside numba's own cache: what is compiled goes with what it was compiled from."""
    kept = os.environ.get("NUMBA_CACHE_DIR")
    place = Path(kept) if kept else Path(tempfile.gettempdir()) / f"tropein-kernels-{os.getuid()}"
    return place / "rows"


@lru_cache(1)
def _shared() -> bytes:
    return b"".join(Path(inspect.getfile(m)).read_bytes() for m in (op, srgb, blend))


def kernel(name: str, text: str, *modules: str) -> Kernel:
    """The kernel `name` of a module with this text, which uses functions of these modules."""
    own = b"".join(Path(inspect.getfile(sys.modules[m])).read_bytes() for m in modules)
    mark = blake2b(text.encode() + own + _shared(), digest_size=10).hexdigest()
    path = folder() / f"{name}_{mark}.py"
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.NamedTemporaryFile("w", dir=path.parent, suffix=".part", delete=False) as file:
            file.write(text)
        Path(file.name).replace(path)  # whole, whoever else is at it
    module_name = f"tropein_rows_{name}_{mark}"
    spec = importlib.util.spec_from_file_location(module_name, path)
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    sys.modules[module_name] = module
    spec.loader.exec_module(module)
    made: Any = getattr(module, name)
    return Kernel(made)
