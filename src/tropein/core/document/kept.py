"""What is worked out once of each model: those of a document that is held are never changed in place."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from typing import Any, Generic, TypeVar

T = TypeVar("T")
MOST = 20_000


class Kept(Generic[T]):
    """Things by the very model they belong to, and by what else they depend on; all are let go when there are too many."""

    def __init__(self, make: Callable[..., T] | None = None, most: int = MOST) -> None:
        self._make, self._most = make, most
        self._things: dict[Hashable, tuple[Any, T]] = {}

    def of(self, model: Any, *rest: Hashable, make: Callable[[], T] | None = None) -> T:
        """`make()`, or else what all are made by, `make(model, *rest)`; from the first time on as it was then."""
        key = (id(model), *rest)
        known = self._things.get(key)
        if known is not None and known[0] is model:
            return known[1]
        if len(self._things) >= self._most:
            self._things.clear()
        if make is not None:
            made = make()
        else:
            assert self._make is not None
            made = self._make(model, *rest)
        self._things[key] = (model, made)
        return made
