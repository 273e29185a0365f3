"""A document that is held ready: plain and as models, so that an edit validates only the parts it touches."""

from __future__ import annotations

import copy
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Annotated, Any

import jsonpatch
from pydantic import TypeAdapter, ValidationError

from tropein.core.document.patch import PatchOps, apply_in_place, apply_patch
from tropein.core.document.shot import Shot, broken_references
from tropein.core.document.upgrade import explain, load_shot
from tropein.core.errors import BadInput

Plain = dict[str, Any]
MAPS = ("footage", "layers", "tracks", "mattes", "cues", "spots")
_ADAPTERS: dict[str, TypeAdapter[Any]] = {}


@dataclass(frozen=True)
class Held:
    """One revision: neither the plain document nor the models are ever changed in place; revisions share what is the same in them."""

    plain: Plain
    shot: Shot

    @classmethod
    def of(cls, document: Plain) -> Held:
        """From a plain document of any version; BadInput where it does not hold."""
        shot = load_shot(document)
        return cls(shot.model_dump(mode="json"), shot)

    def edit(self, ops: PatchOps) -> tuple[Held, PatchOps, PatchOps]:
        """(the document after an edit, the patch as stored, its inverse). What is validated, dumped and compared is what the operations touch;
        references are checked throughout. BadInput says what does not fit or hold."""
        named = dict.fromkeys(part for op in ops for part in _parts(op))
        parts = [part for part in named if len(part) < 2 or part[:1] not in named]
        if any(not part for part in parts):
            return self._whole(ops)
        draft = apply_in_place(self._draft(parts), ops)
        if set(draft) - set(self.plain):
            raise BadInput(f"{min(set(draft) - set(self.plain))}: Extra inputs are not permitted")
        if set(self.plain) - set(draft):
            return self._whole(ops)  # fields come back with their defaults
        try:
            shot, plain = self._validated(draft, parts)
        except ValidationError as error:
            raise BadInput(explain(error)) from error
        for problem in broken_references(shot):
            raise BadInput(problem)
        there = [op for part in parts for op in _changed(self.plain, plain, part)]
        back = [op for part in reversed(parts) for op in _changed(plain, self.plain, part)]
        return Held(plain, shot), there, back

    def _whole(self, ops: PatchOps) -> tuple[Held, PatchOps, PatchOps]:
        after = Held.of(apply_patch(self.plain, ops))
        return after, *_both_ways(self.plain, after.plain)

    def _draft(self, parts: list[tuple[str, ...]]) -> Plain:
        """A copy whose touched parts may be changed in place."""
        draft = dict(self.plain)
        for part in parts:
            name = part[0]
            if name not in draft:
                continue
            if len(part) == 1:
                draft[name] = copy.deepcopy(self.plain[name])
                continue
            if draft[name] is self.plain[name]:
                draft[name] = dict(self.plain[name])
            if part[1] in draft[name]:
                draft[name][part[1]] = copy.deepcopy(self.plain[name][part[1]])
        return draft

    def _validated(self, draft: Plain, parts: list[tuple[str, ...]]) -> tuple[Shot, Plain]:
        fields: dict[str, Any] = {name: getattr(self.shot, name) for name in Shot.model_fields}
        plain = dict(draft)
        for part in parts:
            name = part[0]
            if name not in plain:
                continue
            if len(part) == 1:
                fields[name] = _adapter(name).validate_python(draft[name])
                plain[name] = _dumped(_adapter(name), fields[name])
                continue
            if not isinstance(draft[name], dict):
                fields[name] = _adapter(name).validate_python(draft[name])  # refused in words
            if fields[name] is getattr(self.shot, name):
                fields[name] = dict(fields[name])
            if part[1] not in draft[name]:
                fields[name].pop(part[1], None)
                continue
            thing = _adapter(name).validate_python({part[1]: draft[name][part[1]]})
            fields[name] |= thing
            plain[name] = {**plain[name], **_dumped(_adapter(name), thing)}
        for name in MAPS:
            if len(fields[name]) > MOST[name]:
                raise BadInput(f"{name}: a shot has up to {MOST[name]} of them")
        return Shot.model_construct(**fields), plain


MOST = {name: next(m.max_length for m in Shot.model_fields[name].metadata if hasattr(m, "max_length")) for name in MAPS}


def _adapter(name: str) -> TypeAdapter[Any]:
    """Validates a field of the shot."""
    if name not in _ADAPTERS:
        field = Shot.model_fields[name]
        annotation: Any = Annotated[(field.annotation, *field.metadata)] if field.metadata else field.annotation
        _ADAPTERS[name] = TypeAdapter(annotation)
    return _ADAPTERS[name]


def _dumped(adapter: TypeAdapter[Any], value: Any) -> Any:
    return adapter.dump_python(value, mode="json")


def _parts(op: Plain) -> Iterator[tuple[str, ...]]:
    """The parts of the document that an operation touches: a thing of a map, else a field; () for the whole."""
    if not isinstance(op, dict):
        raise BadInput("The change does not fit the shot: an operation is an object.")
    for name in ("path", "from"):
        if name not in op:
            continue
        path = op[name]
        if not isinstance(path, str) or (path and not path.startswith("/")):
            raise BadInput(f"The change does not fit the shot: {path!r} is no address.")
        keys = [key.replace("~1", "/").replace("~0", "~") for key in path.split("/")[1:]]
        yield tuple(keys[:2]) if keys and keys[0] in MAPS and len(keys) > 1 else tuple(keys[:1])


def _changed(before: Plain, after: Plain, part: tuple[str, ...]) -> PatchOps:
    """The patch of one part."""
    old, new = before, after
    for key in part:
        old = old.get(key, _NONE) if isinstance(old, dict) else _NONE
        new = new.get(key, _NONE) if isinstance(new, dict) else _NONE
    path = "".join("/" + key.replace("~", "~0").replace("/", "~1") for key in part)
    if old is _NONE or new is _NONE:
        if old is new:
            return []
        return [{"op": "add", "path": path, "value": new}] if old is _NONE else [{"op": "remove", "path": path}]
    if old == new:
        return []
    if not isinstance(old, dict | list) or type(old) is not type(new):
        return [{"op": "replace", "path": path, "value": new}]
    return [
        {**op, **{name: path + op[name] for name in ("path", "from") if name in op}}
        for op in jsonpatch.make_patch(old, new).patch
    ]


_NONE: Any = object()


def edit(document: Plain, ops: PatchOps) -> tuple[Plain, Shot, PatchOps, PatchOps]:
    """Apply an edit to a plain document: (the new one, its shot, the patch as stored, its inverse). Defaults that validation fills in are part of
    the patch."""
    held = Held.of(document)
    after, patch, inverse = held.edit(ops)
    if held.plain != document:  # parts that are newer than the stored document
        patch, inverse = _both_ways(document, after.plain)
    return after.plain, after.shot, patch, inverse


def _both_ways(before: Plain, after: Plain) -> tuple[PatchOps, PatchOps]:
    return jsonpatch.make_patch(before, after).patch, jsonpatch.make_patch(after, before).patch
