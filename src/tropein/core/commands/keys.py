"""Paste keys that were copied."""

from __future__ import annotations

from typing import Annotated, Any, ClassVar

from pydantic import Field

from tropein.core.commands.addresses import Address, holder_of, parts_of
from tropein.core.commands.common import Plain, known
from tropein.core.commands.registry import Change, Command, command
from tropein.core.document import Id, Shot
from tropein.core.document.base import Frame, Model
from tropein.core.errors import BadInput, NotFound

MOST_KEYS = 100_000


class Copied(Model):
    """A key as it stands in the document, and whose it is."""

    at: Address
    key: dict[str, Any]


@command
class PasteKeys(Command):
    """Puts copied keys where the first of them lies at a frame. With a layer they go to its parameters of the same names: in an effect or a
    meeting to the one of the same kind, counted alike. Other parameters, and other keys, stay as they are."""

    name: ClassVar[str] = "paste-keys"
    title: ClassVar[str] = "Paste keys"
    keys: Annotated[list[Copied], Field(min_length=1, max_length=MOST_KEYS)]
    frame: Frame
    layer: Annotated[Id | None, Field(description="the layer they are meant for; none: where they came from")] = None

    def run(self, shot: Shot, document: Plain) -> Change:
        if self.layer is not None:
            known(shot, "layers", [self.layer])
        frames = [copied.key.get("frame") for copied in self.keys]
        if not all(type(frame) is int for frame in frames):
            raise BadInput("A key says in which frame it lies.")
        by = self.frame - min(frame for frame in frames if frame is not None)
        pasted: list[str] = []
        for address in dict.fromkeys(copied.at for copied in self.keys):
            target = address if self.layer is None else on_layer(document, address, self.layer)
            try:
                holder, name = holder_of(document, target)
            except NotFound:
                continue
            parameter = holder[name]
            if not isinstance(parameter, dict) or "keys" not in parameter:
                continue
            moved = {c.key["frame"] + by: {**c.key, "frame": c.key["frame"] + by} for c in self.keys if c.at == address}
            kept = {key["frame"]: key for key in parameter["keys"]}
            parameter["keys"] = [key for _, key in sorted((kept | moved).items())]
            pasted += [f"{target.strip('/')}/keys/{frame}" for frame in moved]
        if not pasted:
            raise BadInput("Nothing there has parameters of these names.")
        left = len(self.keys) - len(pasted)
        note = f"{left} of the copied keys belong to parameters that are not there." if left else ""
        return Change(f"paste {len(pasted)} {'key' if len(pasted) == 1 else 'keys'}", pasted, note)


def on_layer(document: Plain, address: str, layer: str) -> str:
    """A parameter's address on another layer: there the effect, or the meeting, of the same kind."""
    where, old, *rest = parts_of(address)
    if where != "layers" or old == layer or old not in document["layers"]:
        return address
    lists = {"effects": "chain", "meets": "meeting"}
    if rest[0] not in lists or len(rest) < 2:
        return "/".join(["layers", layer, *rest])
    family, thing, *name = rest
    there, here = document["layers"][old], document["layers"][layer]
    kind = there[family].get(thing, {}).get("kind")
    alike = [i for i in there[lists[family]] if there[family][i]["kind"] == kind]
    same = [i for i in here[lists[family]] if here[family][i]["kind"] == kind]
    nth = alike.index(thing) if thing in alike else 0
    found = same[nth] if nth < len(same) else next(iter(same), "none")
    return "/".join(["layers", layer, family, found, *name])
