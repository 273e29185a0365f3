"""Libraries that talk to the process's error stream, kept from doing so."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def silenced() -> Iterator[None]:
    """The library writes notes for its makers straight to the process's error stream; they are kept from the user."""
    sys.stderr.flush()
    kept = os.dup(2)
    nowhere = os.open(os.devnull, os.O_WRONLY)
    try:
        os.dup2(nowhere, 2)
        yield
    finally:
        os.dup2(kept, 2)
        os.close(kept)
        os.close(nowhere)
