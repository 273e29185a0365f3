"""Reading in order: the next picture is read while the last one is worked on."""

from __future__ import annotations

from concurrent.futures import Future, ThreadPoolExecutor
from typing import Protocol

from tropein.core.media.coded import Coded

LONGEST_STEP = 4  # pictures; whoever leaps farther is not reading in order


class Reader(Protocol):
    def read(self, index: int) -> Coded: ...
    def close(self) -> None: ...


class Ahead:
    """A reader with a thread of its own, in which all of its work is done. Used by one thread at a time."""

    def __init__(self, reader: Reader, frames: int) -> None:
        self._reader, self._frames = reader, frames
        self._thread = ThreadPoolExecutor(1, "reader")
        self._last: int | None = None
        self._next: tuple[int, Future[Coded]] | None = None

    def read(self, index: int) -> Coded:
        """Picture `index`; the one that comes after it in the same direction is begun. Raises what the reader does."""
        expected, self._next = self._next, None
        if expected is not None and expected[0] == index:
            made = expected[1].result()
        else:
            made = self._thread.submit(self._reader.read, index).result()
        step = 0 if self._last is None else index - self._last
        self._last = index
        if 0 < abs(step) <= LONGEST_STEP and 0 <= index + step < self._frames:
            self._next = (index + step, self._thread.submit(self._reader.read, index + step))
        return made

    def close(self) -> None:
        self._thread.submit(self._reader.close).result()
        self._thread.shutdown()
