"""Families of kinds: what a document may name, each kind one file in its family's package, found by looking through that package."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Iterator
from functools import lru_cache
from typing import Any, ClassVar, Generic, TypeVar

from pydantic import ConfigDict

from tropein.core.document.base import Model


class Kind(Model):
    """Something of one kind of several; `kind` says which."""

    unknown: ClassVar[bool] = False  # this installation lacks the kind: kept as it is, and does nothing
    kind: str


@lru_cache(None)
def import_all(package: str) -> None:
    """Import every module of a package once, so that what they hold registers itself."""
    for module in pkgutil.iter_modules(importlib.import_module(package).__path__):
        importlib.import_module(f"{package}.{module.name}")


K = TypeVar("K", bound=Kind)


class Family(Generic[K]):
    """The kinds of one sort of thing. A kind this installation does not know is kept as it came."""

    def __init__(self, name: str, package: str, base: type[K]) -> None:
        self.name, self.package, self.base = name, package, base
        self._kinds: dict[str, type[K]] = {}
        self.unknown: type[K] = type(
            f"Unknown{base.__name__}", (base,),
            {"__module__": base.__module__, "__doc__": f"A kind of {name} that is not installed here.", "unknown": True,
             "__annotations__": {"unknown": "ClassVar[bool]"}, "model_config": ConfigDict(extra="allow")},
        )  # fmt: skip

    def add(self, cls: type[K]) -> type[K]:
        """Make a kind known; its `kind` field's default names it."""
        kind = cls.model_fields["kind"].default
        if not isinstance(kind, str) or self._kinds.get(kind, cls).__qualname__ != cls.__qualname__:
            raise TypeError(f"{cls.__name__} must be the only {self.name} of the kind {kind!r}")
        self._kinds[kind] = cls
        return cls

    def known(self) -> dict[str, type[K]]:
        """All kinds by name, in order of their names."""
        import_all(self.package)
        return dict(sorted(self._kinds.items()))

    def of(self, kind: str) -> type[K]:
        """The class of a kind; that of unknown things for one that is not installed."""
        return self._kinds.get(kind) or self.known().get(kind) or self.unknown

    def read(self, value: Any) -> K:
        """A thing from plain data, or as it is. ValueError for what has no kind."""
        if isinstance(value, self.base):
            return value
        if not isinstance(value, dict) or not isinstance(value.get("kind"), str):
            raise ValueError(f"a {self.name} is an object with a kind")
        return self.of(value["kind"]).model_validate(value)

    def __iter__(self) -> Iterator[type[K]]:
        return iter(self.known().values())
