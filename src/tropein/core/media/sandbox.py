"""Taking media in within a limited child process."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from tropein.core.errors import ReaderStopped
from tropein.core.limited import Limits, Say, run
from tropein.core.media.record import MediaRecord, read_record

INGESTED = "tropein.core.media.sandbox:ingested"
SPEAK_EVERY_S = 0.15
LIMITS = Limits()


def run_ingest(
    folder: Path, rate: str, progress: Callable[[int, int, str], None], stop: Callable[[], bool],
    gaps: str = "ask", limits: Limits = LIMITS,
) -> MediaRecord:  # fmt: skip
    """Ingest `folder/original` in a child. Raises MediaError with the child's words (Asks when there is
    something to decide, see order.order_of), Cancelled, or OutOfSpace."""
    arguments = [str(folder), rate, gaps]
    try:
        run(INGESTED, arguments, limits, lambda said: progress(*said), stop)
    except ReaderStopped:  # it may have been killed from outside: once more, and then it is the file
        run(INGESTED, arguments, limits, lambda said: progress(*said), stop)
    return read_record(folder / "media.json")


def ingested(say: Say, folder: str, rate: str, gaps: str) -> Any:
    """In the child."""
    from tropein.core.media.ingest import ingest

    spoke = 0.0

    def progress(done: int, total: int, what: str) -> None:
        nonlocal spoke
        if time.monotonic() - spoke > SPEAK_EVERY_S or done == total:
            spoke = time.monotonic()
            say([done, total, what])

    ingest(Path(folder), rate, progress, gaps)
    return None
