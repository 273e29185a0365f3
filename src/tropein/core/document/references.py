"""References: a field that points at something says so in its type, and everything about them is derived from that.

What leads nowhere, what uses a thing, what goes with it when it is removed, circles, and what must be carried along in a bundle.
"""

from __future__ import annotations

import types
from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from pydantic import BaseModel

from tropein.core.document.kept import Kept

Target = Literal["footage", "layers", "tracks", "mattes"]
WORDS: dict[str, str] = {"footage": "footage", "layers": "a layer", "tracks": "a track", "mattes": "a matte"}


@dataclass(frozen=True)
class Ref:
    """On an id: which map of the shot it points into, and what it means in words (`says`: "rides on"). The thing must be one of `kinds`,
    or of a kind whose attribute `having` holds (`what` names what it must be). When the thing is removed the pointer is cleared, or the smallest thing
    around it that can go is dropped, or the removal is refused. `sees` is what of the thing is needed before a picture can be made: its own pixels,
    its finished picture, or its place."""

    to: Target
    says: str = "points at"
    what: str = ""
    kinds: tuple[str, ...] = ()
    having: str = ""
    on_delete: Literal["clear", "drop", "refuse"] = "refuse"
    sees: Literal["own", "picture", "place", ""] = ""

    def fits(self, thing: Any) -> bool:
        """Whether it may point at such a thing of its map."""
        if self.kinds and thing.kind not in self.kinds:
            return False
        if not self.having:
            return True
        return bool(getattr(getattr(thing, "content", thing), self.having, None))


@dataclass(frozen=True)
class Stored:
    """On a content hash: which sort of stored file it names."""

    what: Literal["media", "track", "coverage", "table", "font"]


@dataclass(frozen=True)
class Found:
    """A pointer: where it stands (parts of its address), what it says, and how it is meant."""

    address: tuple[str, ...]
    mark: Ref | Stored
    value: str


def found_in(model: BaseModel, address: tuple[str, ...] = ()) -> Iterator[Found]:
    """Every pointer within a part of a document."""
    for name, mark in _fields(type(model)):
        value = getattr(model, name)
        if value is not None:
            yield from _within(value, mark, (*address, name))


def pointers(thing: BaseModel) -> tuple[Found, ...]:
    """Every pointer within a thing of a map of the shot, by addresses within it."""
    return _pointers.of(thing)


_pointers: Kept[tuple[Found, ...]] = Kept(lambda thing: tuple(found_in(thing)))


def _within(value: Any, mark: Ref | Stored | None, address: tuple[str, ...]) -> Iterator[Found]:
    if isinstance(value, str):
        if mark is not None:
            yield Found(address, mark, value)
    elif isinstance(value, BaseModel):
        yield from found_in(value, address)
    elif isinstance(value, dict):
        for key, item in value.items():
            yield from _within(item, mark, (*address, str(key)))
    elif isinstance(value, list | tuple):
        for i, item in enumerate(value):
            yield from _within(item, mark, (*address, str(i)))


@lru_cache(None)
def _fields(cls: type[BaseModel]) -> tuple[tuple[str, Ref | Stored | None], ...]:
    """The fields of a model that are, or may hold, pointers."""
    out = []
    for name, field in cls.model_fields.items():
        mark = next((m for m in field.metadata if isinstance(m, Ref | Stored)), None) or _mark_in(field.annotation)
        if mark is not None or _may_hold(field.annotation):
            out.append((name, mark))
    return tuple(out)


def _mark_in(annotation: Any) -> Ref | Stored | None:
    """The mark of ids within a type: of an optional one, of a list of them."""
    if get_origin(annotation) is Annotated:
        base, *marks = get_args(annotation)
        return next((m for m in marks if isinstance(m, Ref | Stored)), None) or _mark_in(base)
    for inner in get_args(annotation):
        if (mark := _mark_in(inner)) is not None:
            return mark
    return None


def _may_hold(annotation: Any, seen: frozenset[type] = frozenset()) -> bool:
    """Whether a model, or a family of them, stands in a type that may have pointers."""
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        if annotation in seen:
            return False
        if "kind" in annotation.model_fields and annotation.model_fields["kind"].is_required():
            return True  # of a family: its kinds may have some
        inner = seen | {annotation}
        return any(
            _mark_in(f.annotation)
            or any(isinstance(m, Ref | Stored) for m in f.metadata)
            or _may_hold(f.annotation, inner)
            for f in annotation.model_fields.values()
        )
    if get_origin(annotation) in (Annotated, Union, types.UnionType, list, dict, tuple) or get_args(annotation):
        return any(_may_hold(a, seen) for a in get_args(annotation))
    return False
