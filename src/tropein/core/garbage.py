"""Python's search for what holds itself, out of the way of pictures."""

from __future__ import annotations

import gc


def settled() -> None:
    """What is there now stays, and need not be looked through again and again. To be called when all is loaded, and again after much has changed."""
    gc.unfreeze()
    gc.collect()
    gc.freeze()
    gc.set_threshold(50_000, 20, 50)
