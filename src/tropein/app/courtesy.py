"""Whoever sits at the page goes before work: the server marks when pictures are asked for, workers on the same machine wait for
it to be quiet between two frames of theirs."""

from __future__ import annotations

import contextlib
import tempfile
import time
from hashlib import sha256
from pathlib import Path

MARK_EVERY_S = 0.1
QUIET_S = 0.3  # without a request, and work goes on
MOST_WAIT_S = 1.0  # for each frame of work: it slows down, and never stands still


class Courtesy:
    """For one home folder, on this machine."""

    def __init__(self, home: Path) -> None:
        self._mark = Path(tempfile.gettempdir()) / f"tropein-asked-{sha256(str(home).encode()).hexdigest()[:16]}"
        self._marked = 0.0

    def asked(self) -> None:
        """A picture is wanted just now."""
        now = time.monotonic()
        if now - self._marked > MARK_EVERY_S:
            self._marked = now
            with contextlib.suppress(OSError):
                self._mark.touch()

    def give_way(self) -> None:
        """Return once nobody asks, or after a while."""
        end = time.monotonic() + MOST_WAIT_S
        while time.monotonic() < end and self._busy():
            time.sleep(0.05)

    def _busy(self) -> bool:
        try:
            return time.time() - self._mark.stat().st_mtime < QUIET_S
        except OSError:
            return False
