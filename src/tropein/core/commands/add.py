"""Lay in a new layer of any content."""

from __future__ import annotations

from typing import Annotated, ClassVar

from pydantic import Field

from tropein.core.commands.common import Plain, known, stack_of
from tropein.core.commands.group import blank
from tropein.core.commands.registry import Change, Command, command
from tropein.core.document import Id, Shot
from tropein.core.document.base import Name
from tropein.core.document.content import AnyContent
from tropein.core.errors import BadInput


@command
class AddLayer(Command):
    """Lays in a layer, nearest the lens, in the middle of the frame."""

    name: ClassVar[str] = "add-layer"
    title: ClassVar[str] = "Add a layer"
    content: Annotated[AnyContent, Field(description="what it shows: its kind and parameters")]
    called: Name | None = None
    group: Annotated[Id | None, Field(description="the group it is laid into; none: the shot's own stack")] = None

    def run(self, shot: Shot, document: Plain) -> Change:
        if self.content.unknown:
            raise BadInput(f"Layers of the kind {self.content.kind} are not installed here.")
        if self.group is not None and shot.layers[known(shot, "layers", [self.group])[0]].stack is None:
            raise BadInput(f"{shot.layers[self.group].name} is no group.")
        name = self.called or _free(shot, self.content.title)
        layer = blank(shot, name, self.content.model_dump(mode="json"))
        document["layers"][layer["id"]] = layer
        stack_of(document, self.group).insert(0, layer["id"])
        title = self.content.title.lower()
        article = "" if title.endswith("s") else "an " if title[0] in "aeiou" else "a "
        return Change(f"add {article}{title}", [f"layers/{layer['id']}"])


def _free(shot: Shot, name: str) -> str:
    """The name, with a number where another layer has it."""
    taken, n = {layer.name for layer in shot.layers.values()}, 2
    found = name
    while found in taken:
        found, n = f"{name} {n}", n + 1
    return found
