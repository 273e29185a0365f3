"""Python's search for what holds itself, out of the way of pictures."""

from __future__ import annotations

import gc
from collections.abc import Iterator
from contextlib import contextmanager


def settled() -> None:
    """What is there now stays, and need not be looked through again and again. To be called when all is loaded, and again after much has changed."""
    gc.unfreeze()
    gc.collect()
    gc.freeze()
    gc.set_threshold(50_000, 20, 50)


@contextmanager
def loading() -> Iterator[None]:
    """While it lasts nothing is looked for: what is imported stays, and a fifth of the time that takes would be spent on looking."""
    gc.disable()
    try:
        yield
    finally:
        gc.freeze()
        gc.enable()
