"""Results kept by key, up to a number of bytes, the longest unused dropped first."""

from __future__ import annotations

import threading
from collections import OrderedDict
from typing import Generic, Protocol, TypeVar


class Sized(Protocol):
    @property
    def nbytes(self) -> int: ...


T = TypeVar("T", bound=Sized)


class Cache(Generic[T]):
    """A thread-safe map with a limit in bytes. Something larger than a third of the limit is not kept."""

    def __init__(self, limit_bytes: int) -> None:
        self.limit_bytes, self.nbytes = limit_bytes, 0
        self._items: OrderedDict[str, T] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: str) -> T | None:
        with self._lock:
            item = self._items.get(key)
            if item is not None:
                self._items.move_to_end(key)
            return item

    def __contains__(self, key: str) -> bool:
        """Whether it is kept; it does not count as used."""
        with self._lock:
            return key in self._items

    def put(self, key: str, item: T) -> None:
        if item.nbytes * 3 > self.limit_bytes:
            return
        with self._lock:
            old = self._items.pop(key, None)
            self.nbytes += item.nbytes - (old.nbytes if old else 0)
            self._items[key] = item
            while self.nbytes > self.limit_bytes:
                self.nbytes -= self._items.popitem(last=False)[1].nbytes
