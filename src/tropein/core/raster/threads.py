"""How many threads kernels take."""

from __future__ import annotations

import numba

MOST = numba.get_num_threads()


def use(threads: int) -> None:
    """For what the calling thread asks for from now on."""
    numba.set_num_threads(max(1, min(threads, MOST)))
